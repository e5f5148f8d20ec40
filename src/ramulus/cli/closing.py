"""The options that close every command, stated once: values to try, how and where to print, quiet."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NamedTuple

import typer

from ramulus.cli import completing, options
from ramulus.cli.output import Printing
from ramulus.errors import DataError, DesignError

if TYPE_CHECKING:
    from ramulus.design import Design

Changes = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="NAME=VALUE",
        help="Try a value without editing the file (repeatable).",
        autocompletion=completing.settings,
    ),
]
Form = Annotated[
    options.Format, typer.Option("--format", help="How to print the table; records: its rows alone, a JSON list.")
]
VerdictForm = Annotated[
    options.VerdictFormat,
    typer.Option("--format", help="How to print it; sarif: for code hosts, junit: for test reports (XML)."),
]
TableFile = Annotated[
    Path | None,
    typer.Option("--output", "-o", help="Write the table to a file, by its ending: .csv .json .xlsx .parquet"),
]
FigureFile = Annotated[
    Path | None, typer.Option("--output", "-o", help="The file: .png, .svg or .pdf (default: KIND.png).")
]
Columns = Annotated[
    str | None, typer.Option("--columns", metavar="A,B,…", help="Show only these columns, in this order.")
]
About = Annotated[
    bool, typer.Option("--about", help="In CSV, too, say above the table what it was made from (lines with #).")
]
Quiet = Annotated[bool, typer.Option("--quiet", help="No progress and no messages.")]

SAID = ("seed", "players", "hours")  # What tables say of how they were made, where a command asks for it.

PageFile = Annotated[Path | None, typer.Option("--output", "-o", help="The file, .html (default: FILE.html).")]


class Outcome(NamedTuple):
    """What a command makes: its closing options with their defaults, and what refuses a file that cannot take it.

    The latter is given the file, and whether a table's rows are to stand alone in it.
    """

    options: dict[str, tuple[Any, Any]]
    check: Callable[[Path, bool], object]


def _outcome(output: Any, check: Callable[[Path, bool], object], **own: tuple[Any, Any]) -> Outcome:
    return Outcome({"changes": (Changes, None), **own, "output": (output, None), "quiet": (Quiet, False)}, check)


def _check_table(path: Path, records: bool) -> None:
    from ramulus.files import check_table_file

    check_table_file(path, records=records)


def _check_figure(path: Path, _: bool) -> None:
    from ramulus.design import refuse_strange_ending

    refuse_strange_ending(path, "figure", (".png", ".svg", ".pdf"))


def _check_page(path: Path, _: bool) -> None:
    from ramulus.page.making import check_page_ending

    check_page_ending(path)


TABLE = _outcome(
    TableFile, _check_table, form=(Form, options.Format.table), columns=(Columns, None), about=(About, False)
)
VERDICTS = _outcome(
    TableFile, _check_table, form=(VerdictForm, options.VerdictFormat.table), columns=(Columns, None),
    about=(About, False),
)  # fmt: skip
FIGURE = _outcome(FigureFile, _check_figure)
PAGE = _outcome(PageFile, _check_page)


@dataclass(frozen=True)
class Closing:
    """What the closing options of one call say; `verdicts` is sarif or junit where they are asked for."""

    changes: list[str] | None = None
    form: options.Format = options.Format.table
    columns: str | None = None
    output: Path | None = None
    quiet: bool = False
    check: Callable[[Path, bool], object] = _check_table
    verdicts: str = ""
    about: bool = False
    asked: dict[str, Any] = field(default_factory=dict)
    loaded: list[Path] = field(default_factory=list)
    designs: list[Design] = field(default_factory=list)

    def load(self, file: Path) -> Design:
        """Return the design of a file with the values of `--set` put in."""
        self.spare(file)  # Also where it turns out to be at fault, and what is written says so.
        self._check_output()
        if file not in self.loaded:
            self.loaded.append(file)
        design = options.load(file, self.changes)
        self.spare(*files_of(design))
        self.designs.append(design)
        return design

    def spare(self, *files: Path) -> None:
        """Refuse to write the output over a file that the command reads.

        Raises:
            BadParameter: it is one of them.
        """
        for file in files:
            if self.output is not None and _are_one(file, self.output):
                raise typer.BadParameter(f"{self.output} is what the command reads", param_hint="--output")

    def _check_output(self) -> None:
        """Refuse an output that cannot be written, before any work is done that would be lost.

        Raises:
            DataError: it cannot be of that kind, or its folder is not there.
        """
        if self.output is None:
            return
        if not self.verdicts:
            self.check(self.output, self.form is options.Format.records)
        if not self.output.parent.is_dir():
            raise DataError(f"{self.output}: cannot be written (there is no folder {self.output.parent})")

    @property
    def shows_table(self) -> bool:
        """Whether a table is printed for a reader, not for another program."""
        return self.form is options.Format.table and self.output is None and not self.columns

    def put(self, command: str, text: str) -> None:
        """Print a text, or write it whole to the output and say so."""
        from ramulus.design import write_whole

        if self.output is None:
            print(text)
            return
        write_whole(self.output, text + "\n")
        self.printing(command).say(f"wrote {self.output}")

    def printing(self, command: str, *, stopped: str = "") -> Printing:
        """Return how a command prints its table; what a stopped run has done goes beside the output, marked."""
        output = self.output
        if stopped and output is not None:
            output = output.with_name(f"{output.stem}.partial{output.suffix}")
        columns = tuple(name.strip() for name in (self.columns or "").split(",") if name.strip())
        marks = {"stopped": stopped} if stopped else {}
        return Printing(
            command, self.form, output, self.quiet, columns, marks, self.made_from, self._own_columns(), self.about
        )

    def _own_columns(self) -> frozenset[str]:
        """Return the columns that designs name: stats, multipliers, and what is shown of encounters."""
        return frozenset(
            name
            for one in self.designs
            for name in (*one.stats, *(rule.name for rule in one.multipliers), *one.encounters.show)
        )

    def made_from(self) -> dict[str, Any]:
        """Return what a command's tables are made from: the designs, this version, and what was asked for."""
        from ramulus import __version__

        said: dict[str, Any] = {
            "title": [one.title for one in self.designs], "design": [one.digest for one in self.designs],
        }  # fmt: skip
        if len(self.designs) <= 1:
            said = {name: values[0] for name, values in said.items() if values}
        return {**said, "version": __version__, **{name: one for name, one in self.asked.items() if one is not None}}


def _are_one(file: Path, other: Path) -> bool:
    try:
        return file.samefile(other)
    except (OSError, ValueError):  # One of them is not there, or is no name of a file.
        return False


def files_of(design: Design) -> list[Path]:
    """Return the files that a design names: what it includes and extends, and files of costs."""
    return [*design.files[1:], *design.cost_files]


def closed(function: Callable[..., None], outcome: Outcome = TABLE) -> Callable[..., None]:
    """Return a command whose closing options arrive as one `Closing`, its parameter `closing`."""
    kinds = outcome.options
    signature = inspect.signature(function, eval_str=True)
    first = [parameter for parameter in signature.parameters.values() if parameter.name != "closing"]
    last = [
        inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=default, annotation=kind)
        for name, (kind, default) in kinds.items()
    ]

    @wraps(function)
    def run(**given: Any) -> None:
        own = {name: given.pop(name) for name in kinds}
        if isinstance(form := own.get("form"), options.VerdictFormat):
            is_table = form.value in [one.value for one in options.Format]
            own |= {"form": options.Format(form.value)} if is_table else {"form": options.Format.json, "verdicts": form}
        asked = {name: given[name] for name in SAID if name in given}
        closing = Closing(**own, asked=asked, check=outcome.check)
        try:
            function(**given, closing=closing)
        except DesignError as error:
            # One that was found on evaluating does not say whose it is; of several designs, whoever plays them does.
            error.file = error.file or (str(closing.loaded[0]) if len(closing.loaded) == 1 else None)
            raise

    parameters = [parameter.replace(kind=inspect.Parameter.KEYWORD_ONLY) for parameter in first] + last
    run.__signature__ = signature.replace(parameters=parameters)  # type: ignore[attr-defined]
    run.__annotations__ = {parameter.name: parameter.annotation for parameter in parameters}
    return run
