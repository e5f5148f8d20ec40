// Canopy Wardens: levels, XP and awards as designed. Award and Lose allocate nothing.
//
//   var ledger = new Leveling();                    // the track warden; new Leveling(Track.Grafting) for another
//   Change change = ledger.Award(120);              // in units of XP; change.LevelAfter - change.LevelBefore levels gained
//   DrawBar(ledger.Label, ledger.Progress);         // the bar: its text, and 0 to 1
//   Save data = ledger.Save();                      // plain data; Leveling.Load(data) goes on from it
//
// Written by Ramulus 0.1.0 from design 1efc73540feba32a; it is yours to read and change. A retune changes the tables at the end only.

using System;
using System.Collections.Generic;
using System.Globalization;

namespace Canopy
{
    public enum Track { Warden, Grafting }

    public enum Source { AphidCluster, SeedErrand, ShootGraft, BarkBorer, CankerBloom, RustSwarm, HollowHeart, CrownRot }

    public enum Stat { Resilience, Shear, Windup }

    public enum Upgrade { QuickHands, KeenEdge }

    /// <summary>What an award or a loss did; amounts are in units, and of a loss the amount is what was taken.</summary>
    public struct Change
    {
        public int LevelBefore, LevelAfter;
        public long Amount, Wasted;
        public double Points;
    }

    /// <summary>A state as plain data, in XP; the keys of every language.</summary>
    public sealed class Save
    {
        public int format = 1;
        public string track, rules;
        public long level, peak_level;
        public double xp, points, earned, lost, wasted, baseline;
        public Dictionary<string, long> ranks = new Dictionary<string, long>();
    }

    /// <summary>How a save of an older design is taken: by its level, or by all its XP.</summary>
    public enum Keep { Level, TotalXp }

    /// <summary>What becomes of XP that would pay for the level now: it is held below its cost, or awarded.</summary>
    public enum Excess { Hold, Award }

    /// <summary>The level, XP and points of one character on one track; XP is in units.</summary>
    public sealed class Leveling
    {
        public const long Most = (1L << 53) - 1; // The largest whole number that every language counts exactly.

        public readonly Track Track;
        public int Level { get; private set; }
        public int PeakLevel { get; private set; }
        public long Xp { get; private set; }
        public double Points { get; private set; }
        public long Earned { get; private set; }
        public long Lost { get; private set; }
        public long Wasted { get; private set; }
        public long Baseline { get; private set; }
        public readonly int[] Ranks = new int[2];

        public Leveling(Track track = Track.Warden)
        {
            Track = track;
            Level = PeakLevel = Own.StartLevel;
            Xp = Baseline = Own.StartUnits;
            Points = Own.StartPoints;
        }

        private TrackTable Own { get { return Tables.Tracks[(int)Track]; } }

        /// <summary>Book an award, already multiplied and rounded. One that cannot be counted throws, and nothing changes.</summary>
        public Change Award(long units)
        {
            if (units < 0 || units > Most - Baseline - Earned) throw new ArgumentOutOfRangeException("units");
            var change = new Change { LevelBefore = Level, Amount = units };
            Earned += units;
            Book(units, ref change);
            return change;
        }

        /// <summary>Take XP away; what is not there is forgiven, and points stay. What is no amount throws.</summary>
        public Change Lose(long units)
        {
            if (units < 0 || units > Most) throw new ArgumentOutOfRangeException("units");
            var change = new Change { LevelBefore = Level, Amount = Math.Min(units, Xp) };
            Xp -= change.Amount;
            Lost += change.Amount;
            change.LevelAfter = Level;
            return change;
        }

        /// <summary>The bar, 0 to 1.</summary>
        public double Progress
        {
            get
            {
                bool full = Level == Own.MaxLevel;
                if (full && Own.AtCap == "discard") return 1.0;
                return Math.Min((double)Xp / (full ? Own.Costs[Own.Costs.Length - 1] : Own.Cost(Level)), 1.0);
            }
        }

        /// <summary>The bar's text.</summary>
        public string Label
        {
            get
            {
                string xp = Rounding.Text(Xp, Own.Scale);
                if (Level < Own.MaxLevel)
                {
                    long cost = Own.Cost(Level);
                    string waits = Xp > cost ? " (" + Rounding.Text(Xp - cost, Own.Scale) + " waiting)" : "";
                    return "Level " + Level + " \u00b7 " + xp + " / " + Rounding.Text(cost, Own.Scale) + waits;
                }
                string end = Own.AtCap == "discard" ? "" : Own.AtCap == "bank" ? " \u00b7 " + xp + " banked"
                    : " \u00b7 " + xp + " / " + Rounding.Text(Own.Costs[Own.Costs.Length - 1], Own.Scale);
                return "Level " + Level + " \u00b7 cap" + end;
            }
        }

        /// <summary>Buy a rank with points; false where there are too few, or no rank is left.</summary>
        public bool Buy(Upgrade upgrade)
        {
            UpgradeTable wanted = Tables.Upgrades[(int)upgrade];
            if (Ranks[(int)upgrade] + 1 >= wanted.Effects.Length || Points < wanted.Price) return false;
            Points -= wanted.Price;
            Ranks[(int)upgrade] += 1;
            return true;
        }

        /// <summary>A stat of this track, at this level with the ranks bought.</summary>
        public double StatNow(Stat name) { return StatAt(name, Level, Ranks); }

        /// <summary>The part of an award that does not lift this one past its leader; `plain` is what it would be alone.</summary>
        public long HeldBelow(Leveling leader, long award, long plain)
        {
            if (award <= plain || !Passes(award, leader)) return award;
            if (Passes(plain, leader)) return plain;
            long step = award % Own.Scale == 0 && plain % Own.Scale == 0 ? Own.Scale : 1;
            long low = plain / step, high = award / step;
            while (high - low > 1)
            {
                long middle = (low + high) / 2;
                if (Passes(middle * step, leader)) high = middle;
                else low = middle;
            }
            return low * step;
        }

        private bool Passes(long units, Leveling leader)
        {
            var after = (Leveling)MemberwiseClone();
            var change = new Change();
            after.Book(units, ref change);
            return after.Level > leader.Level || (after.Level == leader.Level && after.Xp > leader.Xp);
        }

        /// <summary>The state as plain data.</summary>
        public Save Save()
        {
            double scale = Own.Scale;
            var data = new Save
            {
                track = Own.Name, rules = Own.Rules, level = Level, peak_level = PeakLevel, xp = Xp / scale, points = Points,
                earned = Earned / scale, lost = Lost / scale, wasted = Wasted / scale, baseline = Baseline / scale,
            };
            for (int item = 0; item < Ranks.Length; item++)
            {
                if (Ranks[item] > 0) data.ranks[Tables.Upgrades[item].Name] = Ranks[item];
            }
            return data;
        }

        /// <summary>Go on from Save, also of an older design; the level never falls unless `fall`. What no design can hold throws.</summary>
        public static Leveling Load(Save data, Keep keep = Keep.Level, Excess excess = Excess.Hold, bool fall = false)
        {
            int place = Array.FindIndex(Tables.Tracks, table => table.Name == data.track);
            if (place < 0) throw new ArgumentException("no track is called " + data.track);
            var found = new Leveling((Track)place);
            TrackTable own = found.Own;
            long xp = Rounding.Units(data.xp, own.Scale), start = Rounding.Units(data.baseline, own.Scale);
            found.Earned = Rounding.Units(data.earned, own.Scale);
            found.Lost = Rounding.Units(data.lost, own.Scale);
            found.Wasted = Rounding.Units(data.wasted, own.Scale);
            if (data.level < 0 || data.peak_level < data.level || data.peak_level > Most) throw new ArgumentException("a damaged save: its level");
            if (!(data.points >= 0.0 && data.points <= Most)) throw new ArgumentException("a damaged save: its points");
            if (start + found.Earned > Most) throw new ArgumentException("a damaged save: too much XP in all");
            for (int item = 0; item < found.Ranks.Length; item++)
            {
                long rank;
                if (!data.ranks.TryGetValue(Tables.Upgrades[item].Name, out rank)) continue;
                if (rank < 0 || rank > Most) throw new ArgumentException("a damaged save: its ranks");
                found.Ranks[item] = (int)Math.Min(rank, Tables.Upgrades[item].Effects.Length - 1);
            }
            found.Level = (int)Math.Min(Math.Max(data.level, own.StartLevel), own.MaxLevel);
            found.PeakLevel = (int)Math.Min(Math.Max(data.peak_level, found.Level), own.MaxLevel);
            found.Points = data.points;
            found.Place(xp, start + found.Earned - found.Lost - found.Wasted, keep == Keep.TotalXp, excess == Excess.Award, fall);
            return found;
        }

        private void Place(long inLevel, long total, bool byTotal, bool award, bool fall)
        {
            int kept = Level;
            Xp = inLevel;
            if (byTotal)
            {
                Xp = Math.Max(total, 0);
                for (Level = Own.StartLevel; Level < Own.MaxLevel && Xp >= Own.Threshold(Level); Level++) Xp -= Own.Cost(Level);
                if (Level < kept && !fall)
                {
                    Level = kept;
                    Xp = 0;
                }
            }
            if (Level == Own.MaxLevel) Xp = Rounding.HeldAtCap(Own, Xp);
            else if (Xp >= Own.Threshold(Level) && !award) Xp = Own.Threshold(Level) - 1;
            Grant();
            var change = new Change();
            if (award) Book(0, ref change);
            // Everything earned stays accounted for: what this design does not count is wasted.
            long paid = 0;
            for (int level = Own.StartLevel; level < Level; level++) paid += Own.Cost(level);
            Baseline = paid + Xp + Wasted + Lost - Earned;
            if (Baseline < 0)
            {
                Wasted -= Baseline;
                Baseline = 0;
            }
        }

        /// <summary>Add XP and go up as far as it carries.</summary>
        private void Book(long units, ref Change change)
        {
            Xp += units;
            while (Level < Own.MaxLevel && Xp >= Own.Threshold(Level))
            {
                long excess = Xp - Own.Cost(Level);
                Level += 1;
                Xp = excess;
            }
            if (Level == Own.MaxLevel)
            {
                long held = Rounding.HeldAtCap(Own, Xp);
                change.Wasted += Xp - held;
                Xp = held;
            }
            Wasted += change.Wasted;
            change.LevelAfter = Level;
            change.Points = Grant();
        }

        /// <summary>Grant the points of levels that are reached for the first time.</summary>
        private double Grant()
        {
            if (Level <= PeakLevel) return 0.0;
            double points = Own.Granted[Level - Own.StartLevel] - Own.Granted[PeakLevel - Own.StartLevel];
            PeakLevel = Level;
            Points += points;
            return points;
        }

        /// <summary>A stat at a level, with some ranks of upgrades. A level outside the track throws.</summary>
        public static double StatAt(Stat name, int playerLevel, int[] ranks = null)
        {
            switch (name)
            {
                case Stat.Shear:
                {
                    double value = ByLevel(name, playerLevel);
                    value += Tables.Upgrades[(int)Upgrade.KeenEdge].Effects[ranks == null ? 0 : ranks[(int)Upgrade.KeenEdge]];
                    return value;
                }
                case Stat.Windup:
                {
                    double value = ByLevel(name, playerLevel);
                    value *= Tables.Upgrades[(int)Upgrade.QuickHands].Effects[ranks == null ? 0 : ranks[(int)Upgrade.QuickHands]];
                    return value;
                }
            }
            return ByLevel(name, playerLevel);
        }

        private static double ByLevel(Stat name, int level)
        {
            TrackTable track = Tables.Tracks[Tables.TrackOf[(int)name]];
            return track.Stats[(int)name][level - track.StartLevel];
        }

        /// <summary>The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1.</summary>
        public static double Draw(Source source, int playerLevel, double u)
        {
            SourceTable given = Tables.Sources[(int)source];
            if (given.Width == 0) return given.Amounts[Array.FindIndex(given.UpTo, end => u < end)];
            double low = given.Low[given.Low.Length > 1 ? playerLevel - Tables.Tracks[(int)Track.Warden].StartLevel : 0];
            return given.Width > 1 ? low + Math.Floor(u * given.Width) : low;
        }

        /// <summary>The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded.</summary>
        public static long AwardFor(Source source, int playerLevel, double drawn, bool success, Told at = new Told())
        {
            double level = playerLevel;
            double gap = level - Tables.Sources[(int)source].Level;
            if (at.LeaderLevel < 0.0) at.LeaderLevel = level;
            double product = 1.0;
            product *= Rounding.Clip(1.0 - 0.08 * gap, 0.04, 1.0); // outgrown
            if (at.OnBlossomWeek) product *= Tables.BlossomWeek; // blossom week
            if (at.OnMarketDay) product *= Tables.MarketDay; // market day
            product *= Rounding.Banded(level / at.LeaderLevel, Tables.CatchUp); // catch-up
            double xp = drawn * product;
            double exact = success ? Math.Max(Math.Floor(xp), Tables.LeastAward) : Math.Floor(xp * Tables.XpShare);
            return Rounding.Whole(exact, Tables.Tracks[(int)Track.Warden].Scale);
        }

        /// <summary>The units that an encounter awards to the skill that its source practises; 0 where it practises none.</summary>
        public static long SkillAwardFor(Source source, int playerLevel, bool success, Told at = new Told())
        {
            double product = 1.0;
            if (at.OnBlossomWeek) product *= Tables.BlossomWeek; // blossom week
            if (at.OnMarketDay) product *= Tables.MarketDay; // market day
            double xp = 0.0;
            Track skill = Track.Warden;
            if (source == Source.ShootGraft)
            {
                skill = Track.Grafting;
                xp = Tables.Sources[(int)source].SkillXp[0];
            }
            double exact = xp * product * (success ? 1.0 : Tables.XpShare);
            return Rounding.Whole(Math.Floor(exact), Tables.Tracks[(int)skill].Scale);
        }

        /// <summary>Replace the costs, points and stats of a track by those of a levels_warden.csv. Anything else throws.</summary>
        public static void LoadTables(Track name, string text)
        {
            TrackTable track = Tables.Tracks[(int)name];
            string[] lines = text.TrimStart('\ufeff').Split(new[] { '\r', '\n' }, StringSplitOptions.RemoveEmptyEntries);
            var columns = new List<string> { "level", "cost", "total", "points" };
            if (name == Track.Warden) columns.Add("resilience");
            if (name == Track.Warden) columns.Add("shear");
            if (name == Track.Warden) columns.Add("windup");
            if (lines.Length < 3 || lines[0].Trim() != string.Join(",", columns)) throw new ArgumentException("no table of this track: its columns");
            var costs = new long[lines.Length - 2];
            var numbers = new double[columns.Count - 3][];
            for (int column = 0; column < numbers.Length; column++) numbers[column] = new double[lines.Length - 1];
            long total = 0;
            for (int row = 0; row < lines.Length - 1; row++)
            {
                string[] cells = lines[row + 1].Trim().Split(',');
                if (cells.Length != columns.Count || Rounding.Number(cells[0]) != track.StartLevel + row) throw new ArgumentException("no table of this track: its levels");
                for (int column = 0; column < numbers.Length; column++) numbers[column][row] = Rounding.Number(cells[3 + column]);
                if (row == costs.Length) break; // The cap costs nothing.
                double cost = Rounding.Number(cells[1]);
                if (!(cost >= 1.0 && cost == Math.Floor(cost) && cost <= Most - total)) throw new ArgumentException("no table of this track: a cost");
                costs[row] = (long)cost;
                total += costs[row];
            }
            track.Costs = costs;
            track.Granted = numbers[0];
            if (name == Track.Warden) track.Stats[0] = numbers[columns.IndexOf("resilience") - 3];
            if (name == Track.Warden) track.Stats[1] = numbers[columns.IndexOf("shear") - 3];
            if (name == Track.Warden) track.Stats[2] = numbers[columns.IndexOf("windup") - 3];
        }
    }

    /// <summary>What only the game knows of an encounter.</summary>
    public struct Told
    {
        private double leader;
        public double LeaderLevel { get { return leader - 1.0; } set { leader = value + 1.0; } } // Where it is not told: the own level.
        public bool OnBlossomWeek;
        public bool OnMarketDay;
    }

    /// <summary>One track: costs in units from the start level on, points granted up to each level, and stats by level.</summary>
    public sealed class TrackTable
    {
        public string Name, Rules, AtCap;
        public long Scale, StartUnits; 
        public int StartLevel;
        public double StartPoints;
        public long[] Costs;
        public double[] Granted;
        public double[][] Stats;

        public int MaxLevel { get { return StartLevel + Costs.Length; } }
        public long Cost(int level) { return Costs[level - StartLevel]; }

        /// <summary>The units that pay for a level below the cap.</summary>
        public long Threshold(int level) { return Cost(level); }
    }

    /// <summary>XP is Low (by level, or one for all) and up to Width whole numbers from it; one of Amounts where Width is 0.</summary>
    public sealed class SourceTable
    {
        public string Name;
        public double Level;
        public long Width;
        public double[] Low, Amounts, UpTo, SkillXp;
    }

    /// <summary>What points buy: Effects is what the ranks held add up or multiply to, from rank 0 on.</summary>
    public sealed class UpgradeTable
    {
        public string Name;
        public double Price;
        public double[] Effects;
    }

    internal static class Rounding
    {
        public static long HeldAtCap(TrackTable track, long xp)
        {
            if (track.AtCap == "discard") return 0;
            return track.AtCap == "fill" ? Math.Min(xp, track.Costs[track.Costs.Length - 1]) : xp;
        }

        /// <summary>XP in units, the nearest, halves up.</summary>
        public static long Whole(double xp, long scale)
        {
            double units = xp * scale;
            double low = Math.Floor(units);
            return (long)(units - low >= 0.5 ? low + 1.0 : low);
        }

        /// <summary>XP of a save in units.</summary>
        public static long Units(double xp, long scale)
        {
            if (!(xp >= 0.0 && xp <= (double)Leveling.Most / scale)) throw new ArgumentException("a damaged save: an amount of XP");
            return Whole(xp, scale);
        }

        public static double Number(string cell)
        {
            double value;
            if (!double.TryParse(cell, NumberStyles.Float, CultureInfo.InvariantCulture, out value)) throw new ArgumentException("no number: " + cell);
            return value;
        }

        public static string Text(long units, long scale)
        {
            string digits = (units / scale).ToString("N0", CultureInfo.InvariantCulture);
            return units % scale == 0 ? digits : digits + "." + (scale + units % scale).ToString(CultureInfo.InvariantCulture).Substring(1).TrimEnd('0');
        }

        public static double Clip(double x, double low, double high) { return Math.Min(Math.Max(x, low), high); }

        /// <summary>The factor of the first band whose end is not below the value; past the last: 1.</summary>
        public static double Banded(double value, double[][] bands)
        {
            foreach (double[] band in bands)
            {
                if (value <= band[0]) return band[1];
            }
            return 1.0;
        }
    }

    // --- tables ------------------------------------------------------------------------------------------------

    public static class Tables
    {
        public const string Design = "1efc73540feba32a";
        internal static readonly double LeastAward = 0.0, XpShare = 0.1;
        internal static readonly double BlossomWeek = 1.5;
        internal static readonly double MarketDay = 1.15;
        internal static readonly double[][] CatchUp = { new[] { 0.4, 5.0 }, new[] { 0.7, 2.5 }, new[] { 0.95, 1.4 } };
        internal static readonly SourceTable[] Sources =
        {
            new SourceTable { Name = "aphid_cluster", Level = 1.0, Width = 5, Low = new[] { 9.0 } },
            new SourceTable { Name = "seed_errand", Level = 3.0, Width = 1, Low = new[] { 150.0 } },
            new SourceTable { Name = "shoot_graft", Level = 5.0, Width = 1, Low = new[] { 20.0 }, SkillXp = new[] { 1.0 } },
            new SourceTable { Name = "bark_borer", Level = 7.0, Width = 1, Low = new[] { 34.0 } },
            new SourceTable { Name = "canker_bloom", Level = 14.0, Width = 15, Low = new[] { 46.0 } },
            new SourceTable { Name = "rust_swarm", Level = 21.0, Width = 1, Low = new[] { 84.0 } },
            new SourceTable { Name = "hollow_heart", Level = 29.0, Width = 0, Low = new[] { 0.0 }, Amounts = new[] { 100.0, 150.0 }, UpTo = new[] { 0.7, 1.0 } },
            new SourceTable { Name = "crown_rot", Level = 36.0, Width = 1, Low = new[] { 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0, 162.0 } },
        };
        internal static readonly UpgradeTable[] Upgrades =
        {
            new UpgradeTable { Name = "quick_hands", Price = 1.0, Effects = new[] { 1.0, 0.93, 0.8649000000000001, 0.8043570000000001, 0.7480520100000001, 0.6956883693000002, 0.6469901834490002, 0.6017008706075703, 0.5595818096650403 } },
            new UpgradeTable { Name = "keen_edge", Price = 1.0, Effects = new[] { 0.0, 2.0, 4.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 24.0, 26.0, 28.0, 30.0, 32.0, 34.0, 36.0, 38.0, 40.0, 42.0, 44.0, 46.0, 48.0, 50.0, 52.0, 54.0, 56.0, 58.0, 60.0, 62.0, 64.0, 66.0, 68.0, 70.0, 72.0, 74.0, 76.0, 78.0, 80.0, 82.0, 84.0, 86.0, 88.0, 90.0, 92.0, 94.0, 96.0, 98.0, 100.0, 102.0, 104.0, 106.0, 108.0, 110.0, 112.0, 114.0, 116.0, 118.0, 120.0, 122.0, 124.0, 126.0, 128.0, 130.0, 132.0, 134.0, 136.0, 138.0, 140.0, 142.0, 144.0, 146.0, 148.0, 150.0, 152.0, 154.0, 156.0 } },
        };
        internal static readonly int[] TrackOf = { (int)Track.Warden, (int)Track.Warden, (int)Track.Warden };
        public static readonly string[] TrackNames = { "warden", "grafting" };
        public static readonly string[] SourceNames = { "aphid_cluster", "seed_errand", "shoot_graft", "bark_borer", "canker_bloom", "rust_swarm", "hollow_heart", "crown_rot" };
        internal static readonly TrackTable[] Tracks =
        {
            new TrackTable
            {
                Name = "warden", Rules = "a6f3dcb00f5318ed", AtCap = "fill", Scale = 1, StartLevel = 1, StartUnits = 0, StartPoints = 0.0,
                Costs = new long[] { 60, 84, 130, 191, 265, 350, 445, 549, 662, 783, 911, 1047, 1189, 1338, 1494, 1656, 1824, 1998, 2177, 5362, 2553, 2749, 2950, 3156, 3367, 3583, 3804, 4030, 4260, 4495, 4734, 4978, 5226, 5478, 5735, 5996, 6261, 6530, 6803 },
                Granted = new[] { 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 9.0, 10.0, 11.0, 12.0, 13.0, 14.0, 15.0, 16.0, 17.0, 18.0, 19.0, 20.0, 21.0, 22.0, 23.0, 24.0, 25.0, 26.0, 27.0, 28.0, 29.0, 30.0, 31.0, 32.0, 33.0, 34.0, 35.0, 36.0, 37.0, 38.0, 39.0 },
                Stats = new[]
                {
                    new[] { 80.0, 92.0, 104.0, 116.0, 128.0, 140.0, 152.0, 164.0, 176.0, 188.0, 200.0, 212.0, 224.0, 236.0, 248.0, 260.0, 272.0, 284.0, 296.0, 308.0, 320.0, 332.0, 344.0, 356.0, 368.0, 380.0, 392.0, 404.0, 416.0, 428.0, 440.0, 452.0, 464.0, 476.0, 488.0, 500.0, 512.0, 524.0, 536.0, 548.0 },
                    new[] { 9.0, 9.540000000000001, 10.112400000000001, 10.719144, 11.362292640000003, 12.044030198400002, 12.766672010304003, 13.532672330922246, 14.344632670777582, 15.205310631024236, 16.11762926888569, 17.084687025018834, 18.109768246519963, 19.196354341311164, 20.34813560178983, 21.569023737897226, 22.86316516217106, 24.23495507190132, 25.689052376215404, 27.230395518788328, 28.86421924991563, 30.596072404910572, 32.43183674920521, 34.37774695415752, 36.44041177140698, 38.62683647769139, 40.94444666635288, 43.40111346633405, 46.0051802743141, 48.76549109077295, 51.69142055621933, 54.792905789592496, 58.08048013696805, 61.56530894518613, 65.2592274818973, 69.17478113081114, 73.32526799865981, 77.7247840785794, 82.38827112329417, 87.33156739069183 },
                    new[] { 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4 },
                },
            },
            new TrackTable
            {
                Name = "grafting", Rules = "29142f335b33902b", AtCap = "discard", Scale = 1, StartLevel = 1, StartUnits = 0, StartPoints = 0.0,
                Costs = new long[] { 5, 6, 9, 12, 16, 22, 30, 40, 55, 74, 100, 135, 183, 247 },
                Granted = new[] { 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0 },
                Stats = new[]
                {
                    new double[0],
                    new double[0],
                    new double[0],
                },
            },
        };
    }
}
