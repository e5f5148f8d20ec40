"""The first sections: what stands out, the goals, the findings."""

from __future__ import annotations

import pandas as pd

from ramulus import plots
from ramulus.goals import Judged, judge
from ramulus.page.context import Context, figure
from ramulus.page.parts import Cell, Groups, Section, Table, Words, table_of
from ramulus.tables.levels import shape_in_words
from ramulus.words.glance import at_a_glance
from ramulus.words.heads import PACE
from ramulus.words.milestones import pace_in_words
from ramulus.words.summary import said_by_profile, said_of_all, said_of_counting

ORDER = ("missed", "open", "met")
SEVERITIES = ("error", "warning", "note")


def summary(context: Context) -> Section:
    """What stands out: how long each kind of player takes, and what is worth a word about each."""
    if context.result is None:
        assert context.missing is not None
        why = f"Nothing was played: {str(context.missing).splitlines()[0]}"
        return Section("glance", "At a glance", (Words((why,), context.missing.example),))
    result = context.result
    pace = result.pace()
    table, heads, _ = at_a_glance(result)
    title = "Played time to each level: the median player (fast tenth – slow tenth)"
    milestones = table_of(pd.DataFrame(table), heads, title)
    stands_out = Groups(tuple((player, tuple(lines)) for player, lines in said_by_profile(result).items()))
    drawn = figure(
        "pace", "Pace", lambda: pace_in_words(pace), plots.pace, result,
        numbers=lambda: table_of(pace, PACE, "Every level, every profile"),
    )  # fmt: skip
    after = (*said_of_all(result), *said_of_counting(result))
    first = Words((_in_short(context),))
    return Section("glance", "At a glance", (first, drawn, milestones, stands_out, *([Words(after)] if after else [])))


def _in_short(context: Context) -> str:
    """Return the verdict in a sentence: goals, findings."""
    said = []
    if context.design.goals and context.result is not None:
        verdicts = [one.verdict for one in judge(context.result)]
        counts = {word: verdicts.count(word) for word in ORDER if word in verdicts}
        said.append("goals: " + ", ".join(f"{count} {word}" for word, count in counts.items()))
    found = [one.severity for one in context.findings]
    words = [f"{found.count(one)} {one}{'s' if found.count(one) > 1 else ''}" for one in SEVERITIES if one in found]
    said.append("findings: " + (", ".join(words) or "none"))
    text = "; ".join(said) + "."
    return text[0].upper() + text[1:]


def goals(context: Context) -> Section | None:
    """What became of each goal."""
    if not context.design.goals or context.result is None:
        return None
    return Section("goals", "Goals", (goals_in_rows(judge(context.result), "What is wished, and what was played"),))


def goals_in_rows(judged: list[Judged], title: str) -> Table:
    """Return judged goals as a table of the page, missed ones first."""
    rows = []
    for one in sorted(judged, key=lambda one: ORDER.index(one.verdict)):
        found = str(one).removeprefix(f"{one.words}: ")
        rows.append((Cell(one.verdict, tone=one.verdict), Cell(one.goal.player), Cell(one.words), Cell(found)))
    heads = ("verdict", "player", "wish", "found (95 % interval), and how far off")
    return Table(title, heads, tuple(rows), numeric=(False,) * 4)


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
    return Section(
        "findings", "Findings", (Table("What is wrong or suspicious, and a way out", heads, rows, numeric=numeric),)
    )
