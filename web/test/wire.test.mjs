import assert from "node:assert/strict";
import { test } from "node:test";
import { OneAtATime } from "../src/wire.mjs";

test("one question is under way, and of those that come meanwhile the last is asked", async () => {
  const asked = [], shown = [], answers = [];
  const one = new OneAtATime((question) => { asked.push(question); return new Promise((resolve) => answers.push(resolve)); }, (answer) => shown.push(answer), () => {});
  const all = [1, 2, 3, 4].map((question) => one.ask(question));
  assert.deepEqual(asked, [1]);
  answers[0]("first");
  await new Promise((resolve) => setTimeout(resolve));
  assert.deepEqual([asked, shown], [[1, 4], ["first"]]);
  answers[1]("last");
  await Promise.all(all);
  assert.deepEqual([asked, shown], [[1, 4], ["first", "last"]]);
});

test("the next question is on its way before an answer is shown", async () => {
  const done = [];
  const one = new OneAtATime(async (question) => { done.push(`asked ${question}`); await null; return question; }, (answer) => done.push(`shown ${answer}`), () => {});
  await Promise.all([one.ask(1), one.ask(2)]);
  assert.deepEqual(done, ["asked 1", "asked 2", "shown 1", "shown 2"]);
});

test("what is refused is told, and the next question is asked all the same", async () => {
  const told = [], shown = [];
  const one = new OneAtATime(async (question) => { if (question < 0) throw new Error("below 0"); return question; }, (answer) => shown.push(answer), (error, question) => told.push([error.message, question]));
  await Promise.all([one.ask(-1), one.ask(2)]);
  await one.ask(3);
  assert.deepEqual([told, shown], [[["below 0", -1]], [2, 3]]);
});
