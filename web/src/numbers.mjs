// The left pane: what can be turned, each with its value, its file's value, a slider, a field, and a tick for tuning.
import { byId, element, plain, written } from "./text.mjs";

/** @typedef {{place: string, name: string, group: string, value: number, low: number, high: number, step: number, whole: boolean, constant: boolean}} Turnable */
/** @typedef {(place: string, value: number, done: boolean) => void} Turned */

const CONSTANTS = "constants";
const MOST_FOUND = 60;

export class Numbers {
  /** @type {Turnable[]} */
  #all = [];
  /** @type {Map<string, {row: HTMLElement, range: HTMLInputElement, field: HTMLInputElement, was: HTMLElement}>} */
  #rows = new Map();
  /** @type {Set<string>} */
  #ticked = new Set();
  #drawn = "";
  /** @type {Record<string, unknown>} */
  #tried = {};

  /** @param {Turned} turned @param {() => void} ticked */
  constructor(turned, ticked) {
    this.turned = turned;
    this.onTick = ticked;
    for (const [id, name] of [["search", "input"], ["group", "change"]]) byId(id).addEventListener(name, () => { this.#draw(); this.set(this.#tried); });
  }

  /** The places that are ticked for tuning, of those that there are. */
  get ticked() {
    return this.#all.map((one) => one.place).filter((place) => this.#ticked.has(place));
  }

  /** @param {Turnable[]} all @param {Record<string, unknown>} tried */
  show(all, tried) {
    this.#all = all;
    const group = /** @type {HTMLSelectElement} */ (byId("group")), before = group.value;
    const others = [...new Set(all.filter((one) => !one.constant).map((one) => one.group))];
    const names = [...(all.some((one) => one.constant) ? [CONSTANTS] : []), ...others];
    if (names.join("\n") !== [...group.options].map((one) => one.value).join("\n")) {
      group.replaceChildren(...names.map((name) => element("option", { value: name }, name)));
      group.value = names.includes(before) ? before : names[0];
    }
    this.#draw();
    this.set(tried);
  }

  /** The value that the file has at a place; undefined where it has no number there. @param {string} place */
  inFile(place) {
    return this.#all.find((one) => one.place === place)?.value;
  }

  /** Put the sliders where the values are; whoever is moving one has the newer value. @param {Record<string, unknown>} tried */
  set(tried) {
    this.#tried = tried;
    for (const one of this.#all) {
      const row = this.#rows.get(one.place);
      if (!row) continue;
      const value = typeof tried[one.place] === "number" ? Number(tried[one.place]) : one.value;
      if (!row.row.dataset.held) row.range.value = String(value);
      if (document.activeElement !== row.field) row.field.value = String(value);
      row.row.classList.toggle("tried", value !== one.value);
      row.was.textContent = value === one.value ? "as in the file" : `file: ${one.value}`;
    }
  }

  #found() {
    const words = /** @type {HTMLInputElement} */ (byId("search")).value.trim().toLowerCase().split(/\s+/).filter(Boolean);
    const group = /** @type {HTMLSelectElement} */ (byId("group")).value;
    if (words.length) return this.#all.filter((one) => words.every((word) => one.place.toLowerCase().includes(word)));
    return this.#all.filter((one) => (group === CONSTANTS ? one.constant : !one.constant && one.group === group));
  }

  #draw() {
    const found = this.#found(), shown = found.slice(0, MOST_FOUND);
    const drawn = JSON.stringify(shown);
    if (drawn === this.#drawn) return;
    this.#drawn = drawn;
    this.#rows.clear();
    const parts = [];
    let group = "";
    for (const one of shown) {
      if (one.group !== group) {
        group = one.group;
        parts.push(element("h3", { class: "group" }, one.constant ? `used in ${group}`.replace("used in read by", "read by") : group));
      }
      parts.push(this.#row(one));
    }
    if (!shown.length) parts.push(element("p", { class: "note" }, "No number's place has these words."));
    if (found.length > shown.length) parts.push(element("p", { class: "note" }, `${found.length - shown.length} more; search for them.`));
    byId("numbers").replaceChildren(...parts);
  }

  /** @param {Turnable} one */
  #row(one) {
    const id = `turn-${one.place}`;
    const range = element("input", { type: "range", min: String(one.low), max: String(one.high), step: String(one.step), id });
    const field = element("input", { type: "number", step: "any", "aria-label": `${one.place}, as a number` });
    const tick = element("input", { type: "checkbox", checked: this.#ticked.has(one.place), title: "tune this one", "aria-label": `tune ${one.place}` });
    const was = element("span", { class: "note" });
    const row = element("div", { class: "number-row" }, tick, element("label", { for: id, title: one.place }, one.name), field, range, was);
    row.dataset.place = one.place;
    range.setAttribute("aria-valuetext", plain(one.value));
    const turn = (/** @type {number} */ value, /** @type {boolean} */ done) => {
      if (!Number.isFinite(value)) return;
      range.setAttribute("aria-valuetext", plain(value));
      this.turned(one.place, written(value), done);
    };
    range.addEventListener("input", () => { row.dataset.held = "1"; field.value = String(written(range.valueAsNumber)); turn(range.valueAsNumber, false); });
    const letGo = () => {
      if (!row.dataset.held) return;
      delete row.dataset.held;
      turn(range.valueAsNumber, true);
    };
    // A slider that is let go where it was taken tells of no change, though it was elsewhere meanwhile.
    for (const name of ["change", "pointerup", "blur"]) range.addEventListener(name, letGo);
    field.addEventListener("change", () => turn(field.valueAsNumber, true));
    tick.addEventListener("change", () => {
      if (tick.checked) this.#ticked.add(one.place);
      else this.#ticked.delete(one.place);
      this.onTick();
    });
    this.#rows.set(one.place, { row, range, field, was });
    return row;
  }
}
