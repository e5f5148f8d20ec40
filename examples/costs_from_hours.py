"""What costs give these hours? A wish for one kind of player, the costs for it, and what the others make of them.

Run it as it stands:  python examples/costs_from_hours.py
"""

import ramulus as rm

WISH = {2: 0.1, 10: 2.5, 25: 14, 40: 45}  # played hours of the median player by level


def main() -> None:
    design = rm.demo_design()
    paced = rm.costs_for(design, player="steady", hours=WISH)
    costs = paced.track().cost.values
    print(f"{len(costs)} costs, from {costs[0]:,.0f} XP to {costs[-1]:,.0f} XP; the first ten:")
    print(", ".join(f"{cost:,.0f}" for cost in costs[:10]))

    pace = rm.simulate(paced, players=600, seed=11).pace()  # other players than those the costs were found with
    found = pace[pace["level"].isin(WISH)].pivot(index="level", columns="player", values="hours_p50")
    found.insert(0, "wish (steady)", list(WISH.values()))
    print("Hours, median:")
    print(found.round(2).to_string())
    off = (found["steady"] / found["wish (steady)"] - 1).abs().max()
    print(f"The steady player is within {off:.0%} of every wish.")


if __name__ == "__main__":
    main()
