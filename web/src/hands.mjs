// Hand out XP: the exported rule, with buttons and keys, a log that can be stepped back and copied as a test.
// `game` is what an export writes; it runs in the written report as in the bench.
import { element, plain } from "./text.mjs";

/** @typedef {{sources: string[], chains: Record<string, Record<string, [string, number][]>>, file?: string}} About */
/** @typedef {{text: string, why: string, step: Record<string, any>, before: any, gates: number[]}} Entry */

const MOST_SHOWN = 40;

/**
 * @param {HTMLElement} root the panel
 * @param {any} game the exported module
 * @param {About} about its buttons, and the multipliers of each source by level
 * @param {Hands | null} [before] what was done with another design's rule, to be done again with this one's
 */
export function handOut(root, game, about, before = null) {
  const hands = new Hands(root, game, about);
  if (before) hands.again(before);
  hands.show();
  return hands;
}

class Hands {
  /** @type {Entry[]} */
  #log = [];

  /** @param {HTMLElement} root @param {any} game @param {About} about */
  constructor(root, game, about) {
    this.root = root;
    this.game = game;
    this.about = about;
    this.ledger = new game.Leveling();
    /** @type {Record<string, () => void>} */
    this.acts = {
      award: () => this.#award(this.#amount(), "award"),
      next: () => this.#award(this.#need(), "to the next level"),
      before: () => this.#award(Math.max(this.#need() - this.#table().scale, 0), "1 XP before it"),
      lose: () => this.#lose(this.#amount()),
      gate: () => this.#openGate(Number(this.#at("gate").value)),
      back: () => this.#back(),
      anew: () => this.#anew(),
      command: () => this.#copy(commandOf(this.#log, about.file ?? "FILE", this.#table().scale), this.#log.some(({ step }) => step.open_gate !== undefined) ? "the command, in which no gate is opened," : "the command"),
      vector: () => this.#copy(JSON.stringify(vectorOf(this.#log, this.#state()), null, 1), "the vector"),
    };
    this.#at("sources").replaceChildren(...about.sources.map((name, at) => {
      const button = element("button", { type: "button" }, `${name} `, element("kbd", {}, String(at + 1)));
      button.dataset.source = name;
      return button;
    }));
    root.onclick = (event) => this.#click(/** @type {HTMLElement} */ (event.target));
    root.onkeydown = (event) => this.#key(event);
  }

  /** Do again what was done with another design's rule: the same XP at each step. @param {Hands} before */
  again(before) {
    const ratio = this.#table().scale / before.#table().scale;
    for (const { step, why } of before.#log) {
      if (step.award !== undefined) this.#award(Math.round(step.award * ratio), why);
      else if (step.lose !== undefined) this.#lose(Math.round(step.lose * ratio));
      else if (this.#table().gates) this.#openGate(step.open_gate);
    }
  }

  /** @param {string} name @returns {any} */
  #at(name) {
    return this.root.querySelector(`[data-hand="${name}"]`);
  }

  #table() {
    return this.game.TRACKS[this.ledger.track];
  }

  #need() {
    const cost = this.#table().costs[this.ledger.level - this.#table().startLevel];
    return cost === undefined ? 0 : Math.max(cost + (this.#table().exceeded ? 1 : 0) - this.ledger.xp, 0);
  }

  #amount() {
    return Math.round(Number(this.#at("amount").value) * this.#table().scale);
  }

  #state() {
    const { level, xp, points } = this.ledger;
    return { level, xp, points };
  }

  show() {
    const { ledger, game } = this;
    this.#at("bar").value = ledger.progress;
    this.#at("label").textContent = ledger.label;
    const stats = Object.keys(game.STATS ?? {}).filter((name) => game.STATS[name] === ledger.track);
    const told = stats.map((name) => `${name} ${plain(ledger.stat(name))}`);
    this.#at("state").textContent = [`${plain(ledger.points)} points`, `${plain(ledger.wasted / this.#table().scale)} XP wasted`, ...told].join(" · ");
    for (const name of ["next", "before"]) this.#at(name).disabled = this.#need() === 0;
    for (const name of ["back", "command", "vector", "anew"]) this.#at(name).disabled = this.#log.length === 0;
    const gates = [...(this.#table().gates?.keys() ?? [])].filter((gate) => !ledger.openGates.includes(gate));
    this.#at("gate").hidden = gates.length === 0;
    this.#at("gate").firstChild.textContent = `Open the gate at ${gates[0]} `;
    this.#at("gate").value = gates[0];
    const lines = this.#log.slice(-MOST_SHOWN).reverse().map((entry) => element("li", {}, entry.text));
    this.#at("log").replaceChildren(...lines);
  }

  /** @param {Record<string, any>} step @param {string} why @param {() => string} work */
  #do(step, why, work) {
    const before = Object.assign(new this.game.Leveling(this.ledger.track), this.ledger, { ranks: { ...this.ledger.ranks } });
    const gates = [...(this.ledger.openGates ?? [])];
    try {
      this.#log.push({ text: work(), why, step, before, gates });
      this.#at("said").textContent = "";
    } catch (error) {
      this.#at("said").textContent = /** @type {Error} */ (error).message;
    }
    this.show();
  }

  /** @param {number} units @param {string} why @param {string} [chain] */
  #award(units, why, chain = "") {
    this.#do({ award: units }, why, () => {
      const change = this.ledger.award(units), scale = this.#table().scale;
      const ups = change.levelAfter - change.levelBefore;
      const more = [ups ? `${ups} level${ups > 1 ? "s" : ""} up` : "", change.wasted ? `${plain(change.wasted / scale)} XP wasted` : "", chain];
      return [`${why}: ${plain(units / scale)} XP → ${this.ledger.label}`, ...more.filter(Boolean)].join(", ");
    });
  }

  /** @param {number} units */
  #lose(units) {
    this.#do({ lose: units }, "loss", () => {
      this.ledger.lose(units);
      return `loss: ${plain(units / this.#table().scale)} XP → ${this.ledger.label}`;
    });
  }

  /** @param {number} level */
  #openGate(level) {
    this.#do({ open_gate: level }, "gate", () => {
      this.ledger.openGate(level);
      return `the gate at ${level} is open → ${this.ledger.label}`;
    });
  }

  /** @param {string} source */
  #meet(source) {
    const { level } = this.ledger, drawn = this.game.draw(source, level, Math.random());
    const chain = (this.about.chains[source]?.[level] ?? []).map(([name, factor]) => `${name} ×${plain(factor)}`);
    const told = chain.length ? `of ${plain(drawn)} ${chain.join(" ")}` : "";
    this.#award(this.game.awardFor(source, level, drawn, true, {}), source, told);
  }

  #back() {
    const last = this.#log.pop();
    if (last) this.ledger = Object.assign(last.before, last.before.openGates ? { openGates: last.gates } : {});
    this.show();
  }

  #anew() {
    this.ledger = new this.game.Leveling(this.ledger.track);
    this.#log = [];
    this.#at("said").textContent = "";
    this.show();
  }

  /** @param {string} text @param {string} what */
  async #copy(text, what) {
    this.#at("copied").value = text;
    this.#at("copied").hidden = false;
    try {
      await navigator.clipboard.writeText(text);
      this.#at("said").textContent = `copied ${what}; it stands below, too`;
    } catch {
      this.#at("said").textContent = `${what} stands below`;  // A page from a file may not write there.
      this.#at("copied").select();
    }
  }

  /** @param {HTMLElement} target */
  #click(target) {
    const button = /** @type {HTMLElement | null} */ (target.closest("button"));
    if (!button) return;
    if (button.dataset.source) this.#meet(button.dataset.source);
    else this.acts[button.dataset.hand ?? ""]?.();
  }

  /** @param {KeyboardEvent} event */
  #key(event) {
    const target = /** @type {HTMLElement} */ (event.target), writes = target.matches("input, textarea");
    if (writes ? event.key !== "Enter" : event.ctrlKey || event.metaKey || event.altKey) return;
    const act = /** @type {Record<string, string>} */ ({ Enter: writes ? "award" : "", a: "award", n: "next", b: "before", l: "lose", g: "gate", u: "back" })[event.key];
    const source = this.about.sources[Number(event.key) - 1];
    if (act && !this.#at(act).disabled && !this.#at(act).hidden) this.acts[act]();
    else if (source && !writes) this.#meet(source);
    else return;
    event.preventDefault();
  }
}

/**
 * The command that does the same by the ledger; gates have none, and are left out.
 * @param {{step: Record<string, any>}[]} log
 * @param {string} file
 * @param {number} scale units of an XP
 */
export function commandOf(log, file, scale) {
  const amounts = log.flatMap(({ step }) => step.award !== undefined ? [step.award / scale] : step.lose !== undefined ? [-step.lose / scale] : []);
  return `ramulus award ${/^[\w./-]+$/.test(file) ? file : `'${file.replaceAll("'", "'\\''")}'`} -- ${amounts.join(" ")}`;
}

/**
 * The steps and the states after each, as `vectors.json` of an export has them.
 * @param {Entry[]} log
 * @param {{level: number, xp: number, points: number}} now
 */
export function vectorOf(log, now) {
  const before = log.map(({ before: { level, xp, points } }) => ({ level, xp, points }));
  const levels = [...before, now].map((state) => state.level);
  const ups = levels.map((level, at) => (at === 0 ? 0 : Math.max(level - levels[at - 1], 0)));
  return { do: log.map(({ step }) => step), states: [...before, now].map((state, at) => ({ ...state, level_ups: ups[at] })) };
}
