"""What would a bonus week do? A timed multiplier put in, and who is where how many days sooner.

Run it as it stands:  python examples/a_bonus_week.py
"""

import ramulus as rm


def main() -> None:
    design = rm.demo_design()
    without = design.with_values({
        "multipliers": [rule for rule in design.to_dict()["multipliers"] if rule["name"] != "blossom week"]
    })  # fmt: skip
    doubled = [{**rule, "factor": 2.0} if rule["name"] == "blossom week" else rule
               for rule in design.to_dict()["multipliers"]]  # fmt: skip
    weeks = {
        "no bonus week": without, "days 15 to 21, half more": design,
        "days 15 to 21, double": design.with_values({"multipliers": doubled}),
    }  # fmt: skip
    comparison = rm.compare(weeks, players=300, seed=7)
    days = {name: result.pace() for name, result in comparison.results.items()}
    top = int(days["no bonus week"]["level"].max())
    for name, pace in days.items():
        at_cap = pace[pace["level"] == top].set_index("player")["days_p50"]
        print(f"{name}: median day of level {top}: " + ", ".join(f"{who} {day:.0f}" for who, day in at_cap.items()))
    saved = comparison.differences()
    saved = saved[saved["level"] == top]
    for row in saved.itertuples():
        print(f"{row.variant}: {row.player} plays {0 - 60 * row.difference:.0f} minutes less "
              f"({0 - 60 * row.difference_high:.0f} … {0 - 60 * row.difference_low:.0f})")  # fmt: skip
    least = saved.loc[saved["difference"].idxmax(), "player"]
    print(f"The week does least for {least}: who is through before day 15, or plays little in it, gains little.")


if __name__ == "__main__":
    main()
