"""The app: its commands, and what an error or an interrupt looks like from outside."""

from __future__ import annotations

import errno
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from typing import Annotated

# Its plug-ins would be looked for among everything that is installed; a command has no use for them.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

import typer

from ramulus import __version__
from ramulus.errors import RamulusError, UnknownNameError
from ramulus.showing import harmless

# In the order in which they are shown.
COMMANDS = (
    "demo",
    "new",
    "check",
    "levels",
    "explain",
    "award",
    "effort",
    "simulate",
    "party",
    "compare",
    "sensitivity",
    "tune",
    "plot",
    "report",
    "bench",
    "export",
    "conform",
    "sample",
    "replay",
    "observed",
    "fit",
    "show",
    "compile",
)
LIBRARIES = ("numpy", "numba", "scipy", "pandas", "pydantic", "matplotlib")


def _show_version(wanted: bool) -> None:
    if wanted:
        from importlib.metadata import version
        from platform import python_version

        print(f"ramulus {__version__}")
        print(f"Python {python_version()}, " + ", ".join(f"{name} {version(name)}" for name in LIBRARIES))
        raise typer.Exit


def _main(
    version: Annotated[
        bool, typer.Option("--version", help="Print the version.", callback=_show_version, is_eager=True)
    ] = False,
) -> None:
    pass


def app_of(words: Sequence[str]) -> typer.Typer:
    """Return the app: with the command alone that begins some words, or with all where none does.

    Every option of every command would take longer to be laid out than some of them take to answer.
    """
    app = typer.Typer(
        name="ramulus",
        help="How fast do players level? Costs, awards, growth and simulated players, before the game exists.",
        no_args_is_help=True,
        pretty_exceptions_enable=False,
        rich_markup_mode=None,
    )
    app.callback()(_main)
    for command in words[:1] if words and words[0] in COMMANDS else COMMANDS:
        import_module(f"ramulus.cli.{command}").register(app)
    return app


def run() -> None:
    """Run the command line; exit 0 when done, 1 when the design or data is at fault, 2 when the command line is.

    Raises:
        KeyboardInterrupt: it was interrupted.
    """
    try:
        try:
            _say_what_a_file_is_for(sys.argv[1:])
            app_of(sys.argv[1:])()
        finally:
            sys.stdout.flush()
    except UnknownNameError as error:
        _fail(error, 2)
    except RamulusError as error:
        _fail(error, getattr(error, "exit_status", 1))
    except SystemExit as end:
        # Typer makes a silent exit of an interrupt.
        exit_from = getattr(end.__context__, "__cause__", None)
        if isinstance(exit_from, KeyboardInterrupt):
            raise exit_from from None
        raise
    except OSError as error:
        # Python would complain once more when it closes an output that takes nothing.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        why = "it is closed" if error.errno == errno.EBADF else error.strerror or error
        _fail(RamulusError(f"the output cannot be written ({why})"), 1)


def _say_what_a_file_is_for(words: list[str]) -> None:
    """Where a design stands alone on the command line, say what can be done with it, and end.

    Raises:
        SystemExit: it does.
    """
    if len(words) == 1 and words[0].lower().endswith((".toml", ".json")) and os.path.isfile(words[0]):
        shown = words[0] if " " not in words[0] else f'"{words[0]}"'
        print(f"error: a command is missing; with {harmless(shown)} begin with", file=sys.stderr)
        for command, does in (
            ("check", "what is wrong with it"),
            ("levels", "what each level costs"),
            ("simulate", "how fast players level"),
        ):
            print(f"  ramulus {command} {harmless(shown)}".ljust(40), does, file=sys.stderr)
        sys.exit(2)


def _fail(error: Exception, status: int) -> None:
    example = getattr(error, "example", None)
    for line in (str(error) if example is None else str(error).split("\n")[0]).split("\n"):
        print(f"error: {harmless(line)}", file=sys.stderr)
    if example is not None:
        print(f"\n{example}", file=sys.stderr)
    sys.exit(status)
