// How fast? Levels over played hours, or over days, with the goals that can be moved.
import { pairs, roomFor } from "../spec.mjs";
import { plain } from "../text.mjs";

/** @typedef {import("../spec.mjs").Spec} Spec */
/** @typedef {{player: string, level: number[], reached: (number|null)[], [column: string]: any}} OfProfile */
/** @typedef {{place: string, kind: string, player: string, level: number, value: number, quantile: number, words: string}} Goal */

const TIMES = {
  hours: { label: "played hours", unit: "h", kind: "hours" },
  days: { label: "days since they came", unit: "", kind: "days" },
};

/**
 * @param {{now: any, file: any, by: "hours" | "days", verdicts: Map<string, string>, tried: Record<string, unknown>}} shown
 * @returns {Spec}
 */
export function pace({ now, file, by, verdicts, tried }) {
  const time = TIMES[by], profiles = /** @type {OfProfile[]} */ (now.pace);
  const lines = profiles.map((one, color) => lineOf(one, color, by, false));
  if (file) lines.unshift(...file.pace.map((/** @type {OfProfile} */ one, /** @type {number} */ color) => lineOf(one, color, by, true)));
  const goals = now.goals.filter((/** @type {Goal} */ goal) => goal.kind === time.kind);
  const players = profiles.map((one) => one.player);
  const handles = goals.map((/** @type {Goal} */ goal) => handleOf(goal, time, verdicts, tried));
  const levels = profiles[0]?.level ?? [0, 1];
  const times = lines.flatMap((line) => [...line.points.map((point) => point[0]), ...(line.band ?? []).map((point) => point[2])]);
  return {
    title: `How fast ${players.join(", ")} level`,
    x: { label: time.label, domain: [0, roomFor([...times, ...handles.map((/** @type {any} */ one) => one.x)], 1)] },
    y: { label: "level", domain: [levels[0], roomFor(levels, 1)] },
    along: "y",
    lines, handles,
    heads: ["player", "level", "reached", ...["p10", "p50", "p90"].map((q) => `${time.label} ${q}`)],
    rows: profiles.flatMap((one) => one.level.map((level, at) => [one.player, level, one.reached[at], ...["p10", "p50", "p90"].map((q) => one[`${by}_${q}`][at])])),
    read: (level) => profiles.map((one) => {
      const at = one.level.indexOf(Math.round(level));
      const told = at < 0 ? null : one[`${by}_p50`][at];
      const spread = at < 0 || one[`${by}_p90`][at] === null ? "" : ` (${plain(one[`${by}_p10`][at])} – ${plain(one[`${by}_p90`][at])})`;
      return [one.player, told === null ? "too few get there" : `${by === "days" ? "day " : ""}${plain(told)} ${time.unit}${spread}`];
    }),
    note: `Line: the median player; band: the fast and the slow tenth.${handles.length ? " A diamond is a goal: drag it, or move it by arrow keys." : ""}`,
  };
}

/** @param {OfProfile} one @param {number} color @param {string} by @param {boolean} pale @returns {import("../spec.mjs").Line} */
function lineOf(one, color, by, pale) {
  const [fast, middle, slow] = ["p10", "p50", "p90"].map((q) => /** @type {(number|null)[]} */ (one[`${by}_${q}`]));
  /** @type {[number, number, number][]} */
  const band = [];
  one.level.forEach((level, at) => {
    if (fast[at] !== null && slow[at] !== null) band.push([level, /** @type {number} */ (fast[at]), /** @type {number} */ (slow[at])]);
  });
  return { key: `${pale ? "file" : "now"}-${one.player}`, label: one.player, color, points: pairs(middle, one.level), pale, ...(pale ? {} : { band }) };
}

/** @param {Goal} goal @param {{unit: string, kind: string}} time @param {Map<string, string>} verdicts @param {Record<string, unknown>} tried @returns {import("../spec.mjs").Handle} */
function handleOf(goal, time, verdicts, tried) {
  const value = typeof tried[goal.place] === "number" ? Number(tried[goal.place]) : goal.value;
  const whole = goal.kind === "days";
  return {
    key: goal.place, label: `goal: ${goal.player}, ${goal.words}`, x: value, y: goal.level, moves: "x", value, whole,
    step: whole ? 1 : Math.max(Number((value / 50).toPrecision(1)), 0.01), least: whole ? 1 : 0.01, unit: time.unit,
    tone: verdicts.get(`${goal.player}: ${goal.words}`) ?? "open",
    change: (to) => ({ [goal.place]: to }),
  };
}
