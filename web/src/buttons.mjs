// What the buttons of the bench do, and the keys that do the same.
import { showTable } from "./beside.mjs";
import { saveCsv, savePng, saveSvg } from "./saving.mjs";
import { byId } from "./text.mjs";
import { reportAddress } from "./wire.mjs";

const figure = () => /** @type {SVGSVGElement} */ (byId("figure").querySelector("svg"));

/** @param {import("./main.mjs").Bench} bench */
export function connect(bench) {
  const press = (/** @type {string} */ id, /** @type {() => unknown} */ act) => byId(id).addEventListener("click", () => act());
  press("undo", () => bench.step(bench.history.undo()));
  press("redo", () => bench.step(bench.history.redo()));
  press("keep", () => bench.send("keep", {}));
  press("back", () => { bench.history.push(bench.unturned(), (place) => bench.numbers.inFile(place)); bench.step(bench.history.values); });
  press("variant", () => bench.askName());
  press("variant-write", () => bench.writeVariant());
  press("tune", () => bench.send("tune", { names: bench.numbers.ticked }));
  press("tune-stop", () => bench.send("tune/stop", {}));
  press("zoom-in", () => bench.figure.zoomBy(1.5));
  press("zoom-out", () => bench.figure.zoomBy(1 / 1.5));
  press("zoom-all", () => bench.figure.reset());
  press("save-png", () => savePng(figure(), bench.tabs.tab));
  press("save-svg", () => saveSvg(figure(), bench.tabs.tab));
  press("save-csv", () => { const spec = bench.figure.spec; if (spec) saveCsv(spec.heads, spec.rows, bench.tabs.tab); });
  byId("behind").addEventListener("toggle", () => showTable(bench.figure.spec));
  /** @type {HTMLAnchorElement} */ (byId("report")).href = reportAddress();
  document.addEventListener("keydown", (event) => key(bench, event));
}

/** Undo and redo by keys, but for where text is written. @param {import("./main.mjs").Bench} bench @param {KeyboardEvent} event */
function key(bench, event) {
  const writes = /** @type {HTMLElement} */ (event.target).matches("input[type=number], input[type=search], input[type=text], textarea");
  if (!(event.ctrlKey || event.metaKey) || writes) return;
  const key = event.key.toLowerCase();
  if (key === "z") bench.step(event.shiftKey ? bench.history.redo() : bench.history.undo());
  else if (key === "y") bench.step(bench.history.redo());
  else return;
  event.preventDefault();
}
