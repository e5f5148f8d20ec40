"""The section of recorded play: the forecast beside what players did."""

from __future__ import annotations

from ramulus import plots
from ramulus.page.context import Context, figure
from ramulus.page.parts import Section, Table, Words, table_of
from ramulus.page.sections.summary import goals_in_rows
from ramulus.words.recorded import OBSERVED, observed_lines


def recorded(context: Context) -> Section | None:
    """How fast recorded players were, and where they were not as forecast; nothing where no log was given."""
    found = context.observed
    if found is None:
        return None

    def words() -> str:
        return "; ".join(line.strip() for line in observed_lines(found))

    def numbers() -> Table:
        return table_of(found.pace(), OBSERVED, "Hours to each level, recorded and forecast")

    drawn = figure("observed", "Recorded play", words, plots.observed, found, numbers=numbers)
    said = Words(tuple(found.log.said()))
    goals = (goals_in_rows(found.judged, "What is wished, and what is in this log"),) if found.judged else ()
    return Section("recorded", "Recorded play", (said, drawn, *goals))
