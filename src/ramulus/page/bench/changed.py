"""What a save changed, or what a value that is tried would change: a section of the report that a bench serves."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from ramulus.comparing import Comparison
from ramulus.comparing.changes import changes
from ramulus.page.parts import Part, Section, Words
from ramulus.page.sections.changes import compared
from ramulus.results.simulate import simulate

if TYPE_CHECKING:
    from ramulus.page.context import Context
    from ramulus.results.result import SimulationResult


class Change(NamedTuple):
    """Why there are two designs: the title of their section, and what each of them is called."""

    title: str
    first: str
    second: str


SAVED = Change("What the last save changed", "before", "now")
TRIED = Change("What is tried, beside the file", "file", "tried")


def changed_section(before: Context, now: Context, why: Change) -> Section:
    """Return what is different between two designs: numbers, pace of paired players, findings and goals.

    Args:
        before: the design as it was, or as it stands in the file.
        now: as it is, or as it is tried.
        why: whether it was saved or is tried.
    """
    parts: list[Part] = []
    if before.design.goals != now.design.goals:
        parts.append(Words(("The goals themselves changed; below, the goals from before are judged in both.",)))
    if before.result is not None and now.result is not None:
        then = _as_long(before.result, now.result)
        return Section("since", why.title, (*parts, *compared(Comparison({why.first: then, why.second: now.result}))))
    lines = [str(change) for change in changes(before.design, now.design)]
    parts.append(Words((*(lines or ["No number changed."]), *_findings(before, now))))
    return Section("since", why.title, tuple(parts))


def _as_long(before: SimulationResult, now: SimulationResult) -> SimulationResult:
    """Return what was played before, over the horizon of now: else who ran out of time would count as slow."""
    if before.hours == now.hours and before.players == now.players:
        return before
    shared = {name: count for name, count in now.players.items() if name in before.design.profiles}
    return simulate(before.design, shared or before.players, now.hours, now.seed)


def _findings(before: Context, now: Context) -> list[str]:
    keys = [{(one.code, one.place) for one in context.findings} for context in (before, now)]
    lost, new = keys[0] - keys[1], keys[1] - keys[0]
    return [
        f"finding {change}: {code} at {place}" for change, some in (("goes", lost), ("comes", new)) for code, place in
        sorted(some)
    ]  # fmt: skip
