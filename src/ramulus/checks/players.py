"""Checks of players as people: skills that nobody goes after, days with nothing left to do, levels that drive away."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.checks.overview import Overview, overview_of
from ramulus.checks.playing import PLAYED, Trials
from ramulus.errors import DesignError, Problem
from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.pools import drained_pools
from ramulus.rules.quitting import quit_rules
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.still_playing import quit_peaks

if TYPE_CHECKING:
    from ramulus.design import Design

STARVED = 0.2  # Of what weights alone would give.


def check_players(design: Design) -> Iterator[Finding]:
    """Yield what players of some kind do not go after, run out of for the day, or run away from."""
    if not design.sources:
        return
    _try_everyone(design)
    overview = design.derived(overview_of)
    yield from _starved(overview)
    yield from _idle(overview)
    yield from _driven_away(design)


def _try_everyone(design: Design) -> None:
    """Compute what playing needs of every profile at every ability: other checks look at the middle one only.

    Raises:
        DesignError: formulas fail, or give what their places do not allow; the first of each place.
    """
    found: dict[str, Problem] = {}
    for name, player in design.profiles.items():
        needed: list[Callable[[], object]] = [partial(quit_rules, design, name)]
        needed += [partial(_try_tables, design, name, ability) for ability in range(classes_of(player))]
        for call in needed:
            try:
                call()
            except DesignError as error:
                for problem in error.problems:
                    found.setdefault(problem.place, problem)
    if found:
        raise DesignError(list(found.values()))


def _try_tables(design: Design, name: str, ability: int) -> None:
    """Compute what an encounter takes and pays players of one profile and ability."""
    tabulation = tabulated(design)
    profile, on = tabulation.profile(name, ability), tabulation.always_on
    encounters = profile.encounters
    _ = encounters.seconds, encounters.success, encounters.weight, profile.alone.units(on)
    if len(encounters.practice.columns.sources):
        _ = profile.alone.skill_units(on)
    if drained_pools(design):
        pools = profile.pools
        _ = pools.drain, pools.program, pools.rest_seconds(pools.size.sum(axis=0))


def _starved(overview: Overview) -> Iterator[Finding]:
    """Skills whose sources a profile hardly meets, because others pay better."""
    design, grid = overview.tabulation.design, overview.columns
    skills = np.array([next(iter(source.practised), "") for source in design.sources.values()])
    for index, name in enumerate(overview.names):
        player = design.profile(name)
        if not player.pursuit:
            continue
        plain = overview.tabulation.profile(name).chance_by_weight(grid.first_column)[:-1]
        for skill in dict.fromkeys(skills[skills != ""].tolist()):
            mine = skills == skill
            met, would = (float(chance[:, mine].sum()) for chance in (overview.chance[index, :-1], plain))
            if would > 0 and met < STARVED * would:
                sources = [source for source, of_it in zip(grid.sources, mine, strict=True) if of_it]
                yield Finding(
                    "skill-starved", "warning", f"players.{name}.pursuit",
                    f"{name} hardly meets {' and '.join(sources)} any more ({_share(met, plain)} of its encounters "
                    f"over all levels, {_share(would, plain)} by weight alone): {skill} all but stands still",
                    f"raise what {sources[0]} pays, or give {name} a skill_xp_worth",
                )  # fmt: skip


def _share(chance: float, plain: Array) -> str:
    return f"{chance / max(int(plain.any(axis=1).sum()), 1):.1%}"


def _idle(overview: Overview) -> Iterator[Finding]:
    """Levels at which everything that is met comes back only on another day."""
    design, grid = overview.tabulation.design, overview.columns
    daily = np.array([bool(s.limit_per_day or s.limit_per_week) for s in design.sources.values()])[grid.source_of]
    met = np.asarray((overview.weight[:, :-1] > 0).any(axis=0))
    only = met.any(axis=1) & ~met[:, ~daily].any(axis=1)
    if only.any():
        first = int(grid.levels[:-1][only][0])
        sources = {grid.source_at(int(column)) for column in np.nonzero(met[only].any(axis=0))[0]}
        listed = ", ".join(name for name in grid.sources if name in sources)
        yield Finding(
            "day-runs-out", "warning", "sources",
            f"at {int(only.sum())} levels, from level {first} on, only sources with a limit by the day or week are "
            f"open ({listed}): once they are used up, the rest of the play day passes with nothing to do",
            "open a source without such a limit there", first,
        )  # fmt: skip


def _driven_away(design: Design) -> Iterator[Finding]:
    """Levels at which far more players quit than at their neighbours, by playing some."""
    quitters = [name for name, player in design.players.items() if player.patience_hours_per_level is not None]
    track, trials = design.main_track_name, design.derived(Trials)
    for name in quitters:
        played = trials.of(name)
        for peak in quit_peaks(played, design.track().start_level)[:1] if played is not None else ():
            yield Finding(
                "level-drives-away", "warning", f"tracks.{track}.cost",
                f"at level {peak.level}, {peak.share:.0%} of those who come there run out of patience, at its "
                f"neighbours {peak.around:.0%} ({PLAYED} simulated players)",
                "make that level shorter, or give it more to do", peak.level, (name,),
            )  # fmt: skip
