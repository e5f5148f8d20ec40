// A multiplier that goes by bands: its factor over what it looks at; borders move sideways, factors up and down.
import { roomFor } from "../spec.mjs";
import { plain } from "../text.mjs";

/** @typedef {import("../spec.mjs").Spec} Spec */
/** @typedef {{name: string, place: string, against: string, bands: [number, number][]}} Bands */

/** @param {{now: any, file: any, name: string}} shown @returns {Spec} */
export function bands({ now, file, name }) {
  const rule = /** @type {Bands} */ (now.bands.find((/** @type {Bands} */ one) => one.name === name));
  const files = /** @type {Bands | undefined} */ (file?.bands.find((/** @type {Bands} */ one) => one.name === name));
  const end = roomFor([...rule.bands, ...(files?.bands ?? [])].map((band) => band[0]), 0) * 1.15;
  const start = Math.min(0, ...rule.bands.map((band) => band[0]));
  const most = roomFor([...rule.bands, ...(files?.bands ?? [])].map((band) => band[1]), 1) * 1.06;
  const line = (/** @type {Bands} */ of, pale = false) => /** @type {import("../spec.mjs").Line} */ ({ key: pale ? "file" : "now", label: name, color: 0, pale, points: steps(of, start, end) });
  return {
    title: `What ${name} multiplies by`,
    x: { label: rule.against, domain: [start, end] },
    y: { label: "factor", domain: [0, most] },
    along: "x",
    lines: files ? [line(files, true), line(rule)] : [line(rule)],
    handles: rule.bands.flatMap((band, index) => [border(rule, index), factor(rule, index, start)]),
    heads: [`${rule.against}, up to`, "factor"],
    rows: [...rule.bands, ["beyond", 1]],
    read: (at) => [[`${rule.against} ${plain(at)}`, `×${plain(rule.bands.find((band) => at <= band[0])?.[1] ?? 1)}`]],
    fine: true,
    note: "Diamonds are the ends of bands, circles their factors; past the last band the factor is 1.",
  };
}

/** The factor as a step function. @param {Bands} rule @param {number} start @param {number} end @returns {[number, number][]} */
function steps(rule, start, end) {
  const ends = [start, ...rule.bands.map((band) => band[0]), end], factors = [...rule.bands.map((band) => band[1]), 1];
  return factors.flatMap((factor, at) => /** @type {[number, number][]} */ ([[ends[at], factor], [ends[at + 1], factor]]));
}

/** @param {Bands} rule @param {number} index @returns {import("../spec.mjs").Handle} */
function border(rule, index) {
  const [value, height] = rule.bands[index], next = rule.bands[index + 1]?.[1] ?? 1;
  return { key: `border-${index}`, label: `end of band ${index + 1}`, x: value, y: (height + next) / 2, moves: "x", value, whole: false, least: -Infinity, step: stepOf(value), change: (to) => ({ [`${rule.place}[${index}][0]`]: to }) };
}

/** @param {Bands} rule @param {number} index @param {number} start @returns {import("../spec.mjs").Handle} */
function factor(rule, index, start) {
  const [upTo, value] = rule.bands[index], from = index > 0 ? rule.bands[index - 1][0] : start;
  return { key: `factor-${index}`, label: `factor of band ${index + 1}`, x: (from + upTo) / 2, y: value, moves: "y", value, whole: false, least: 0, unit: "times", step: stepOf(value), change: (to) => ({ [`${rule.place}[${index}][1]`]: to }) };
}

/** @param {number} value */
const stepOf = (value) => Math.max(Number((Math.abs(value) / 50).toPrecision(1)), 0.01);
