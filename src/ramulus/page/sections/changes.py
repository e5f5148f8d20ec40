"""The section of variants: what they state differently, and what comes of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus import plots
from ramulus.page.context import Context, figure
from ramulus.page.parts import Groups, Part, Section, Words, table_of
from ramulus.words.compared import compared_at_a_glance, compared_in_words, parts_of
from ramulus.words.heads import COMPARED

if TYPE_CHECKING:
    from ramulus.comparing import Comparison

DEEPER = "    "


def changes(context: Context) -> Section | None:
    """The design beside its variants, with the differences of paired players."""
    if context.comparison is None:
        return None
    return Section("changes", "What changes", compared(context.comparison))


def compared(comparison: Comparison) -> tuple[Part, ...]:
    """Return in words, numbers and a figure what is different between the first design and the others."""
    pace = comparison.pace()
    table, heads = compared_at_a_glance(comparison, pace)
    first, *blocks = "\n".join(compared_in_words(comparison, parts_of(comparison))[1:]).split("\n\n")
    groups = [(name, _points(lines)) for name, *lines in (block.splitlines() for block in blocks)]
    title = f"Beside {comparison.variants[0]}: {', '.join(comparison.variants[1:])}"
    words = " ".join(f"{name}: {'; '.join(lines)}." for name, lines in groups)
    drawn = figure(
        "compare", "What changes", lambda: words, plots.compare, comparison,
        numbers=lambda: table_of(pace, COMPARED, "Every level, every profile"),
    )  # fmt: skip
    return Words(tuple(first.splitlines())), Groups(tuple(groups)), table_of(table, heads, title), drawn


def _points(lines: list[str]) -> tuple[str, ...]:
    """Return a point a line; what is set in below a line belongs to it."""
    points: list[str] = []
    for line in lines:
        if line.startswith(DEEPER) and points:
            points[-1] += f"; {line.strip()}"
        else:
            points.append(line.strip())
    return tuple(points)
