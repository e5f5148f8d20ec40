"""The section of variants: what they state differently, and what comes of it."""

from __future__ import annotations

from ramulus import plots
from ramulus.analysis.words.compared import compared_at_a_glance, compared_in_words, parts_of
from ramulus.analysis.words.heads import COMPARED
from ramulus.page.context import Context, figure
from ramulus.page.parts import Section, Words, table_of


def changes(context: Context) -> Section | None:
    """The design beside its variants, with the differences of paired players."""
    comparison = context.comparison
    if comparison is None:
        return None
    pace = comparison.pace()
    table, heads = compared_at_a_glance(comparison, pace)
    said = [line for line in compared_in_words(comparison, parts_of(comparison)) if line]
    title = f"Beside {comparison.variants[0]}: {', '.join(comparison.variants[1:])}"
    words = " ".join(line.strip() + "." for line in said[1:8])
    drawn = figure(
        "compare", "What changes", lambda: words, plots.compare, comparison,
        numbers=lambda: table_of(pace, COMPARED, "Every level, every profile"),
    )  # fmt: skip
    return Section("changes", "What changes", (Words(tuple(said)), table_of(table, heads, title), drawn))
