// What is said of a design beside its figures: goals with their verdicts, findings that come and go, and a search.
import { byId, element, plain } from "./text.mjs";

/** @typedef {{player: string, wish: string, found: string, verdict: string, before: string}} Goal */
/** @typedef {{severity: string, place: string, reason: string, way_out: string, code: string, change: string}} Finding */

/** @param {Goal[]} goals */
export function showGoals(goals) {
  byId("goals-count").textContent = goals.length ? counted(goals.map((one) => one.verdict)) : "none in this design";
  byId("goals").replaceChildren(...goals.map((one) => element("li", {},
    element("strong", { class: one.verdict }, one.verdict), ` ${one.player}: ${one.wish}`,
    element("span", { class: "note" }, ` ${one.found}${one.before === one.verdict ? "" : ` (file: ${one.before})`}`))));
}

/** @param {string[]} words @returns {string} */
function counted(words) {
  return ["missed", "open", "met"].map((word) => [word, words.filter((one) => one === word).length]).filter(([, count]) => count).map(([word, count]) => `${count} ${word}`).join(", ");
}

/** @param {Finding[]} findings */
export function showFindings(findings) {
  const here = findings.filter((one) => one.change !== "gone").length;
  byId("findings-count").textContent = here ? String(here) : "none";
  byId("findings").replaceChildren(...findings.map((one) => {
    const mark = { new: "comes: ", gone: "goes: " }[one.change] ?? "";
    const line = element("summary", {}, element("strong", { class: one.change === "gone" ? "gone" : one.severity }, `${mark}${one.severity}`), ` ${one.place}: ${one.reason}`);
    return element("li", {}, element("details", {}, line, element("p", { class: "note" }, `${one.reason} ${one.way_out} (${one.code})`)));
  }));
}

let told = "";

/** How far a search is, or what it found. @param {any} tuning */
export function showTuning(tuning) {
  if (JSON.stringify(tuning) === told) return;  // What was closed stays closed.
  told = JSON.stringify(tuning);
  const box = byId("tuned"), going = typeof tuning?.going === "string";
  byId("tune-stop").hidden = !going;
  box.hidden = !tuning;
  if (!tuning) return;
  if (going) box.replaceChildren(element("p", { role: "status" }, `Tuning, ${tuning.going}`));
  else if (tuning.stopped) box.replaceChildren(element("p", {}, "Tuning was stopped; nothing was changed."));
  else if (tuning.refused) box.replaceChildren(element("p", {}, `Nothing was tuned: ${tuning.refused}`));
  else {
    const close = element("button", { type: "button", class: "close", onclick: () => { box.hidden = true; } }, "Close");
    box.replaceChildren(close, element("p", {}, element("strong", {}, "Tuned:"), " these are tried now, and not kept yet."), ...tuned(tuning));
  }
}

/** @param {any} tuning @returns {Node[]} */
function tuned(tuning) {
  const values = tuning.values.map((/** @type {any} */ one) => {
    const ends = one.low === null ? "" : ` (95 %: ${plain(one.low)} – ${plain(one.high)})`;
    return element("li", {}, `${one.name.replace("constants.", "")}: ${one.before} → ${one.after}${ends}${one.determined ? "" : ", not pinned down"}`);
  });
  const goals = tuning.goals.map((/** @type {any} */ one) => element("li", {}, `${one.player}, ${one.goal}: `, element("span", { class: one.verdict_before }, one.verdict_before), " → ", element("strong", { class: one.verdict }, one.verdict)));
  const notes = tuning.notes.map((/** @type {string} */ note) => element("li", { class: "note" }, note));
  return [element("ul", {}, ...values, ...goals, ...notes)];
}
