// Answers runs of awards with Leveling.cs: mcs Harness.cs Leveling.cs, then `ramulus conform FILE -- mono Harness.exe`.
// Put your own game's calls in their place.
using System;
using System.Collections.Generic;
using System.Globalization;
using System.Text.RegularExpressions;
using CanopyHard;

public static class Harness
{
    private static string Text(string line, string key)
    {
        return Regex.Match(line, "\"" + key + "\":\"?([^\",}]*)").Groups[1].Value;
    }

    private static double Number(string line, string key, double otherwise)
    {
        string text = Text(line, key);
        return text == "" ? otherwise : double.Parse(text, CultureInfo.InvariantCulture);
    }

    private static string State(Leveling ledger, long award)
    {
        return string.Format(CultureInfo.InvariantCulture, "{{\"level\":{0},\"xp\":{1},\"points\":{2:R},\"wasted\":{3}{4}}}",
            ledger.Level, ledger.Xp, ledger.Points, ledger.Wasted, award < 0 ? "" : ",\"award\":" + award);
    }

    private static long Encounter(string step, Leveling ledger)
    {
        int source = Array.FindIndex(Tables.SourceNames, name => name == Text(step, "encounter"));
        bool won = Number(step, "success", 0) == 1;
        return Leveling.AwardFor((Source)source, ledger.Level, Number(step, "xp", 0), won);
    }

    public static void Main()
    {
        for (string line = Console.ReadLine(); line != null; line = Console.ReadLine())
        {
            var ledger = new Leveling((Track)Array.IndexOf(Tables.TrackNames, Text(line, "track")));
            var states = new List<string> { State(ledger, -1) };
            foreach (Match match in Regex.Matches(line.Substring(1), "\\{[^}]*\\}"))
            {
                string step = match.Value;
                long award = -1;
                if (step.StartsWith("{\"award\"")) ledger.Award((long)Number(step, "award", 0));
                else if (step.StartsWith("{\"lose\"")) ledger.Lose((long)Number(step, "lose", 0));
                else if (step.StartsWith("{\"reload\"")) ledger = Leveling.Load(ledger.Save());
                else ledger.Award(award = Encounter(step, ledger));
                states.Add(State(ledger, award));
            }
            Console.WriteLine("{\"id\":" + Text(line, "id") + ",\"design\":\"" + Tables.Design + "\",\"states\":[" + string.Join(",", states) + "]}");
        }
    }
}
