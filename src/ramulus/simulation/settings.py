"""The numbers of an encounter and of a run, for one profile."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.pursuit import pursuit_of
from ramulus.rules.rounding import ROUNDING_CODES, Rounder
from ramulus.rules.schedule import schedules_of
from ramulus.rules.starting import start_of
from ramulus.simulation.done import counts_days
from ramulus.simulation.long_levels import long_levels

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.profile_tables import ProfileTables

Ints = NDArray[np.int64]


class Settings(NamedTuple):
    """The numbers of an encounter and of the run.

    Attributes:
        extra_seconds, xp_share: what a failure costs and pays.
        seconds_between: seconds between encounters.
        pursuit: the power of what pays in the choice of a source, or ONLY_BEST.
        play_day: millionths of a second in a play day, or 0 without a schedule.
        days_per_week: play days in a week.
        daily: whether anything changes with another day or week.
        rounding, rounding_to: how an award becomes whole, one of ROUNDING_CODES, and a multiple of what.
        least_award: XP.
        horizon: played seconds.
        most_encounters: played one by one, after which a player is given up.
        start_level, start_units: where players start on the main track: the level, from 0, and the XP inside it.
        last_level: the level of the main track at which play ends, from 0: the cap, or one that is enough to know.
        until: the level of each track that has to be reached before play ends; 0 for any; shape (tracks,).
        shape: shape of the gamma distributed time of an encounter; 0 for no variation.
        leaps: at which levels of the main track encounters may be leapt over, shape (L,).
    """

    extra_seconds: float
    xp_share: float
    seconds_between: float
    pursuit: float
    play_day: int
    days_per_week: int
    daily: bool
    rounding: int
    rounding_to: float
    least_award: float
    horizon: float
    most_encounters: int
    start_level: int
    start_units: int
    last_level: int
    until: Ints
    shape: float
    leaps: NDArray[np.bool_]


def make_settings(
    design: Design, tables: ProfileTables, hours: float, most_encounters: int, last_level: int | None = None,
    until: Sequence[str] = (), *, leaps: bool = True,
) -> Settings:  # fmt: skip
    """Return the numbers of an encounter and of the run, for one profile; the arguments are those of `make_stage`."""
    profile = tables.name
    player, start = design.profile(profile), start_of(design, profile)
    failure, schedules, track = design.encounters.failure, schedules_of(design, player), design.track()
    caps = {name: design.track(name).max_level - design.track(name).start_level for name in until}
    return Settings(
        extra_seconds=float(failure.extra_seconds),
        xp_share=float(failure.xp_share),
        seconds_between=float(player.seconds_between),
        pursuit=pursuit_of(player),
        play_day=schedules[0].day if schedules else 0,
        days_per_week=len(schedules[0].days) if schedules else 0,
        daily=looks_at_days(design),
        rounding=ROUNDING_CODES[design.awards.rounding],
        rounding_to=Rounder.of(design.awards).to,
        least_award=float(design.awards.least_award),
        horizon=float(hours) * 3600.0,
        most_encounters=int(most_encounters),
        start_level=start.level,
        start_units=start.units,
        last_level=(track.max_level if last_level is None else last_level) - track.start_level,
        until=np.array([0, *(caps.get(name, 0) for name in design.track_order[1:])], dtype=np.int64),
        shape=shape_of_times(design),
        leaps=long_levels(design, tables) if leaps else np.zeros(track.max_level - track.start_level + 1, np.bool_),
    )


def shape_of_times(design: Design) -> float:
    """Return the shape of the gamma distributed time of an encounter; 0 for no variation."""
    variation = float(design.encounters.variation)
    return 1.0 / variation**2 if variation else 0.0


def looks_at_days(design: Design) -> bool:
    """Return whether anything changes with another day or week, timed rules aside."""
    comes_back = any(source.limit_per_day or source.limit_per_week for source in design.sources.values())
    waits = any(gate.from_day is not None for gate in design.gates)
    return comes_back or waits or counts_days(design) or design.away_bonus is not None
