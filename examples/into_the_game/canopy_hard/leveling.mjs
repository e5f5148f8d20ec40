// Canopy Wardens, hard: levels, XP and awards as designed.
//
//   const ledger = new Leveling();             // the track warden
//   const change = ledger.award(120);          // in units of XP; change.levelAfter - change.levelBefore levels gained
//   bar.textContent = ledger.label;            // and ledger.progress, 0 to 1
//   const data = ledger.save();                // plain data, for JSON; Leveling.load(data) goes on from it
//
// Written by Ramulus 0.1.0 from design 3dc11a2b0c55add0; it is yours to read and change. A retune changes the tables at the end only.

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
      this.xp = keptOf(table, this.level, excess);
      wasted += excess - this.xp;
      if (table.one) break;
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
    const table = TRACKS[this.track];
    let left = units - taken;
    while (left > 0 && table.mayDrop && this.level > table.startLevel) {
      this.level -= 1;
      const cost = table.costs[this.level - table.startLevel];
      const part = Math.min(left, cost);
      this.xp = cost - part;
      left -= part;
      taken += part;
    }
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

  /** The state as plain data, in XP. */
  save() {
    const { rules, scale } = TRACKS[this.track];
    return {
      format: 1, track: this.track, rules, level: this.level, peak_level: this.peakLevel, xp: this.xp / scale, points: this.points,
      earned: this.earned / scale, lost: this.lost / scale, wasted: this.wasted / scale, baseline: this.baseline / scale,
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
    else if (xp >= threshold(table, this.level) && !table.one && !award) xp = threshold(table, this.level) - 1;
    this.xp = xp;
    this.#grant();
    if (award) this.#book(0);
    // Everything earned stays accounted for: what this design does not count is wasted.
    const paid = table.costs.slice(0, this.level - table.startLevel).reduce((sum, cost) => sum + cost, 0);
    this.baseline = paid + this.xp + this.wasted + this.lost - this.earned;
    if (this.baseline < 0) [this.wasted, this.baseline] = [this.wasted - this.baseline, 0];
  }
}

/** The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1. */
export function draw(source, level, u) {
  const { low, width } = SOURCES[source];
  const least = low[0];
  return width > 1 ? least + Math.floor(u * width) : least;
}

/** The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded. */
export function awardFor(source, level, drawn, success) {
  const gap = level - SOURCES[source].level;
  let product = 1;
  product *= clip(1 - 0.08 * gap, 0.04, 1); // outgrown
  const xp = drawn * product;
  const exact = success ? Math.max(Math.floor(xp), LEAST_AWARD) : Math.floor(xp * XP_SHARE);
  return whole(exact, TRACKS["warden"].scale);
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

/** What stays of the XP past a threshold, at the level just reached; a share is exact, in billionths. */
function keptOf(table, level, excess) {
  const kept = partOf(excess, table.carry);
  return kept;
}

function partOf(units, share) {
  return Number((BigInt(units) * BigInt(share)) / 1_000_000_000n);
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

// --- tables ----------------------------------------------------------------------------------------------------

export const DESIGN = "3dc11a2b0c55add0";
const LEAST_AWARD = 0;
const XP_SHARE = 0.1;
// Sources: XP is `low` (by level, or one for all) and up to `width` whole numbers from it.
export const SOURCES = {
  aphid_cluster: { level: 1, low: [9], width: 5 },
  bark_borer: { level: 7, low: [34], width: 1 },
};
// Tracks: costs in units from the start level on, points granted up to each level, stats by level.
export const TRACKS = {
  warden: {
    rules: "84b6bb54b2c868b3", scale: 1, startLevel: 1, startUnits: 0, startPoints: 0, atCap: "discard",
    carry: 500000000, one: true, mayDrop: true,
    costs: [43, 49, 59, 71, 86, 103, 121, 142, 165, 190, 216, 244, 274, 306, 339, 374, 410, 448, 487],
    granted: [0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38],
    stats: {},
  },
};
