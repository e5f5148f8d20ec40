"""Where is the wall? What `check` finds in the costs, what players feel of it, and what smoothing it does.

Run it as it stands:  python examples/where_is_the_wall.py
"""

import ramulus as rm


def main() -> None:
    design = rm.demo_design()
    walls = [finding for finding in rm.check(design) if finding.code == "cost-wall"]
    for wall in walls:
        print(f"{wall.place}, level {wall.level}: {wall.reason}\n  → {wall.way_out}")

    result = rm.simulate(design, players=300, seed=7)
    for row in result.slowest().itertuples():
        print(f"{row.player}: level {row.drags_level:g} takes {row.times:.1f} times what its neighbours suggest")

    # The same XP on top, spread over four levels.
    spread = "first_cost + 24 * (level - 1) ** steepness + (crown_gate / 4 if 18 <= level <= 21 else 0)"
    smoothed = design.with_values({"tracks.warden.cost.formula": spread})
    comparison = rm.compare({"one gate": design, "four steps": smoothed}, players=300, seed=7)
    print("four steps:", "; ".join(comparison.findings().agg("{0[change]} {0[code]}".format, axis=1)))
    for row in rm.simulate(smoothed, players=300, seed=7).slowest().itertuples():
        print(f"{row.player}: no level takes more than {row.times:.1f} times what its neighbours suggest")


if __name__ == "__main__":
    main()
