// Where time goes, what players live on, and who is where on a day.
import { pairs, roomFor } from "../spec.mjs";
import { percent, plain } from "../text.mjs";

/** @typedef {import("../spec.mjs").Spec} Spec */
/** @typedef {{player: string, level: number[], hours: (number|null)[]}} InLevel */
/** @typedef {{player: string, level: number[], shares: Record<string, (number|null)[]>}} Income */
/** @typedef {{player: string, players: number, level: number[], days: number, arrived: number[][], cut?: boolean}} ByDay */

/** Where does time go? Median hours in each level. @param {{now: any, file: any}} shown @returns {Spec} */
export function time({ now, file }) {
  const profiles = /** @type {InLevel[]} */ (now.time);
  const line = (/** @type {InLevel} */ one, /** @type {number} */ color, pale = false) => /** @type {import("../spec.mjs").Line} */ ({
    key: `${pale ? "file" : "now"}-${one.player}`, label: one.player, color, pale, points: pairs(one.level, one.hours),
  });
  const lines = [...(file?.time ?? []).map((/** @type {InLevel} */ one, /** @type {number} */ color) => line(one, color, true)), ...profiles.map((one, color) => line(one, color))];
  const levels = profiles[0]?.level ?? [0, 1];
  return {
    title: "Hours in each level",
    x: { label: "level", domain: [levels[0], roomFor(levels, 1)] },
    y: { label: "median played hours in the level", domain: [0, roomFor(lines.flatMap((/** @type {import("../spec.mjs").Line} */ one) => one.points.map((point) => point[1])), 0.01)] },
    along: "x", lines,
    heads: ["player", "level", "hours in level p50"],
    rows: profiles.flatMap((one) => one.level.map((level, at) => [one.player, level, one.hours[at]])),
    read: (level) => profiles.map((one) => [one.player, `${plain(one.hours[one.level.indexOf(Math.round(level))])} h`]),
  };
}

/** What do they live on? Shares of a level's XP by source. @param {{now: any, file: any, player: string}} shown @returns {Spec} */
export function income({ now, file, player }) {
  const one = /** @type {Income} */ (now.income.find((/** @type {Income} */ each) => each.player === player) ?? now.income[0]);
  const files = /** @type {Income | undefined} */ (file?.income.find((/** @type {Income} */ each) => each.player === one.player));
  const names = Object.keys(one.shares);
  const stacked = stack(one);
  const edges = files ? stack(files).slice(0, -1) : [];
  return {
    title: `What ${one.player} lives on`,
    x: { label: "level", domain: [one.level[0], one.level.at(-1) ?? 1] },
    y: { label: "share of the level's XP", domain: [0, 1], percent: true },
    along: "x",
    areas: names.map((name, color) => ({ key: name, label: name, color, points: stacked[color] })),
    lines: edges.map((points, color) => ({ key: `file-${color}`, label: "", color, pale: true, points: points.map(([x, , upper]) => /** @type {[number, number]} */ ([x, upper])) })),
    heads: ["level", ...names],
    rows: one.level.map((level, at) => [level, ...names.map((name) => one.shares[name][at])]),
    read: (level) => {
      const at = one.level.indexOf(Math.round(level));
      return names.filter((name) => (one.shares[name][at] ?? 0) >= 0.005).reverse().map((name) => [name, percent(one.shares[name][at] ?? 0)]);
    },
  };
}

/** @param {Income} one @returns {[number, number, number][][]} */
function stack(one) {
  const low = one.level.map(() => 0);
  return Object.values(one.shares).map((share) => {
    /** @type {[number, number, number][]} */
    const points = [];
    one.level.forEach((level, at) => {
      const part = share[at];
      if (part === null || part === undefined) return;
      points.push([level, low[at], low[at] + part]);
      low[at] += part;
    });
    return points;
  });
}

/** Who is where on a day? The share of players who have reached each level by its end. @param {{now: any, file: any, day: number}} shown @returns {Spec} */
export function days({ now, file, day }) {
  const profiles = /** @type {ByDay[]} */ (now.days);
  const line = (/** @type {ByDay} */ one, /** @type {number} */ color, pale = false) => ({
    key: `${pale ? "file" : "now"}-${one.player}`, label: one.player, color, pale, points: /** @type {[number, number][]} */ (one.level.map((level, at) => [level, shareOn(one, at, day)])),
  });
  const lines = [...(file?.days ?? []).map((/** @type {ByDay} */ one, /** @type {number} */ color) => line(one, color, true)), ...profiles.map((one, color) => line(one, color))];
  const levels = profiles[0]?.level ?? [0, 1];
  return {
    title: `Who is where at the end of day ${day}`,
    x: { label: "level", domain: [levels[0], levels.at(-1) ?? 1] },
    y: { label: "share of players at this level or above", domain: [0, 1], percent: true },
    along: "x", lines,
    heads: ["player", "level", `share there by day ${day}`],
    rows: profiles.flatMap((one) => one.level.map((level, at) => [one.player, level, shareOn(one, at, day)])),
    read: (level) => profiles.map((one) => [one.player, percent(shareOn(one, one.level.indexOf(Math.round(level)), day))]),
    note: profiles.length ? `Days of the calendar${profiles.some((one) => one.cut) ? ", the first of them" : ""}; who has not come yet stands nowhere, and who would have quit plays on.` : "No profile has a schedule of days.",
  };
}

/** @param {ByDay} one @param {number} at @param {number} day */
function shareOn(one, at, day) {
  if (at < 0) return Number.NaN;
  return (one.arrived[at][Math.min(day, one.days) - 1] ?? 0) / one.players;
}
