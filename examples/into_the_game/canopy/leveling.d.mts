// Canopy Wardens: the types of leveling.mjs.

export type TrackName = "warden" | "grafting";
export type SourceName = "aphid_cluster" | "seed_errand" | "shoot_graft" | "bark_borer" | "canker_bloom" | "rust_swarm" | "hollow_heart" | "crown_rot";
export type StatName = "resilience" | "shear" | "windup";
export type UpgradeName = "quick_hands" | "keen_edge";

/** What an award or a loss did; amounts are in units. */
export interface Change {
  levelBefore: number;
  levelAfter: number;
  /** Of a loss: what was taken. */
  amount: number;
  wasted: number;
  points: number;
}

/** A state as plain data, in XP. */
export interface Save {
  format: number;
  track: string;
  rules: string;
  level: number;
  peak_level: number;
  xp: number;
  points: number;
  earned: number;
  lost: number;
  wasted: number;
  baseline: number;
  ranks?: Record<string, number>;
}

export class Leveling {
  constructor(track?: TrackName);
  readonly track: TrackName;
  level: number;
  peakLevel: number;
  xp: number;
  points: number;
  earned: number;
  lost: number;
  wasted: number;
  baseline: number;
  ranks: Partial<Record<UpgradeName, number>>;
  buy(upgrade: UpgradeName): boolean;
  stat(name: StatName): number;
  heldBelow(leader: Leveling, award: number, plain: number): number;
  award(units: number): Change;
  lose(units: number): Change;
  get progress(): number;
  get label(): string;
  save(): Save;
  static load(data: Save, how?: { keep?: "level" | "total_xp"; excess?: "hold" | "award"; fall?: boolean }): Leveling;
}

export function stat(name: StatName, level: number, ranks?: Partial<Record<UpgradeName, number>>): number;
export function draw(source: SourceName, level: number, u: number): number;
export function awardFor(source: SourceName, level: number, drawn: number, success: boolean, told?: { leaderLevel?: number; on?: readonly string[]; }): number;
export function skillAwardFor(source: SourceName, level: number, success: boolean, told?: { on?: readonly string[]; }): number;
export function loadTables(track: TrackName, text: string): void;
export const DESIGN: string;
