// Awards, the bar, a save, and a save of an older design: mcs Play.cs Leveling.cs && mono Play.exe
using System;
using System.Globalization;
using Canopy;

public static class Play
{
    private static void Show(Leveling warden)
    {
        int full = (int)Math.Floor(20 * warden.Progress + 0.5);
        Console.WriteLine("[" + new string('#', full) + new string('.', 20 - full) + "] " + warden.Label);
    }

    public static void Main()
    {
        Console.OutputEncoding = new System.Text.UTF8Encoding(false);
        var warden = new Leveling();
        Show(warden);
        foreach (long units in new[] { 40, 400, Leveling.AwardFor(Source.BarkBorer, 7, 34, true, new Told { OnBlossomWeek = true }) })
        {
            Change change = warden.Award(units);
            Console.WriteLine("+" + units + " XP, " + (change.LevelAfter - change.LevelBefore) + " levels, " + change.Points + " points");
            Show(warden);
        }
        warden.Buy(Upgrade.KeenEdge);
        Console.WriteLine("shear " + warden.StatNow(Stat.Shear).ToString("F2", CultureInfo.InvariantCulture));
        Save saved = warden.Save(); // Plain data: write it as you write your saves.
        Show(Leveling.Load(saved));

        // When levels cost more: the level stays, and XP that would pay for it now is held below its cost.
        saved.rules = "older";
        saved.level = saved.peak_level = 9;
        saved.xp = 700;
        Show(Leveling.Load(saved));
    }
}
