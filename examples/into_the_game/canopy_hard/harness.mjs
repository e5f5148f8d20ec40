// Answers runs of awards with leveling.mjs: `ramulus conform FILE -- node harness.mjs`. Put your own game's calls in their place.
import { createInterface } from "node:readline";
import * as game from "./leveling.mjs";

const state = ({ level, xp, points, wasted }) => ({ level, xp, points, wasted });

function answer({ id, track, do: steps }) {
  let ledger = new game.Leveling(track);
  const states = [state(ledger)];
  for (const step of steps) {
    let award;
    if ("award" in step) ledger.award(step.award);
    else if ("lose" in step) ledger.lose(step.lose);
    else if ("reload" in step) ledger = game.Leveling.load(JSON.parse(JSON.stringify(ledger.save())));
    else {
      const { encounter, xp, success } = step;
      const told = { ...step, skillLevel: step.skill_level, leaderLevel: step.leader_level, partySize: step.party_size };
      award = game.awardFor(encounter, ledger.level, xp, success === 1, told);
      ledger.award(award);
    }
    states.push({ ...state(ledger), award });
  }
  return { id, design: game.DESIGN, states };
}

for await (const line of createInterface({ input: process.stdin })) console.log(JSON.stringify(answer(JSON.parse(line))));
