import assert from "node:assert/strict";
import { test } from "node:test";
import { cost } from "../src/figures/cost.mjs";
import { days, income, time } from "../src/figures/others.mjs";
import { pace } from "../src/figures/pace.mjs";
import { commandOf, vectorOf } from "../src/hands.mjs";
import { csvOf } from "../src/saving.mjs";

const shown = {
  players: { wren: 4 },
  goals: [{ place: "goals[0].hours", kind: "hours", player: "wren", level: 3, value: 2, quantile: 0.5, tolerance: 0.1, words: "level 3 in 2 h" }],
  pace: [{ player: "wren", level: [1, 2, 3], reached: [1, 1, 0.25], hours_p10: [0, 1, 3], hours_p50: [0, 1.5, null], hours_p90: [0, 2, null], days_p10: [1, 1, 2], days_p50: [1, 2, null], days_p90: [1, 3, null] }],
  cost: { warden: { level: [1, 2], cost: [10, 30], way: "points", gives: "cost", points: [[1, 10], [2, 30]] }, skill: { level: [1, 2], cost: [5, 8], way: "values", gives: "cost", values: [5, 8] } },
  time: [{ player: "wren", level: [1, 2, 3], hours: [1.5, null, null] }],
  income: [{ player: "wren", level: [1, 2, 3], shares: { aphid: [0.75, 0.5, null], borer: [0.25, 0.5, null] } }],
  days: [{ player: "wren", players: 4, level: [1, 2, 3], days: 2, arrived: [[4, 4], [1, 4], [0, 1]] }],
};

test("pace has a line and a band a profile, and goals that move by hours", () => {
  const spec = pace({ now: shown, file: shown, by: "hours", verdicts: new Map([["wren: level 3 in 2 h", "missed"]]), tried: {} });
  assert.deepEqual(spec.lines.map((one) => [one.key, one.points.length, one.band?.length]), [["file-wren", 2, undefined], ["now-wren", 2, 2]]);
  const [goal] = spec.handles;
  assert.deepEqual([goal.x, goal.y, goal.tone, goal.change(2.5)], [2, 3, "missed", { "goals[0].hours": 2.5 }]);
  assert.deepEqual(spec.read(3), [["wren", "too few get there"]]);
  assert.match(spec.read(2)[0][1], /^1\.5 h \(1 – 2\)$/);
  assert.equal(spec.rows.length, 3);
  assert.equal(pace({ now: shown, file: null, by: "days", verdicts: new Map(), tried: {} }).handles.length, 0);
});

test("points and values of costs move, within a cost table that is tried, too", () => {
  const of = (track, tried = {}) => cost({ now: shown, file: null, track, log: false, tried }).handles;
  assert.deepEqual(of("warden")[1].change(40), { "tracks.warden.cost.points[1][1]": 40 });
  assert.deepEqual(of("skill")[0].change(6), { "tracks.skill.cost.values[0]": 6 });
  const table = { points: [[1, 10], [2, 30]], between: "smooth" };
  assert.deepEqual(of("warden", { "tracks.warden.cost": table })[0].change(12), { "tracks.warden.cost": { ...table, points: [[1, 12], [2, 30]] } });
  assert.deepEqual(cost({ now: shown, file: null, track: "warden", log: false, tried: {} }).rows, [[1, 10, 0], [2, 30, 10]]);
});

test("shares are stacked to one, and days count who is there by their end", () => {
  const spec = income({ now: shown, file: null, player: "wren" });
  assert.deepEqual(spec.areas.map((one) => one.points.at(-1)), [[2, 0, 0.5], [2, 0.5, 1]]);
  assert.deepEqual(days({ now: shown, file: null, day: 1 }).lines[0].points, [[1, 1], [2, 0.25], [3, 0]]);
  assert.deepEqual(days({ now: shown, file: null, day: 9 }).lines[0].points, [[1, 1], [2, 1], [3, 0.25]]);
  assert.deepEqual(time({ now: shown, file: null }).lines[0].points, [[1, 1.5]]);
});

test("a log is copied as a command and as a vector", () => {
  const log = [{ step: { award: 40 }, before: { level: 1, xp: 0, points: 0 } }, { step: { lose: 15 }, before: { level: 1, xp: 40, points: 0 } }, { step: { award: 900 }, before: { level: 1, xp: 25, points: 0 } }];
  assert.equal(commandOf(log, "my design.toml", 10), "ramulus award 'my design.toml' -- 4 -1.5 90");
  const vector = vectorOf(log, { level: 3, xp: 5, points: 2 });
  assert.deepEqual(vector.do, [{ award: 40 }, { lose: 15 }, { award: 900 }]);
  assert.deepEqual(vector.states.map((one) => one.level_ups), [0, 0, 0, 2]);
});

test("cells of a table are CSV that no spreadsheet runs", () => {
  assert.equal(csvOf(["name", "n"], [['a "b", c', 1.5], ["=1+1", null]]), 'name,n\r\n"a ""b"", c",1.5\r\n\'=1+1,\r\n');
});
