"""`ramulus demo`: the full story on the shipped design, in a folder."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.analysis.words.glance import summary
from ramulus.analysis.words.heads import LEVELS
from ramulus.cli import options
from ramulus.cli.closing import Quiet
from ramulus.cli.output import Printing, waiting
from ramulus.cli.side_by_side import side_by_side
from ramulus.cli.simulate import progress_bar
from ramulus.errors import DataError

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.page.context import Context

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
    from ramulus.analysis.tuning import sensitivity
    from ramulus.design import demo_text, load_design, shipped_variants
    from ramulus.page.making import drawn, played, written

    texts = {DESIGN: demo_text(), **shipped_variants()}
    _make_folders(folder, texts)
    for name, text in texts.items():
        _write_text(folder / name, text)
    design = load_design(folder / DESIGN)
    variants = {Path(name).stem: load_design(folder / name) for name in texts if name != DESIGN}
    with progress_bar(quiet) as progress:
        context = played(design, players, None, seed, variants=variants, progress=progress)
    with waiting("moving each constant a little", quiet=quiet):
        context = context.with_sensitivity(sensitivity(design, players=TRIAL_PLAYERS, seed=seed))
    tables = _tables(context)
    _write_tables(tables, folder / TABLES)
    with waiting("drawing the figures and the page", quiet=quiet):
        page = drawn(context)
        written(folder / PAGE, page.text)
        for name, picture in page.pictures().items():
            _write_text(folder / FIGURES / f"{name}.svg", picture)
    if not quiet:
        _say(folder, context, tables, seed)


def _tables(context: Context) -> dict[str, tuple[str, pd.DataFrame]]:
    """Return the demo's tables by name, each with the command that makes it."""
    from ramulus.analysis.effort import effort_table
    from ramulus.analysis.gain import gain_table
    from ramulus.analysis.level_table import level_table

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


def _write_tables(tables: dict[str, tuple[str, pd.DataFrame]], folder: Path) -> None:
    from ramulus.files import write_table

    for name, (command, table) in tables.items():
        write_table(table, folder / f"{name}.csv", command)


def _say(folder: Path, context: Context, tables: dict[str, tuple[str, pd.DataFrame]], seed: int) -> None:
    """Print a first look, and where to look next."""
    from ramulus.analysis.level_table import shape_in_words
    from ramulus.plots.drags import drags_of

    design, printing = context.design, Printing("demo")
    assert context.result is not None
    levels = tables["levels"][1]
    few = levels[levels["level"].isin(SHOWN)]
    title = f"{design.title}: some levels (all of them: {TABLES}/levels.csv)"
    printing.table(few, LEVELS, title, shape_in_words(design) + "\n")
    title = f"How fast each kind of player gets there (all levels: {TABLES}/pace.csv)"
    side_by_side(printing, tables["pace"][1], title, summary(context.result))
    print(
        f"\nIn {folder}: the design, a variant, {len(tables)} tables and every figure.\nLook first at\n"
        f"  {folder / PAGE}   everything on one page: open it in a browser\n"
        f"  {folder / FIGURES / 'time-in-level.svg'}   {drags_of(context.result)[0].words}\n"
        f"  ramulus compare {folder / DESIGN} {folder / VARIANT} --seed {seed}   what the game is without that\n"
        f"Then change a number in {folder / DESIGN}, and run  ramulus report {folder / DESIGN}"
    )


def _make_folders(folder: Path, texts: dict[str, str]) -> None:
    """Make the folders; what somebody has edited, or put there, is not the demo's to replace."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DataError(f"{folder}: cannot be made ({error.strerror})") from None
    for name, text in texts.items():
        path = folder / name
        if path.exists() and (not path.is_file() or path.read_bytes() != text.encode()):
            raise DataError(f"{path}: is there already, and differs from the shipped one; give another folder")
    made = any((folder / name).exists() for name in texts)
    there = [name for name in (PAGE, TABLES, FIGURES) if (folder / name).exists()]
    if there and not made:
        raise DataError(f"{folder / there[0]}: is there already, and no demo made it; give another folder")
    for name in (TABLES, FIGURES):
        (folder / name).mkdir(exist_ok=True)


def _write_text(path: Path, text: str) -> None:
    from ramulus.design import write_whole

    write_whole(path, lambda file: file.write_text(text, encoding="utf-8"))
