"""Checks of what can be reached: levels without a lasting source, tracks that nothing feeds, a cap out of sight."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.checks.overview import Overview, overview_of
from ramulus.design.names import stat_track

if TYPE_CHECKING:
    from ramulus.design import Design

FAR_HOURS = 1000


def check_reach(design: Design) -> Iterator[Finding]:
    """Yield levels that players cannot leave, or not for long, and tracks that nobody can climb."""
    if not design.sources:
        return
    yield from _unfed(design)
    overview = design.derived(overview_of)
    yield from _closed(overview)
    yield from _limited_only(overview)
    yield from _far_cap(overview)


def _closed(overview: Overview) -> Iterator[Finding]:
    grid = overview.columns
    playing = grid.levels[:-1]
    is_open = np.asarray((overview.weight[:, :-1] > 0).any(axis=0))
    nowhere = np.nonzero(~is_open.any(axis=1))[0]
    if len(nowhere):
        listed = ", ".join(f"{playing[i]:g}" for i in nowhere[:6]) + (" …" if len(nowhere) > 6 else "")
        yield Finding(
            "level-without-source", "error", "sources",
            f"no source is open at level {listed}: players are stuck there",
            "open a source there (from_level, to_level)", int(playing[nowhere[0]]),
        )  # fmt: skip
    for index, name in enumerate(grid.sources):
        if not is_open[:, grid.of([index])].any():
            yield Finding(
                "source-never-open", "warning", f"sources.{name}",
                "it is open at no level that is played, or its weight is 0 wherever it is",
                "change from_level, to_level or its weight",
            )  # fmt: skip
    limited = [s for s in overview.tabulation.design.sources.values() if s.limit is not None]
    if limited and len(limited) == len(overview.tabulation.design.sources):
        yield Finding(
            "sources-run-out", "warning", "sources", "every source has a limit: players may run out of all of them",
            "leave one source without a limit",
        )  # fmt: skip


def _levels_in_words(levels: list[int]) -> str:
    """Return levels as spans: 3–5, 9."""
    spans: list[list[int]] = []
    for level in levels:
        if spans and level == spans[-1][-1] + 1:
            spans[-1] = [spans[-1][0], level]
        else:
            spans.append([level])
    words = ["–".join(map(str, span)) for span in spans]
    return ", ".join(words[:6]) + (" …" if len(words) > 6 else "")


def _limited_only(overview: Overview) -> Iterator[Finding]:
    """Levels at which everything that is met runs out, and how far that carries."""
    grid, sources = overview.columns, overview.tabulation.design.sources
    lasting = np.array([source.limit is None for source in sources.values()])[grid.source_of]
    met = np.asarray((overview.weight[:, :-1] > 0).any(axis=0))
    only = met.any(axis=1) & ~met[:, lasting].any(axis=1)
    if not only.any() or not lasting.any():
        return
    levels = [int(level) for level in grid.levels[:-1][only]]
    there = {grid.source_at(int(column)) for column in np.nonzero(met[only].any(axis=0))[0]}
    first = np.array([name in there for name in grid.sources])
    uses = np.array([source.limit or 0 for source in sources.values()])
    most = float((uses * overview.award[:, :-1][:, only][:, :, grid.first_column].max(axis=(0, 1)))[first].sum())
    cost = float(overview.tabulation.main.curve.costs[only].sum())
    listed = ", ".join(name for name in grid.sources if name in there)
    yield Finding(
        "limited-only", "warning", "sources",
        f"at level {_levels_in_words(levels)} only sources with a limit are open ({listed}): all their uses pay at "
        f"most {most:,.0f} XP, and those levels cost {cost:,.0f} XP",
        "open a source without a limit there", levels[0],
    )  # fmt: skip


def _unfed(design: Design) -> Iterator[Finding]:
    practised = {skill for source in design.sources.values() for skill in source.practised}
    for track in design.track_order[1:]:
        if track not in practised:
            stats = [name for name, stat in design.stats.items() if stat_track(design, stat) == track]
            held = f", and {', '.join(stats)} stays as it starts" if stats else ""
            yield Finding(
                "track-unfed", "warning", f"tracks.{track}",
                f"no source practises it: nobody gains a level of it{held}",
                f'give a source skill = "{track}" and skill_xp, or remove the track',
            )  # fmt: skip


def _far_cap(overview: Overview) -> Iterator[Finding]:
    """A bound, not an estimate: nobody earns more by the hour than the best source that is open pays in the mean."""
    grid, costs = overview.columns, overview.tabulation.main.curve.costs
    with np.errstate(divide="ignore", invalid="ignore"):
        by_hour = 3600 * overview.xp[:, :-1] / overview.spent[:, :-1]
        rate = np.where(overview.weight[:, :-1] > 0, by_hour, 0.0).max(axis=2)
        hours = costs / rate
    least = hours.sum(axis=1)
    for index, name in enumerate(overview.names):
        if FAR_HOURS <= least[index] < np.inf:
            worst = int(hours[index].argmax())
            yield Finding(
                "cap-far", "warning", f"tracks.{overview.tabulation.design.main_track_name}.max_level",
                f"the cap is at least {least[index]:,.0f} played hours away, met at the best-paying source "
                f"alone, timed multipliers off; level {grid.levels[worst]:g} alone takes {hours[index, worst]:,.0f} h",
                "lower the costs, raise the XP, or lower max_level", int(grid.levels[worst]), (name,),
            )  # fmt: skip
