"""Does catch-up overshoot? A weak member beside a strong leader, with and without a hand that holds it back.

Run it as it stands:  python examples/catch_up_overshoots.py
"""

import ramulus as rm

STRONG = [[0.95, 5.0], [1.2, 1.5]]  # five times the XP below 95 % of the leader's level, and half more even above it


def main() -> None:
    design = rm.demo_design()
    bands = "multipliers.catch-up.bands"
    cases = {
        "as it is": design,
        "stronger, held": design.with_values({bands: STRONG}),
        "stronger, let go": design.with_values({bands: STRONG, "party.hold_below_leader": False}),
    }
    for words, case in cases.items():
        run = rm.play_party(case, encounters=200, parties=200, seed=7)
        caught = run.caught_up()
        even = caught["even_after"].median()
        print(f"{words}: {caught['even_after'].notna().mean():.0%} of the parties are on one level at some time, "
              f"half of those by encounter {even:.0f}")  # fmt: skip
        passed = [f"{who} passes {leader} at level {level}" for who, leader, level, _ in run.overtakings()]
        print("  " + ("; ".join(passed) or "nobody is lifted past the leader"))


if __name__ == "__main__":
    main()
