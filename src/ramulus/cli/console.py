"""Weight, and a little colour, for what matters on a terminal; nothing of it elsewhere, or where NO_COLOR is set."""

from __future__ import annotations

import os
import re
from typing import TYPE_CHECKING

from ramulus.showing import harmless

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

WIDTH = 100
# Colours that are read on light and on dark ground, which plain yellow and green are not.
STYLES = {
    "error": "bold red", "missed": "bold red", "warning": "bold color(130)", "open": "bold color(130)", "note": "bold",
    "met": "color(34)", "strong": "bold", "quiet": "dim",
}  # fmt: skip
# What stands out in the words that commands print: severities and verdicts at the start of their lines, the level
# that drags, and what a change turned.
_MARKED = tuple(
    re.compile(pattern, re.MULTILINE)
    for pattern in (
        r"^(?P<error>error)(?= )", r"^(?P<warning>warning)(?= )", r"^(?P<note>note)(?= )",
        r"^  (?P<missed>missed)  ", r"^  (?P<open>open)  ", r"^  (?P<met>met)  ",
        r"(?P<strong>slowest: level \d+, [\d.,]+ (?:h|min))",
        r"(?P<strong>(?:level \d+, [\d.,]+ (?:h|min), |it )takes [\d.]+ times)",
        r"(?P<strong>at level \d+, [\d.]+% of those who come there run out of patience)",
        r"^ +goal (?P<met>met) instead", r"^ +goal (?P<missed>missed) instead",
    )
)  # fmt: skip


def console(*, stderr: bool = False) -> Console:
    """Return where a command prints for a reader."""
    from rich.console import Console

    plain = bool(os.environ.get("NO_COLOR"))
    return Console(stderr=stderr, width=WIDTH, highlight=False, soft_wrap=False, color_system=None if plain else "auto")


def toned(text: str) -> Text:
    """Return words with what matters in them marked."""
    from rich.text import Text

    words = Text(text := harmless(text))
    for pattern in _MARKED:
        for found in pattern.finditer(text):
            name = str(found.lastgroup)
            words.stylize(STYLES[name], *found.span(name))
    return words


def tone_of(column: str, cell: str) -> str:
    """Return the style of a cell that holds a verdict or a severity; else none."""
    return STYLES.get(cell.split(" ")[0], "") if column in ("verdict", "severity") else ""


def say(text: str) -> None:
    """Print words for a reader; lines that are already broken stay as they are."""
    console().print(toned(text), soft_wrap=True)
