// The bench: what is turned on the left changes what is drawn on the right, while it is turned.
import { showLegend, showTable } from "./beside.mjs";
import { connect } from "./buttons.mjs";
import { Figure } from "./figure.mjs";
import { handOut } from "./hands.mjs";
import { History } from "./history.mjs";
import { showFindings, showGoals, showTuning } from "./judged.mjs";
import { Numbers } from "./numbers.mjs";
import { HANDS, Tabs } from "./tabs.mjs";
import { byId, element, plain } from "./text.mjs";
import { OneAtATime, gameAddress, get, listen, post } from "./wire.mjs";

const WAIT = 120; // Milliseconds of rest after which what is typed or stepped is played in full.

/** What one window does with the server, its numbers, its tabs and its figure. */
export class Bench {
  history = new History();
  /** What is shown in full, as the server told it. @type {any} */
  shown = null;
  /** What a preview says, while something moves. @type {any} */
  preview = null;
  /** Values while a hand moves one of them. @type {Record<string, unknown> | null} */
  moving = null;
  /** @type {any} */
  state = null;
  fetching = false;
  /** Where XP is handed out. @type {ReturnType<typeof handOut> | null} */
  handing = null;
  /** What the server said last that is tried. */
  heard = "";
  timer = 0;
  sending = 0;

  constructor() {
    this.numbers = new Numbers((place, value, done) => this.turn({ [place]: value }, done), () => this.marks());
    this.tabs = new Tabs((anew) => this.look(anew));
    this.figure = new Figure(byId("figure"), byId("under"), (changes, done) => this.turn(changes, done));
    this.previews = new OneAtATime(
      (/** @type {any} */ asked) => post("preview", asked),
      (answer, asked) => this.take(answer, asked),
      (error) => this.refuse(error.message),
    );
    connect(this);
    listen((state) => this.hear(state), () => { byId("state").textContent = "The server has ended; nothing here is followed or kept any more."; });
  }

  // --- what is turned ---

  /** Values as the file has them, for all places that were turned. */
  unturned() {
    const values = { ...this.history.values };
    for (const place of Object.keys(values)) {
      const file = this.numbers.inFile(place);
      if (file === undefined) delete values[place];
      else values[place] = file;
    }
    return values;
  }

  /** @param {Record<string, unknown>} changes @param {boolean} done whether the hand has let go */
  turn(changes, done) {
    const values = { ...this.history.values, ...changes };
    if (done) this.history.push(values, (place) => this.numbers.inFile(place));
    this.moving = done ? null : values;
    this.show(values);
    if (!done) return;
    this.playSoon();
  }

  /** Values that the file does not have anyway. @param {Record<string, unknown>} values */
  asked(values) {
    return Object.fromEntries(Object.entries(values).filter(([place, value]) => this.numbers.inFile(place) !== value));
  }

  /** @param {Record<string, unknown>} values */
  step(values) {
    this.moving = null;
    this.show(values);
    this.playSoon();
  }

  /** Show at once what some values do; what is said of those before is pale until they are played. @param {Record<string, unknown>} values */
  show(values) {
    this.numbers.set(values);
    this.stale(true);
    if (this.tabs.tab !== HANDS) this.previews.ask({ values: this.asked(values), tab: this.tabs.tab });
  }

  /** @param {boolean} on */
  stale(on) {
    for (const id of ["goals", "findings", "goals-count", "findings-count"]) byId(id).classList.toggle("stale", on);
  }

  playSoon() {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => {
      this.timer = 0;
      this.previews.drop();  // The full run says more, and is not to wait.
      this.send("try", this.asked(this.history.values));
    }, WAIT);
    this.marks();
  }

  /** @param {string} path @param {unknown} body */
  async send(path, body) {
    this.sending += 1;
    try {
      await post(path, body);
    } catch (error) {
      this.refuse(/** @type {Error} */ (error).message);
    }
    this.sending -= 1;
    this.adopt();
    this.settle();
  }

  askName() {
    byId("variant-name").hidden = !byId("variant-name").hidden;
    if (!byId("variant-name").hidden) byId("variant-called").focus();
  }

  async writeVariant() {
    await this.send("variant", { name: /** @type {HTMLInputElement} */ (byId("variant-called")).value });
    byId("variant-name").hidden = true;
  }

  async bend() {
    const track = this.tabs.track;
    try {
      const cost = await post("points", { values: this.asked(this.history.values), track });
      this.turn({ [`tracks.${track}.cost`]: cost }, true);
    } catch (error) {
      this.refuse(/** @type {Error} */ (error).message);
    }
  }

  // --- what is shown ---

  /** A preview has come. @param {any} answer @param {any} asked */
  take(answer, asked) {
    if (asked.tab !== this.tabs.tab || this.shown === null) return;
    this.preview = { ...this.shown.now, ...answer };
    this.notice("");
    this.draw({ coarse: true });
  }

  /** @param {string} why */
  refuse(why) {
    this.notice(why);
  }

  /** @param {string} text */
  notice(text) {
    byId("notice").textContent = text;
  }

  /** What the server says. @param {any} state */
  async hear(state) {
    const before = this.state;
    this.state = state;
    byId("state").textContent = state.working ? "Playing in full …" : `Follows ${state.file} as it is saved.`;
    byId("working").hidden = !state.working;
    if (state.notice !== before?.notice) this.notice(state.notice);
    byId("errors").hidden = state.errors.length === 0;
    byId("errors").replaceChildren(...state.errors.map((/** @type {string} */ line) => element("li", {}, line)));
    showTuning(state.tuning);
    this.marks();
    if (this.fetching) return;
    this.fetching = true;
    while (this.state.version !== this.shown?.version) await this.fetch();
    this.fetching = false;
    this.adopt();
    this.settle();
  }

  /** Whether what is tried here is what the server has played and shows. */
  played() {
    const { state, shown } = this;
    if (state === null || shown === null || state.working || this.sending || this.timer || this.moving || state.version !== shown.version) return false;
    return JSON.stringify(sorted(this.asked(this.history.values))) === JSON.stringify(sorted(state.trial));
  }

  /** Where what is tried is what was played in full, show that: going back to it plays nothing. */
  settle() {
    this.marks();
    if (!this.played() || this.state.errors.length) return;
    this.stale(false);
    if (this.preview === null || this.tabs.tab === HANDS) return;
    this.preview = null;
    this.draw({});
  }

  /** Take over what another window, or a search, tries; once what the file says is known as well. */
  adopt() {
    const { state, shown } = this;
    if (state === null || shown === null || state.working || this.sending || this.moving || this.timer || state.version !== shown.version) return;
    const trial = JSON.stringify(sorted(state.trial));
    if (trial === this.heard) return;
    this.heard = trial;
    if (JSON.stringify(sorted(this.asked(this.history.values))) === trial) return;
    const values = { ...this.unturned(), ...state.trial };
    this.history.push(values, (place) => this.numbers.inFile(place));
    this.numbers.set(values);
    this.marks();
  }

  async fetch() {
    const anew = this.shown === null;
    this.shown = await get("shown");
    document.title = `${this.shown.title}: bench`;
    byId("title").textContent = this.shown.title;
    this.preview = null;
    this.tabs.offer(this.shown.now.players ? "" : `Nothing is played: ${this.shown.missing}`);
    const mine = anew ? this.state.trial : this.moving ?? this.history.values;
    this.numbers.show(this.shown.numbers, mine);
    if (anew && Object.keys(this.state.trial).length) this.history.push(this.state.trial, (place) => this.numbers.inFile(place));
    this.stale(false);
    showGoals(this.shown.goals);
    showFindings(this.shown.findings);
    this.marks();
    this.look(anew);
  }

  /** Look at a tab: what is known of it at once, and what is tried and not played yet by a preview. @param {boolean} anew */
  look(anew) {
    if (this.shown === null) return;
    if (this.tabs.tab === HANDS) {
      this.hands();
      return;
    }
    this.draw({ anew });
    if (!this.played()) this.previews.ask({ values: this.asked(this.history.values), tab: this.tabs.tab });
  }

  /** @param {{coarse?: boolean, anew?: boolean}} how */
  draw(how) {
    const now = how.coarse ? this.preview : this.shown.now;
    this.tabs.options(now, () => this.bend());
    const verdicts = new Map(this.shown.goals.map((/** @type {any} */ goal) => [`${goal.player}: ${goal.wish}`, goal.verdict]));
    const file = this.shown.file ?? (how.coarse ? this.shown.now : null);
    const spec = this.tabs.spec(now, file, verdicts, this.moving ?? this.history.values);
    this.figure.show(spec, how);
    showLegend(spec, file !== null);
    const players = now.players ? Object.values(now.players)[0] : 0;
    const size = !now.players || this.tabs.tab === "cost" ? "" : how.coarse ? `About so: ${plain(players)} players of each kind, at once. ` : `${plain(players)} players of each kind. `;
    const missing = this.shown.missing ? `Nothing is played: ${this.shown.missing}. ` : "";
    byId("told").textContent = `${missing}${size}${spec.note ?? ""}`;
    showTable(spec);
  }

  marks() {
    const state = this.state, tried = Object.keys(this.asked(this.history.values)).length;
    const set = (/** @type {string} */ id, /** @type {boolean} */ on) => { /** @type {HTMLButtonElement} */ (byId(id)).disabled = !on; };
    set("undo", this.history.canUndo);
    set("redo", this.history.canRedo);
    set("back", tried > 0);
    // What is kept is what has been played in full, and nothing that is still on its way there.
    const ready = tried > 0 && this.played() && state.errors.length === 0;
    set("keep", ready);
    set("variant", ready);
    byId("keep").textContent = `Keep in ${state?.file ?? "the file"}`;
    const ticked = this.numbers.ticked.length, going = typeof state?.tuning?.going === "string";
    set("tune", ticked > 0 && !going && (this.shown?.goals.length ?? 0) > 0);
    byId("tune").textContent = ticked ? `Tune ${ticked} ticked` : "Tune what is ticked";
  }

  async hands() {
    const { hands, version } = this.shown;
    byId("hands-none").hidden = hands !== null;
    byId("hands").hidden = hands === null;
    if (hands === null || byId("hands").dataset.version === String(version)) return;
    byId("hands").dataset.version = String(version);
    const game = await import(gameAddress(version));
    this.handing = handOut(byId("hands"), game, { ...hands, file: this.state.file }, this.handing);
  }
}

/** @param {Record<string, unknown>} values */
function sorted(values) {
  return Object.entries(values).sort(([one], [other]) => (one < other ? -1 : 1));
}

new Bench();
