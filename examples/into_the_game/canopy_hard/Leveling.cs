// Canopy Wardens, hard: levels, XP and awards as designed. Award and Lose allocate nothing.
//
//   var ledger = new Leveling();                    // the track warden
//   Change change = ledger.Award(120);              // in units of XP; change.LevelAfter - change.LevelBefore levels gained
//   DrawBar(ledger.Label, ledger.Progress);         // the bar: its text, and 0 to 1
//   Save data = ledger.Save();                      // plain data; Leveling.Load(data) goes on from it
//
// Written by Ramulus 0.1.0 from design 3dc11a2b0c55add0; it is yours to read and change. A retune changes the tables at the end only.

using System;
using System.Collections.Generic;
using System.Globalization;

namespace CanopyHard
{
    public enum Track { Warden }

    public enum Source { AphidCluster, BarkBorer }

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
            for (long left = units - change.Amount; left > 0 && Own.MayDrop && Level > Own.StartLevel;)
            {
                Level -= 1;
                long part = Math.Min(left, Own.Cost(Level));
                Xp = Own.Cost(Level) - part;
                left -= part;
                change.Amount += part;
            }
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

        /// <summary>The state as plain data.</summary>
        public Save Save()
        {
            double scale = Own.Scale;
            var data = new Save
            {
                track = Own.Name, rules = Own.Rules, level = Level, peak_level = PeakLevel, xp = Xp / scale, points = Points,
                earned = Earned / scale, lost = Lost / scale, wasted = Wasted / scale, baseline = Baseline / scale,
            };
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
            else if (Xp >= Own.Threshold(Level) && !Own.One && !award) Xp = Own.Threshold(Level) - 1;
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
                Xp = Rounding.Kept(Own, Level, excess);
                change.Wasted += excess - Xp;
                if (Own.One) break;
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

        /// <summary>The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1.</summary>
        public static double Draw(Source source, int playerLevel, double u)
        {
            SourceTable given = Tables.Sources[(int)source];
            double low = given.Low[given.Low.Length > 1 ? playerLevel - Tables.Tracks[(int)Track.Warden].StartLevel : 0];
            return given.Width > 1 ? low + Math.Floor(u * given.Width) : low;
        }

        /// <summary>The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded.</summary>
        public static long AwardFor(Source source, int playerLevel, double drawn, bool success)
        {
            double level = playerLevel;
            double gap = level - Tables.Sources[(int)source].Level;
            double product = 1.0;
            product *= Rounding.Clip(1.0 - 0.08 * gap, 0.04, 1.0); // outgrown
            double xp = drawn * product;
            double exact = success ? Math.Max(Math.Floor(xp), Tables.LeastAward) : Math.Floor(xp * Tables.XpShare);
            return Rounding.Whole(exact, Tables.Tracks[(int)Track.Warden].Scale);
        }

        /// <summary>Replace the costs, points and stats of a track by those of a levels_warden.csv. Anything else throws.</summary>
        public static void LoadTables(Track name, string text)
        {
            TrackTable track = Tables.Tracks[(int)name];
            string[] lines = text.TrimStart('\ufeff').Split(new[] { '\r', '\n' }, StringSplitOptions.RemoveEmptyEntries);
            var columns = new List<string> { "level", "cost", "total", "points" };
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
        }
    }

    /// <summary>One track: costs in units from the start level on, points granted up to each level, and stats by level.</summary>
    public sealed class TrackTable
    {
        public string Name, Rules, AtCap;
        public long Scale, StartUnits, Carry; // Shares are in billionths, a limit of -1 is none.
        public int StartLevel;
        public double StartPoints;
        public bool One, MayDrop;
        public long[] Costs;
        public double[] Granted;

        public int MaxLevel { get { return StartLevel + Costs.Length; } }
        public long Cost(int level) { return Costs[level - StartLevel]; }

        /// <summary>The units that pay for a level below the cap.</summary>
        public long Threshold(int level) { return Cost(level); }
    }

    /// <summary>XP is Low (by level, or one for all) and up to Width whole numbers from it.</summary>
    public sealed class SourceTable
    {
        public string Name;
        public double Level;
        public long Width;
        public double[] Low;
    }

    internal static class Rounding
    {
        /// <summary>A share in billionths, exact.</summary>
        public static long Part(long units, long share)
        {
            long part = share % 1000000000;
            return units * (share / 1000000000) + units / 1000000000 * part + units % 1000000000 * part / 1000000000;
        }

        /// <summary>What stays of the XP past a threshold, at the level just reached.</summary>
        public static long Kept(TrackTable track, int level, long excess)
        {
            long kept = Part(excess, track.Carry);
            return kept;
        }

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
    }

    // --- tables ------------------------------------------------------------------------------------------------

    public static class Tables
    {
        public const string Design = "3dc11a2b0c55add0";
        internal static readonly double LeastAward = 0.0, XpShare = 0.1;
        internal static readonly SourceTable[] Sources =
        {
            new SourceTable { Name = "aphid_cluster", Level = 1.0, Width = 5, Low = new[] { 9.0 } },
            new SourceTable { Name = "bark_borer", Level = 7.0, Width = 1, Low = new[] { 34.0 } },
        };
        public static readonly string[] TrackNames = { "warden" };
        public static readonly string[] SourceNames = { "aphid_cluster", "bark_borer" };
        internal static readonly TrackTable[] Tracks =
        {
            new TrackTable
            {
                Name = "warden", Rules = "84b6bb54b2c868b3", AtCap = "discard", Scale = 1, StartLevel = 1, StartUnits = 0, StartPoints = 0.0,
                Carry = 500000000, One = true, MayDrop = true,
                Costs = new long[] { 43, 49, 59, 71, 86, 103, 121, 142, 165, 190, 216, 244, 274, 306, 339, 374, 410, 448, 487 },
                Granted = new[] { 0.0, 2.0, 4.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 24.0, 26.0, 28.0, 30.0, 32.0, 34.0, 36.0, 38.0 },
            },
        };
    }
}
