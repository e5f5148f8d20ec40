"""`ramulus demo`: the full example on the shipped design."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ramulus.analysis.words.glance import summary
from ramulus.analysis.words.heads import LEVELS
from ramulus.cli import options
from ramulus.cli.closing import Quiet
from ramulus.cli.output import Printing
from ramulus.cli.plot import save_figure
from ramulus.cli.side_by_side import side_by_side
from ramulus.cli.simulate import run_simulation
from ramulus.errors import DataError

PRODUCTS = ("levels.csv", "pace.csv", "pace.png")


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(demo)


def demo(
    folder: Annotated[Path, typer.Argument(help="Where to put it.")] = Path("ramulus-demo"),
    players: options.Players = 2000,
    seed: options.Seed = 7,
    quiet: Quiet = False,
) -> None:
    """Run the full example on the shipped design, into a folder, with its tables and pictures."""
    from ramulus.analysis.level_table import level_table, shape_in_words
    from ramulus.design import demo_text, load_design, shipped_variants
    from ramulus.files import write_table

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DataError(f"{folder}: cannot be made ({error.strerror})") from None
    texts = {"canopy.toml": demo_text(), **shipped_variants()}
    _refuse_edited(folder, texts)
    for name, text in texts.items():
        _write_text(folder / name, text)
    design = load_design(folder / "canopy.toml")
    printing = Printing("demo", quiet=quiet)
    levels = level_table(design)
    write_table(levels, folder / "levels.csv", "levels")
    result = run_simulation(design, players, None, seed, quiet)
    pace = result.pace()
    write_table(pace, folder / "pace.csv", "simulate")
    from ramulus import plots

    save_figure(plots.pace(result), folder / "pace.png")
    if not quiet:
        every = [1, 2, 5, 10, 15, 20, 21, 25, 30, 35, 40]
        few = levels[levels["level"].isin(every)]
        printing.table(
            few,
            LEVELS,
            f"{design.title}: some levels (all of them: levels.csv)",
            shape_in_words(design) + "\n",
        )
        title = "How fast each kind of player gets there (all levels: pace.csv)"
        side_by_side(printing, pace, title, summary(result))
        print(f"\nIn {folder}: " + ", ".join(sorted(path.name for path in folder.iterdir())))
        print(
            f"Next: look at {folder / 'pace.png'}, change a number in {folder / 'canopy.toml'}, and run\n  "
            f"ramulus simulate {folder / 'canopy.toml'}"
        )


def _refuse_edited(folder: Path, texts: dict[str, str]) -> None:
    """What somebody has edited, or put there, is not the demo's to replace."""
    for name, text in texts.items():
        path = folder / name
        if path.exists() and (not path.is_file() or path.read_bytes() != text.encode()):
            raise DataError(f"{path}: is there already, and differs from the shipped one; give another folder")
    made = any((folder / name).exists() for name in texts)
    there = [name for name in PRODUCTS if (folder / name).exists()]
    if there and not made:
        raise DataError(f"{folder / there[0]}: is there already, and no demo made it; give another folder")


def _write_text(path: Path, text: str) -> None:
    from ramulus.design import write_whole

    write_whole(path, lambda file: file.write_text(text, encoding="utf-8"))
