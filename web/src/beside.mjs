// What stands beside a figure: what its colours are, and the numbers behind it.
import { byId, element, plain } from "./text.mjs";

/** @typedef {import("./spec.mjs").Spec} Spec */

/** @param {Spec} spec @param {boolean} beside whether the file's stands beside what is tried */
export function showLegend(spec, beside) {
  const shown = [...(spec.areas ?? []), ...spec.lines.filter((one) => !one.pale)], key = JSON.stringify([beside, shown.map((one) => [one.label, one.color])]);
  if (byId("legend").dataset.key === key) return;
  byId("legend").dataset.key = key;
  const entries = shown.map((one) => {
    const swatch = element("span", { class: "swatch" });
    swatch.style.background = `var(--accent-${one.color % 8})`;
    return element("li", {}, swatch, one.label);
  });
  if (beside) entries.push(element("li", {}, element("span", { class: "swatch pale" }), "the file's"));
  byId("legend").replaceChildren(...entries);
}

/** Fill the table behind a figure, where it is open. @param {Spec | null} spec */
export function showTable(spec) {
  if (spec === null || !(/** @type {HTMLDetailsElement} */ (byId("behind")).open)) return;
  const cell = (/** @type {string | number | null} */ one) => element("td", { class: typeof one === "string" ? "" : "number" }, typeof one === "string" ? one : plain(one));
  const head = element("tr", {}, ...spec.heads.map((one) => element("th", { scope: "col" }, one)));
  const rows = spec.rows.map((row) => element("tr", {}, ...row.map(cell)));
  byId("rows").replaceChildren(element("table", {}, element("thead", {}, head), element("tbody", {}, ...rows)));
}
