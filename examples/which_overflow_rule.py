"""Which overflow rule? The same awards, and the same players, under three rules for what passes a threshold.

Run it as it stands:  python examples/which_overflow_rule.py
"""

import ramulus as rm

RULES = {"all is carried": 1.0, "half is carried": 0.5, "nothing is carried": 0.0}
AWARDS = [40, 130, 130, 90, 150, 150]  # XP; some are worth more than the level they are made at


def main() -> None:
    designs = {
        words: rm.demo_design().with_values({"tracks.warden.overflow.carry": carry}) for words, carry in RULES.items()
    }
    for words, design in designs.items():
        last = rm.trace(design, AWARDS).iloc[-1]
        wasted = rm.trace(design, AWARDS)["wasted"].sum()
        print(f"{words}: {sum(AWARDS)} XP in {len(AWARDS)} awards end at {last['label']}, {wasted:.0f} XP wasted")

    comparison = rm.compare(designs, players=300, seed=7)
    later = comparison.differences()
    at_cap = later[later["level"] == later["level"].max()]
    for row in at_cap.itertuples():
        print(
            f"{row.variant}: {row.player} reaches level {row.level} {row.difference:+.2f} h later "
            f"({row.difference_low:+.2f} … {row.difference_high:+.2f}) than with all carried"
        )
    worst = at_cap.loc[at_cap["difference"].idxmax()]
    print(f"The harshest rule costs {worst['player']} most: {60 * worst['difference']:.0f} minutes on the whole way.")


if __name__ == "__main__":
    main()
