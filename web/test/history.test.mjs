import assert from "node:assert/strict";
import { test } from "node:test";
import { History } from "../src/history.mjs";

const file = { a: 1, b: 2 };
const original = (place) => file[place];

test("steps are undone and redone, and a new one forgets what was undone", () => {
  const history = new History();
  history.push({ a: 5 }, original);
  history.push({ a: 5, b: 7 }, original);
  assert.deepEqual(history.undo(), { a: 5, b: 2 });
  assert.deepEqual(history.undo(), { a: 1, b: 2 });
  assert.deepEqual(history.undo(), { a: 1, b: 2 });
  assert.equal(history.canUndo, false);
  assert.deepEqual(history.redo(), { a: 5, b: 2 });
  history.push({ a: 6, b: 2 }, original);
  assert.equal(history.canRedo, false);
  assert.deepEqual(history.undo(), { a: 5, b: 2 });
});

test("a step that changes nothing is none, and a place that the file has no number at stays out of earlier steps", () => {
  const history = new History();
  history.push({ a: 5 }, original);
  history.push({ a: 5 }, original);
  history.push({ a: 5, "tracks.warden.cost": { points: [] } }, original);
  assert.deepEqual(history.undo(), { a: 5 });
  assert.deepEqual(history.undo(), { a: 1 });
  assert.equal(history.canUndo, false);
});
