// Awards, the bar, a save, and a save of an older design: node play.mjs
import { Leveling, awardFor } from "./leveling.mjs";

let warden = new Leveling();

function show() {
  const full = Math.round(20 * warden.progress);
  console.log(`[${"#".repeat(full)}${".".repeat(20 - full)}] ${warden.label}`);
}

show();
for (const units of [40, 400, awardFor("bark_borer", 7, 34, true, { on: ["blossom week"] })]) {
  const change = warden.award(units);
  console.log(`+${units} XP, ${change.levelAfter - change.levelBefore} levels, ${change.points} points`);
  show();
}
warden.buy("keen_edge");
console.log(`shear ${warden.stat("shear").toFixed(2)}`);
const text = JSON.stringify(warden.save());
warden = Leveling.load(JSON.parse(text));
show();

// When levels cost more: the level stays, and XP that would pay for it now is held below its cost.
const older = { ...JSON.parse(text), rules: "older", level: 9, peak_level: 9, xp: 700 };
warden = Leveling.load(older);
show();
