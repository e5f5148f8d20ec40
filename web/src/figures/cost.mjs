// What does a level cost? Costs by level; points and values can be dragged.
import { pairs, roomFor } from "../spec.mjs";
import { plain } from "../text.mjs";

/** @typedef {import("../spec.mjs").Spec} Spec */
/** @typedef {{level: number[], cost: number[], way: string, gives?: string, points?: [number, number][], values?: number[]}} Costs */

/**
 * @param {{now: any, file: any, track: string, log: boolean, tried: Record<string, unknown>}} shown
 * @returns {Spec}
 */
export function cost({ now, file, track, log, tried }) {
  const costs = /** @type {Costs} */ (now.cost[track]), files = /** @type {Costs | undefined} */ (file?.cost[track]);
  const handles = handlesOf(costs, track, tried);
  const all = [...costs.cost, ...(files?.cost ?? []), ...handles.map((one) => one.y)];
  const least = Math.min(...all.filter((one) => one > 0));
  const lines = [{ key: "now", label: track, color: 0, points: pairs(costs.level, costs.cost) }];
  return {
    title: `What a level of ${track} costs`,
    x: { label: `level of ${track}`, domain: [costs.level[0], roomFor([costs.level.at(-1) ?? 1], 1)] },
    y: { label: "XP to the next level", domain: [log ? least / 1.3 : 0, log ? Math.max(...all) * 1.3 : roomFor(all, 1)], log },
    along: "x",
    lines: files ? [{ ...lines[0], key: "file", points: pairs(files.level, files.cost), pale: true }, ...lines] : lines,
    handles,
    heads: ["level", "cost", "total", ...(files ? ["cost in the file"] : [])],
    rows: tableOf(costs, files),
    read: (level) => readCost(costs, files, Math.round(level)),
    note: handles.length ? "Drag a point up or down, or move it by arrow keys." : "",
  };
}

/** @param {Costs} costs @param {Costs | undefined} files @returns {(number | null)[][]} */
function tableOf(costs, files) {
  let total = 0;
  return costs.level.map((level, at) => {
    const row = [level, costs.cost[at], total, ...(files ? [files.cost[files.level.indexOf(level)] ?? null] : [])];
    total += costs.cost[at];
    return row;
  });
}

/** @param {Costs} costs @param {Costs | undefined} files @param {number} level @returns {[string, string][]} */
function readCost(costs, files, level) {
  const at = costs.level.indexOf(level);
  if (at < 0) return [];
  const before = files ? files.cost[files.level.indexOf(level)] : undefined;
  const growth = at > 0 ? [/** @type {[string, string]} */ (["times the level before", (costs.cost[at] / costs.cost[at - 1]).toFixed(3)])] : [];
  return [["costs", `${plain(costs.cost[at])} XP`], ...(before === undefined || before === costs.cost[at] ? [] : [/** @type {[string, string]} */ (["in the file", `${plain(before)} XP`])]), ...growth];
}

/** @param {Costs} costs @param {string} track @param {Record<string, unknown>} tried @returns {import("../spec.mjs").Handle[]} */
function handlesOf(costs, track, tried) {
  const at = `tracks.${track}.cost`, table = /** @type {Record<string, any> | undefined} */ (tried[at]);
  const stated = costs.points ?? costs.values?.map((value, index) => /** @type {[number, number]} */ ([costs.level[0] + index, value]));
  if (!stated || costs.gives !== "cost") return [];
  const key = costs.points ? "points" : "values";
  const inside = (/** @type {number} */ level) => level >= costs.level[0] && level <= (costs.level.at(-1) ?? level);
  return stated.map(([level, value], index) => /** @type {import("../spec.mjs").Handle} */ ({
    key: `${key}-${level}`, label: `cost of level ${level}`, x: level, y: value, moves: "y", value, whole: Number.isInteger(value), least: 1, unit: "XP",
    step: Math.max(Math.round(value / 50), 1),
    change: (to) => {
      if (!table) return { [`${at}.${key}[${index}]${key === "points" ? "[1]" : ""}`]: to };
      const moved = stated.map(([each, was]) => [each, each === level ? to : was]);
      return { [at]: { ...table, [key]: key === "points" ? moved : moved.map((pair) => pair[1]) } };
    },
  })).filter((one) => inside(one.x));
}
