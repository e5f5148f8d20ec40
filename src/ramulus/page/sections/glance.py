"""The first sections: what stands out, the goals, the findings."""

from __future__ import annotations

from ramulus.analysis.goals import judge
from ramulus.analysis.level_table import shape_in_words
from ramulus.analysis.words.glance import at_a_glance, said_by_profile, said_of_all, said_of_counting
from ramulus.page.context import Context
from ramulus.page.parts import Cell, Section, Table, Words, table_of


def glance(context: Context) -> Section:
    """What stands out: how long each kind of player takes, and what is worth a word about each."""
    if context.result is None:
        assert context.missing is not None
        why = f"Nothing was played: {str(context.missing).splitlines()[0]}"
        return Section("glance", "At a glance", (Words((why,), context.missing.example),))
    result = context.result
    table, heads = at_a_glance(result.pace())
    milestones = table_of(table, heads, "Played time to each level: the median player (fast tenth – slow tenth)")
    rows = tuple(
        (Cell(player if not index else ""), Cell(line))
        for player, lines in said_by_profile(result).items()
        for index, line in enumerate(lines)
    )
    about = Table("What stands out", ("player", "what stands out"), rows, numeric=(False, False))
    after = (*said_of_all(result), *said_of_counting(result))
    return Section("glance", "At a glance", (milestones, about, *([Words(after)] if after else [])))


def goals(context: Context) -> Section | None:
    """What became of each goal."""
    if not context.design.goals or context.result is None:
        return None
    order = ("missed", "open", "met")
    rows = []
    for one in sorted(judge(context.result), key=lambda one: order.index(one.verdict)):
        wish, _, found = str(one).partition(": ")
        rows.append((Cell(one.verdict, tone=one.verdict), Cell(one.goal.player), Cell(wish), Cell(found)))
    heads = ("verdict", "player", "wish", "found (95 % interval), and how far off")
    return Section("goals", "Goals", (Table("Goals", heads, tuple(rows), numeric=(False,) * 4),))


def findings(context: Context) -> Section:
    """What `check` finds."""
    shape = Words((shape_in_words(context.design),)) if not context.findings else None
    if shape is not None:
        return Section("findings", "Findings", (Words(("Nothing wrong or suspicious was found.",)), shape))
    rows = tuple(
        (
            Cell(one.severity, tone=one.severity), Cell(one.place or "the file"),
            Cell("" if one.level is None else str(one.level), one.level), Cell(one.reason), Cell(one.way_out),
            Cell(one.code),
        )
        for one in context.findings
    )  # fmt: skip
    heads = ("severity", "place", "level", "what was seen", "a way out", "code")
    numeric = (False, False, True, False, False, False)
    return Section("findings", "Findings", (Table("Findings", heads, rows, numeric=numeric),))
