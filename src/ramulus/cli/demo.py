"""`ramulus demo`: the full story on the shipped design, in a folder."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Quiet
from ramulus.cli.output import Printing, waiting
from ramulus.cli.side_by_side import side_by_side
from ramulus.cli.simulate import progress_bar
from ramulus.errors import DataError
from ramulus.words.heads import LEVELS

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.page.context import Context
    from ramulus.results.result import SimulationResult

DESIGN, VARIANT, PAGE = "canopy.toml", "canopy_eased.toml", "canopy.html"
TABLES, FIGURES = "tables", "figures"
SHOWN = (1, 2, 5, 10, 15, 20, 21, 25, 30, 35, 40)
TRIAL_PLAYERS = 150  # For a first look at what each number moves; `ramulus sensitivity` plays more.


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(demo)


def demo(
    folder: Annotated[Path, typer.Argument(help="Where to put it.")] = Path("ramulus-demo"),
    players: options.Players = 2000,
    seed: options.Seed = 7,
    quiet: Quiet = False,
) -> None:
    """Run the full story on the shipped design: tables, every figure, a page, and a variant beside it."""
    from ramulus.design import demo_text, load_design, shipped_variants, write_all
    from ramulus.files import table_csv
    from ramulus.page.making import context_of, page_of
    from ramulus.tuning import sensitivity

    texts = {DESIGN: demo_text(), **shipped_variants()}
    _refuse_others_work(folder, texts)
    designs = {folder / name: text for name, text in texts.items()}
    write_all(designs, folders=True)
    design = load_design(folder / DESIGN)
    variants = {Path(name).stem: load_design(folder / name) for name in texts if name != DESIGN}
    with progress_bar(quiet) as progress:
        context = context_of(design, players, None, seed, variants=variants, progress=progress)
    with waiting("moving each constant a little", quiet=quiet):
        context = context.with_sensitivity(sensitivity(design, players=TRIAL_PLAYERS, seed=seed))
    tables = _tables(context)
    with waiting("drawing the figures and the page", quiet=quiet):
        page = page_of(context)
    files = {folder / TABLES / f"{name}.csv": table_csv(table) for name, (_, table) in tables.items()}
    files |= {folder / FIGURES / f"{name}.svg": picture for name, picture in page.pictures().items()}
    write_all({**files, folder / PAGE: page.text}, folders=True)
    if not quiet:
        _say(folder, context, tables, seed)


def _tables(context: Context) -> dict[str, tuple[str, pd.DataFrame]]:
    """Return the demo's tables by name, each with the command that makes it."""
    from ramulus.tables.effort import effort_table
    from ramulus.tables.gain import gain_table
    from ramulus.tables.levels import level_table

    design, result, comparison = context.design, context.result, context.comparison
    assert result is not None
    assert comparison is not None
    assert context.sensitivity is not None
    return {
        "levels": ("levels", level_table(design)),
        "effort": ("effort", effort_table(design)),
        "gain": ("gain", gain_table(design)),
        "pace": ("simulate", result.pace()),
        "time_in_level": ("simulate", result.time_in_level()),
        "goals": ("check", result.goals()),
        "findings": ("check", context.findings.table()),
        "compare": ("compare", comparison.pace()),
        "sensitivity": ("sensitivity", context.sensitivity),
    }


def _say(folder: Path, context: Context, tables: dict[str, tuple[str, pd.DataFrame]], seed: int) -> None:
    """Print a first look, and where to look next."""
    from ramulus.tables.levels import shape_in_words

    design, printing = context.design, Printing("demo")
    assert context.result is not None
    levels = tables["levels"][1]
    few = levels[levels["level"].isin(SHOWN)]
    title = f"{design.title}: some levels (all of them: {TABLES}/levels.csv)"
    printing.table(few, LEVELS, title, shape_in_words(design) + "\n")
    title = f"How fast each kind of player gets there (all levels: {TABLES}/pace.csv)"
    side_by_side(printing, context.result, None, title)
    print(
        f"\nIn {folder}: the design, a variant, {len(tables)} tables and every figure.\nLook first at\n"
        f"  {folder / PAGE}   everything on one page: open it in a browser\n"
        f"  {folder / FIGURES / 'time-in-level.svg'}   {look_first(context.result)}\n"
        f"  ramulus compare {folder / DESIGN} {folder / VARIANT} --seed {seed}   what the game is without that\n"
        f"Then change a number in {folder / DESIGN}, and run  ramulus report {folder / DESIGN}"
    )


def look_first(result: SimulationResult) -> str:
    """Return what the figure of time by level shows first: what drags most, where players enough were played to see."""
    from ramulus.plots.drags import drags_of

    drags = drags_of(result)
    return drags[0].words if drags else "where the time goes"


def _refuse_others_work(folder: Path, texts: dict[str, str]) -> None:
    """Refuse a folder where somebody has edited, or put, what the demo would replace.

    Raises:
        DataError: it is one.
    """
    for name, text in texts.items():
        path = folder / name
        if path.exists() and (not path.is_file() or path.read_bytes() != text.encode()):
            raise DataError(f"{path}: is there already, and differs from the shipped one; give another folder")
    made = any((folder / name).exists() for name in texts)
    there = [name for name in (PAGE, TABLES, FIGURES) if (folder / name).exists() and not _is_empty(folder / name)]
    if there and not made:
        raise DataError(f"{folder / there[0]}: is there already, and no demo made it; give another folder")


def _is_empty(path: Path) -> bool:
    return path.is_dir() and not any(path.iterdir())
