// Canopy Wardens: levels, XP and awards as designed.
//
//   const ledger = new Leveling();             // the track warden; new Leveling("grafting") for another
//   const change = ledger.award(120);          // in units of XP; change.levelAfter - change.levelBefore levels gained
//   bar.textContent = ledger.label;            // and ledger.progress, 0 to 1
//   const data = ledger.save();                // plain data, for JSON; Leveling.load(data) goes on from it
//
// Written by Ramulus 0.1.0 from design 1efc73540feba32a; it is yours to read and change. A retune changes the tables at the end only.

const MOST = Number.MAX_SAFE_INTEGER; // The largest whole number that every language counts exactly.

/** The level, XP and points of one character on one track; XP is in units. */
export class Leveling {
  constructor(track = "warden") {
    const table = tableOf(track);
    this.track = track;
    this.level = this.peakLevel = table.startLevel;
    this.xp = this.baseline = table.startUnits;
    this.points = table.startPoints;
    this.earned = this.lost = this.wasted = 0;
    this.ranks = {};
  }

  /** Book an award, already multiplied and rounded. One that cannot be counted throws a RangeError, and nothing changes. */
  award(units) {
    if (!isCount(units) || this.baseline + this.earned + units > MOST) {
      throw new RangeError(`an award of ${units}; allowed: whole units from 0 to ${MOST} in all`);
    }
    const levelBefore = this.level;
    this.earned += units;
    const [wasted, points] = this.#book(units);
    return { levelBefore, levelAfter: this.level, amount: units, wasted, points };
  }

  /** Add XP and go up as far as it carries; return what is wasted and the points granted. */
  #book(units) {
    const table = TRACKS[this.track];
    let wasted = 0;
    this.xp += units;
    while (this.level < maxLevel(table) && this.xp >= threshold(table, this.level)) {
      const excess = this.xp - table.costs[this.level - table.startLevel];
      this.level += 1;
      this.xp = excess;
    }
    if (this.level === maxLevel(table)) {
      const held = heldAtCap(table, this.xp);
      wasted += this.xp - held;
      this.xp = held;
    }
    this.wasted += wasted;
    return [wasted, this.#grant()];
  }

  /** Grant the points of levels that are reached for the first time. */
  #grant() {
    if (this.level <= this.peakLevel) return 0;
    const { granted, startLevel } = TRACKS[this.track];
    const points = granted[this.level - startLevel] - granted[this.peakLevel - startLevel];
    this.peakLevel = this.level;
    this.points += points;
    return points;
  }

  /** Take XP away; what is not there is forgiven, and points stay. What is no amount throws a RangeError. */
  lose(units) {
    if (!isCount(units)) throw new RangeError(`a loss of ${units}; allowed: whole units from 0 to ${MOST}`);
    const levelBefore = this.level;
    let taken = Math.min(units, this.xp);
    this.xp -= taken;
    this.lost += taken;
    return { levelBefore, levelAfter: this.level, amount: taken, wasted: 0, points: 0 };
  }

  /** The bar, 0 to 1. */
  get progress() {
    const table = TRACKS[this.track];
    if (this.level < maxLevel(table)) return Math.min(this.xp / table.costs[this.level - table.startLevel], 1);
    return table.atCap === "discard" ? 1 : Math.min(this.xp / table.costs.at(-1), 1);
  }

  /** The bar's text. */
  get label() {
    const table = TRACKS[this.track];
    const xp = textOf(this.xp, table.scale);
    if (this.level < maxLevel(table)) {
      const cost = table.costs[this.level - table.startLevel];
      const waits = this.xp > cost ? ` (${textOf(this.xp - cost, table.scale)} waiting)` : "";
      return `Level ${this.level} · ${xp} / ${textOf(cost, table.scale)}${waits}`;
    }
    const ends = { discard: "", fill: ` · ${xp} / ${textOf(table.costs.at(-1), table.scale)}`, bank: ` · ${xp} banked` };
    return `Level ${this.level} · cap${ends[table.atCap]}`;
  }

  /** Buy a rank with points; false where there are too few, or no rank is left. */
  buy(upgrade) {
    const { price, effects } = UPGRADES[upgrade];
    const rank = this.ranks[upgrade] ?? 0;
    if (rank + 1 >= effects.length || this.points < price) return false;
    this.points -= price;
    this.ranks[upgrade] = rank + 1;
    return true;
  }

  /** A stat of this track, at this level with the ranks bought. */
  stat(name) {
    return stat(name, this.level, this.ranks);
  }

  /** The part of an award that does not lift this one past its leader; `plain` is what it would be alone. */
  heldBelow(leader, award, plain) {
    if (award <= plain || !this.#passes(award, leader)) return award;
    if (this.#passes(plain, leader)) return plain;
    const { scale } = TRACKS[this.track];
    const step = award % scale === 0 && plain % scale === 0 ? scale : 1;
    let low = Math.floor(plain / step);
    let high = Math.floor(award / step);
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2);
      if (this.#passes(middle * step, leader)) high = middle;
      else low = middle;
    }
    return low * step;
  }

  #passes(units, leader) {
    const after = Object.assign(new Leveling(this.track), this);
    after.#book(units);
    return after.level > leader.level || (after.level === leader.level && after.xp > leader.xp);
  }

  /** The state as plain data, in XP. */
  save() {
    const { rules, scale } = TRACKS[this.track];
    return {
      format: 1, track: this.track, rules, level: this.level, peak_level: this.peakLevel, xp: this.xp / scale, points: this.points,
      earned: this.earned / scale, lost: this.lost / scale, wasted: this.wasted / scale, baseline: this.baseline / scale, ranks: { ...this.ranks },
    };
  }

  /**
   * Go on from `save`, also of an older design. What no design can hold throws a RangeError, with the reason.
   * keep: "level" keeps level and XP, "total_xp" reads the level off all XP; it never falls unless `fall`.
   * excess: XP that would pay for the level now is held below its cost ("hold") or awarded ("award").
   */
  static load(data, { keep = "level", excess = "hold", fall = false } = {}) {
    if (typeof data !== "object" || data === null) throw new RangeError("a damaged save");
    const found = new Leveling(data.track);
    const { startLevel, scale } = TRACKS[data.track];
    const [xp, earned, lost, wasted, baseline] = ["xp", "earned", "lost", "wasted", "baseline"].map((name) => unitsOf(data, name, scale));
    const { level, peak_level: peak, points } = data;
    if (!isCount(level) || !isCount(peak) || peak < level) throw new RangeError(`a damaged save: level ${level}, highest level ${peak}`);
    if (typeof points !== "number" || !(points >= 0 && points <= MOST)) throw new RangeError(`a damaged save: ${points} points`);
    if (!["level", "total_xp"].includes(keep) || !["hold", "award"].includes(excess)) {
      throw new RangeError(`keep ${keep}, excess ${excess}; allowed: level or total_xp, hold or award`);
    }
    if (baseline + earned > MOST) throw new RangeError(`a damaged save: more than ${MOST} units of XP`);
    for (const [name, rank] of Object.entries(data.ranks ?? {})) {
      if (!isCount(rank)) throw new RangeError(`a damaged save: rank ${rank} of ${name}`);
      if (Object.hasOwn(UPGRADES, name)) found.ranks[name] = Math.min(rank, UPGRADES[name].effects.length - 1);
    }
    const cap = maxLevel(TRACKS[data.track]);
    Object.assign(found, { earned, lost, wasted, points, level: Math.min(Math.max(level, startLevel), cap) });
    found.peakLevel = Math.min(Math.max(peak, found.level), cap);
    found.#place(xp, baseline + earned - lost - wasted, keep === "total_xp", excess === "award", fall);
    return found;
  }

  #place(inLevel, total, byTotal, award, fall) {
    const table = TRACKS[this.track];
    const kept = this.level;
    let xp = inLevel;
    if (byTotal) {
      this.level = table.startLevel;
      xp = Math.max(total, 0);
      while (this.level < maxLevel(table) && xp >= threshold(table, this.level)) {
        xp -= table.costs[this.level - table.startLevel];
        this.level += 1;
      }
      if (this.level < kept && !fall) [this.level, xp] = [kept, 0];
    }
    if (this.level === maxLevel(table)) xp = heldAtCap(table, xp);
    else if (xp >= threshold(table, this.level) && !award) xp = threshold(table, this.level) - 1;
    this.xp = xp;
    this.#grant();
    if (award) this.#book(0);
    // Everything earned stays accounted for: what this design does not count is wasted.
    const paid = table.costs.slice(0, this.level - table.startLevel).reduce((sum, cost) => sum + cost, 0);
    this.baseline = paid + this.xp + this.wasted + this.lost - this.earned;
    if (this.baseline < 0) [this.wasted, this.baseline] = [this.wasted - this.baseline, 0];
  }
}

/** A stat at a level, with some ranks of upgrades. A level outside the track throws a RangeError. */
export function stat(name, level, ranks = {}) {
  if (name === "shear") {
    let value = byLevel(name, level);
    value += UPGRADES["keen_edge"].effects[ranks["keen_edge"] ?? 0];
    return value;
  }
  if (name === "windup") {
    let value = byLevel(name, level);
    value *= UPGRADES["quick_hands"].effects[ranks["quick_hands"] ?? 0];
    return value;
  }
  return byLevel(name, level);
}

function byLevel(name, level) {
  const track = TRACKS[STATS[name]];
  if (!(level >= track.startLevel && level <= maxLevel(track))) {
    throw new RangeError(`level ${level} of ${name}; allowed: ${track.startLevel} to ${maxLevel(track)}`);
  }
  return track.stats[name][level - track.startLevel];
}

/** The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1. */
export function draw(source, level, u) {
  const { low, width, amounts, upTo } = SOURCES[source];
  if (width === 0) return amounts[upTo.findIndex((end) => u < end)];
  const least = low[low.length > 1 ? level - TRACKS["warden"].startLevel : 0];
  return width > 1 ? least + Math.floor(u * width) : least;
}

/** The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded. */
export function awardFor(source, level, drawn, success, { leaderLevel = level, on = [] } = {}) {
  const gap = level - SOURCES[source].level;
  let product = 1;
  product *= clip(1 - 0.08 * gap, 0.04, 1); // outgrown
  if (on.includes("blossom week")) product *= FACTORS["blossom week"]; // blossom week
  if (on.includes("market day")) product *= FACTORS["market day"]; // market day
  product *= banded(level / leaderLevel, BANDS["catch-up"]); // catch-up
  const xp = drawn * product;
  const exact = success ? Math.max(Math.floor(xp), LEAST_AWARD) : Math.floor(xp * XP_SHARE);
  return whole(exact, TRACKS["warden"].scale);
}

/** The units that an encounter awards to the skill that its source practises. */
export function skillAwardFor(source, level, success, { on = [] } = {}) {
  const [skill, xp] = PRACTISED[source];
  let product = 1;
  if (on.includes("blossom week")) product *= FACTORS["blossom week"]; // blossom week
  if (on.includes("market day")) product *= FACTORS["market day"]; // market day
  const exact = xp * product * (success ? 1 : XP_SHARE);
  return whole(Math.floor(exact), TRACKS[skill].scale);
}

/** Replace the costs, points and stats of a track by those of a levels_warden.csv. Anything else throws a RangeError. */
export function loadTables(track, text) {
  const table = tableOf(track);
  const [head, ...rows] = text.replace(/^\ufeff/, "").trim().split(/\r?\n/).map((line) => line.trim().split(","));
  const names = head.slice(4);
  const known = Object.keys(table.stats);
  if (head.slice(0, 4).join() !== "level,cost,total,points" || [...names].sort().join() !== [...known].sort().join() || rows.length < 2) {
    throw new RangeError(`no table of ${track}: it begins ${head}`);
  }
  const costs = rows.slice(0, -1).map((row) => (row[1] === "" ? NaN : Number(row[1])));
  const total = costs.reduce((sum, cost) => sum + cost, 0);
  const rises = rows.every((row, place) => Number(row[0]) === table.startLevel + place && row.length === head.length);
  const others = rows.map((row) => row.slice(3).map(Number));
  if (!rises || !costs.every((cost) => isCount(cost) && cost > 0) || total > MOST || others.flat().some(Number.isNaN)) {
    throw new RangeError(`no table of ${track}: levels from ${table.startLevel} on, and costs of 1 and more`);
  }
  const stats = Object.fromEntries(names.map((name, column) => [name, others.map((row) => row[1 + column])]));
  Object.assign(table, { costs, granted: others.map((row) => row[0]), stats });
}

// --- how numbers are counted and rounded ----------------------------------------------------------------------

function tableOf(track) {
  if (!Object.hasOwn(TRACKS, track)) throw new RangeError(`no track is called ${track}; there are ${Object.keys(TRACKS)}`);
  return TRACKS[track];
}

function maxLevel(table) {
  return table.startLevel + table.costs.length;
}

/** The units that pay for a level below the cap. */
function threshold(table, level) {
  return table.costs[level - table.startLevel];
}

function heldAtCap(table, xp) {
  if (table.atCap === "discard") return 0;
  return table.atCap === "fill" ? Math.min(xp, table.costs.at(-1)) : xp;
}

function isCount(value) {
  return Number.isSafeInteger(value) && value >= 0;
}

/** XP of a save in units, the nearest. */
function unitsOf(data, name, scale) {
  const xp = data[name];
  if (typeof xp !== "number" || !(xp >= 0 && xp <= MOST / scale)) throw new RangeError(`a damaged save: ${name} ${xp}`);
  return whole(xp, scale);
}

function textOf(units, scale) {
  const part = units % scale;
  const digits = part ? "." + String(part).padStart(String(scale).length - 1, "0").replace(/0+$/, "") : "";
  return Math.floor(units / scale).toLocaleString("en-US") + digits;
}

/** XP in units, the nearest, halves up. */
function whole(xp, scale) {
  const units = xp * scale;
  const low = Math.floor(units);
  return units - low >= 0.5 ? low + 1 : low;
}

function clip(x, low, high) {
  return Math.min(Math.max(x, low), high);
}

/** The factor of the first band whose end is not below the value; past the last: 1. */
function banded(value, bands) {
  const band = bands.find(([upTo]) => value <= upTo);
  return band ? band[1] : 1;
}

// --- tables ----------------------------------------------------------------------------------------------------

export const DESIGN = "1efc73540feba32a";
const LEAST_AWARD = 0;
const XP_SHARE = 0.1;
const FACTORS = {
  "blossom week": 1.5,
  "market day": 1.15,
};
const BANDS = {
  "catch-up": [[0.4, 5], [0.7, 2.5], [0.95, 1.4]],
};
// Sources: XP is `low` (by level, or one for all) and up to `width` whole numbers from it; one of `amounts` where `width` is 0.
export const SOURCES = {
  aphid_cluster: { level: 1, low: [9], width: 5, amounts: [], upTo: [] },
  seed_errand: { level: 3, low: [150], width: 1, amounts: [], upTo: [] },
  shoot_graft: { level: 5, low: [20], width: 1, amounts: [], upTo: [] },
  bark_borer: { level: 7, low: [34], width: 1, amounts: [], upTo: [] },
  canker_bloom: { level: 14, low: [46], width: 15, amounts: [], upTo: [] },
  rust_swarm: { level: 21, low: [84], width: 1, amounts: [], upTo: [] },
  hollow_heart: { level: 29, low: [0], width: 0, amounts: [100, 150], upTo: [0.7, 1] },
  crown_rot: { level: 36, low: [162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162], width: 1, amounts: [], upTo: [] },
};
export const PRACTISED = {
  shoot_graft: ["grafting", 1],
};
// What points buy: `effects` is what the ranks held add up or multiply to, from rank 0 on.
export const UPGRADES = {
  quick_hands: { price: 1, adds: false, effects: [1, 0.93, 0.8649000000000001, 0.8043570000000001, 0.7480520100000001, 0.6956883693000002, 0.6469901834490002, 0.6017008706075703, 0.5595818096650403] },
  keen_edge: { price: 1, adds: true, effects: [0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38, 40, 42, 44, 46, 48, 50, 52, 54, 56, 58, 60, 62, 64, 66, 68, 70, 72, 74, 76, 78, 80, 82, 84, 86, 88, 90, 92, 94, 96, 98, 100, 102, 104, 106, 108, 110, 112, 114, 116, 118, 120, 122, 124, 126, 128, 130, 132, 134, 136, 138, 140, 142, 144, 146, 148, 150, 152, 154, 156] },
};
export const STATS = { resilience: "warden", shear: "warden", windup: "warden" };
// Tracks: costs in units from the start level on, points granted up to each level, stats by level.
export const TRACKS = {
  warden: {
    rules: "a6f3dcb00f5318ed", scale: 1, startLevel: 1, startUnits: 0, startPoints: 0, atCap: "fill",
    costs: [60, 84, 130, 191, 265, 350, 445, 549, 662, 783, 911, 1047, 1189, 1338, 1494, 1656, 1824, 1998, 2177, 5362, 2553, 2749, 2950, 3156, 3367, 3583, 3804, 4030, 4260, 4495, 4734, 4978, 5226, 5478, 5735, 5996, 6261, 6530, 6803],
    granted: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30, 31, 32, 33, 34, 35, 36, 37, 38, 39],
    stats: {
      resilience: [80, 92, 104, 116, 128, 140, 152, 164, 176, 188, 200, 212, 224, 236, 248, 260, 272, 284, 296, 308, 320, 332, 344, 356, 368, 380, 392, 404, 416, 428, 440, 452, 464, 476, 488, 500, 512, 524, 536, 548],
      shear: [9, 9.540000000000001, 10.112400000000001, 10.719144, 11.362292640000003, 12.044030198400002, 12.766672010304003, 13.532672330922246, 14.344632670777582, 15.205310631024236, 16.11762926888569, 17.084687025018834, 18.109768246519963, 19.196354341311164, 20.34813560178983, 21.569023737897226, 22.86316516217106, 24.23495507190132, 25.689052376215404, 27.230395518788328, 28.86421924991563, 30.596072404910572, 32.43183674920521, 34.37774695415752, 36.44041177140698, 38.62683647769139, 40.94444666635288, 43.40111346633405, 46.0051802743141, 48.76549109077295, 51.69142055621933, 54.792905789592496, 58.08048013696805, 61.56530894518613, 65.2592274818973, 69.17478113081114, 73.32526799865981, 77.7247840785794, 82.38827112329417, 87.33156739069183],
      windup: [1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4],
    },
  },
  grafting: {
    rules: "29142f335b33902b", scale: 1, startLevel: 1, startUnits: 0, startPoints: 0, atCap: "discard",
    costs: [5, 6, 9, 12, 16, 22, 30, 40, 55, 74, 100, 135, 183, 247],
    granted: [0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0],
    stats: {},
  },
};
