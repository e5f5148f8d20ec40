"""From the demo design to a picture of pace: what a designer does in the first five minutes.

Run it as it stands:  python examples/first_look.py [FOLDER]
"""

import sys
from pathlib import Path

import ramulus as rm


def main(folder: Path) -> None:
    design = rm.demo_design()
    print(rm.level_table(design, to_level=6).to_string(index=False))
    print(rm.explain(design, "tracks.warden.cost", level=7))

    eased = design.with_values({"constants.crown_gate": 0})
    for name, one in {"as it is": design, "without the gate": eased}.items():
        pace = rm.simulate(one, players=500, seed=7).pace()
        at_cap = pace[pace["level"] == 40].set_index("player")["hours_p50"]
        print(f"{name}: hours to the cap, median\n{at_cap.round(1).to_string()}")

    figure = rm.plots.pace(rm.simulate(design, players=500, seed=7)).figure
    figure.savefig(folder / "pace.png")
    print(f"wrote {folder / 'pace.png'}")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path())
