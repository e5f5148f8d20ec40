"""Does the second source open at the right level? One number moved, and what an hour brings around it.

Run it as it stands:  python examples/second_source_on_time.py
"""

import ramulus as rm

SOURCE, OPENS = "bark_borer", [3, 4, 6, 8, 10]


def main() -> None:
    design = rm.demo_design()
    place = f"sources.{SOURCE}.from_level"
    effort = rm.effort_table(design.with_values({place: 1}), "newcomer")
    pays = effort.pivot(index="level", columns="source", values="xp_per_hour").loc[1:10, ["aphid_cluster", SOURCE]]
    print(f"XP per hour for a newcomer, were {SOURCE} open from the start:")
    print(pays.round(0).to_string())
    better = pays.index[pays[SOURCE] > pays["aphid_cluster"]]
    print(f"{SOURCE} pays more from level {better[0]} on; it opens at level {design.sources[SOURCE].from_level}.")

    pace = rm.sweep(design, {place: OPENS}, players=300, seed=7)
    at_ten = pace[pace["level"] == 10].pivot(index=place, columns="player", values="hours_p50")
    print("Hours to level 10, median, by the level at which it opens:")
    print(at_ten.round(2).to_string())
    cost = 60 * (at_ten.loc[10] - at_ten.loc[3])
    print("Opening at 10 instead of 3 costs " + ", ".join(f"{who} {more:.0f} min" for who, more in cost.items()))


if __name__ == "__main__":
    main()
