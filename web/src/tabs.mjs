// The tabs of the right pane, each a question, with what can be chosen for its figure.
import { bands } from "./figures/bands.mjs";
import { cost } from "./figures/cost.mjs";
import { days, income, time } from "./figures/others.mjs";
import { pace } from "./figures/pace.mjs";
import { byId, element } from "./text.mjs";

export const HANDS = "hands";
/** @type {Record<string, string>} */
export const QUESTIONS = {
  pace: "How fast?", cost: "What does a level cost?", time: "Where does time go?", income: "What do they live on?",
  days: "Who is where on day N?", [HANDS]: "Hand out XP",
};

/** Which tab is looked at, and what is chosen in each. */
export class Tabs {
  tab = "pace";
  /** @type {"hours" | "days"} */
  by = "hours";
  track = "";
  log = false;
  player = "";
  /** In "What do they live on?": a multiplier whose bands are shown instead. */
  scaled = "";
  day = 7;

  /** @param {(anew: boolean) => void} changed */
  constructor(changed) {
    this.changed = changed;
    const list = byId("tabs");
    list.replaceChildren(...Object.entries(QUESTIONS).map(([name, question]) => {
      const tab = element("button", { type: "button", role: "tab", id: `tab-${name}`, "aria-controls": name === HANDS ? "hands-pane" : "figure-pane" }, question);
      tab.addEventListener("click", () => this.choose(name));
      return tab;
    }));
    list.addEventListener("keydown", (event) => this.#key(event));
    this.#mark();
  }

  /** @param {string} name */
  choose(name) {
    if (name === this.tab) return;
    this.tab = name;
    this.#mark();
    this.changed(true);
  }

  /** Say which tabs there is nothing to show for, and why; look at one that there is. @param {string} missing "" where everything can be shown */
  offer(missing) {
    for (const name of Object.keys(QUESTIONS)) {
      const tab = /** @type {HTMLButtonElement} */ (byId(`tab-${name}`));
      tab.disabled = missing !== "" && name !== "cost" && name !== HANDS;
      tab.title = tab.disabled ? missing : "";
    }
    if (/** @type {HTMLButtonElement} */ (byId(`tab-${this.tab}`)).disabled) {
      this.tab = "cost";
      this.#mark();
    }
  }

  #mark() {
    for (const name of Object.keys(QUESTIONS)) {
      const tab = byId(`tab-${name}`);
      tab.setAttribute("aria-selected", String(name === this.tab));
      tab.tabIndex = name === this.tab ? 0 : -1;
    }
    byId("hands-pane").hidden = this.tab !== HANDS;
    byId("figure-pane").hidden = this.tab === HANDS;
    byId("figure-pane").setAttribute("aria-labelledby", `tab-${this.tab === HANDS ? "pace" : this.tab}`);
  }

  /** @param {KeyboardEvent} event */
  #key(event) {
    const names = Object.keys(QUESTIONS).filter((name) => !(/** @type {HTMLButtonElement} */ (byId(`tab-${name}`)).disabled)), at = names.indexOf(this.tab);
    const to = /** @type {Record<string, number>} */ ({ ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: names.length - 1 })[event.key];
    if (to === undefined) return;
    event.preventDefault();
    this.choose(names[(to + names.length) % names.length]);
    byId(`tab-${this.tab}`).focus();
  }

  /**
   * The figure of the tab that is looked at.
   * @param {any} now @param {any} file @param {Map<string, string>} verdicts @param {Record<string, unknown>} tried
   * @returns {import("./spec.mjs").Spec}
   */
  spec(now, file, verdicts, tried) {
    if (this.tab === "cost") return cost({ now, file, track: this.track, log: this.log, tried });
    if (this.tab === "time") return time({ now, file });
    if (this.tab === "income" && this.scaled) return bands({ now, file, name: this.scaled });
    if (this.tab === "income") return income({ now, file, player: this.player });
    if (this.tab === "days") return days({ now, file, day: this.day });
    return pace({ now, file, by: this.by, verdicts, tried });
  }

  /** Show what can be chosen for the figure. @param {any} now @param {() => void} bend turns costs into points */
  options(now, bend) {
    this.#settle(now);
    const box = byId("options"), most = Math.max(1, ...(now.days ?? []).map((/** @type {any} */ one) => one.days));
    const bends = this.tab === "cost" && now.cost[this.track].gives !== "cost";
    const key = JSON.stringify([this.tab, this.by, this.track, this.log, this.player, this.scaled, bends, this.tab === "days" ? most : 0, Object.keys(now.cost), now.bands.map((/** @type {any} */ one) => one.name)]);
    if (box.dataset.key === key) return;
    box.dataset.key = key;
    box.replaceChildren(...this.#choices(now, most, bends ? bend : null));
  }

  /** Choose what there is, where what was chosen is gone. @param {any} now */
  #settle(now) {
    const tracks = Object.keys(now.cost), players = (now.income ?? []).map((/** @type {any} */ one) => one.player);
    if (!tracks.includes(this.track)) this.track = tracks[0];
    if (!players.includes(this.player)) this.player = players[0] ?? "";
    if (!now.bands.some((/** @type {any} */ one) => one.name === this.scaled)) this.scaled = "";
    if (!byDays(now)) this.by = "hours";
  }

  /** @param {any} now @param {number} most @param {(() => void) | null} bend */
  #choices(now, most, bend) {
    const parts = [], tracks = Object.keys(now.cost), shares = "shares of sources";
    if (this.tab === "pace" && byDays(now)) parts.push(this.#choice("over", ["hours", "days"], this.by, (value) => { this.by = value === "days" ? "days" : "hours"; }));
    if (this.tab === "cost") {
      if (tracks.length > 1) parts.push(this.#choice("track", tracks, this.track, (value) => { this.track = value; }));
      parts.push(this.#choice("scale", ["straight", "logarithmic"], this.log ? "logarithmic" : "straight", (value) => { this.log = value === "logarithmic"; }));
      if (bend) parts.push(element("button", { type: "button", onclick: bend, title: "as few points as keep every cost within 1 %" }, "Turn into points that can be dragged"));
    }
    if (this.tab === "income") {
      const rules = now.bands.map((/** @type {any} */ one) => one.name), players = now.income.map((/** @type {any} */ one) => one.player);
      if (rules.length) parts.push(this.#choice("show", [shares, ...rules], this.scaled || shares, (value) => { this.scaled = value === shares ? "" : value; }));
      if (!this.scaled) parts.push(this.#choice("player", players, this.player, (value) => { this.player = value; }));
    }
    if (this.tab === "days") parts.push(this.#dayChoice(most));
    return parts;
  }

  /** @param {string} name @param {string[]} values @param {string} value @param {(value: string) => void} choose */
  #choice(name, values, value, choose) {
    const list = element("select", {}, ...values.map((one) => element("option", { value: one, selected: one === value }, one)));
    list.addEventListener("change", () => { choose(list.value); this.changed(true); });
    return element("label", {}, `${name} `, list);
  }

  /** @param {number} most */
  #dayChoice(most) {
    const range = element("input", { type: "range", min: "1", max: String(most), step: "1", value: String(Math.min(this.day, most)), "aria-label": "day" });
    const told = element("output", {}, String(this.day));
    range.addEventListener("input", () => { this.day = range.valueAsNumber; told.textContent = String(this.day); this.changed(false); });
    return element("label", {}, "day ", range, " ", told);
  }
}

/** Whether anybody has a schedule of days. @param {any} now */
const byDays = (now) => Boolean(now.pace?.some((/** @type {any} */ one) => one.days_p50.some((/** @type {any} */ day) => day !== null)));
