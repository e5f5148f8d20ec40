"""The arrays that a kernel plays over: one profile's tables, the tracks, and the numbers of an encounter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.pursuit import pursuit_of
from ramulus.rules.quitting import QuitRules, quit_rules
from ramulus.rules.rounding import ROUNDING_CODES, Rounder
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.starting import start_of
from ramulus.rules.tabulation import tabulated
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_laws import XpTables, xp_tables

if TYPE_CHECKING:
    from ramulus.design import Design

Ints = NDArray[np.int64]
HARDLY_EVER = 1e-6  # Less than once in as many encounters as anybody is played for.


class Sources(NamedTuple):
    """What is the same for every profile. S sources, L levels of the main track.

    Attributes:
        first_column: where the columns of each source start, shape (S,).
        practises: the track a source awards skill XP to, or -1, shape (S,).
        reads: the track whose level picks a source's column, or -1, shape (S,).
        limits: successes a player can have at each source, ever, in a play day and in a week, or 0, shape (3, S).
        xp: what XP is drawn from.
    """

    first_column: Ints
    practises: Ints
    reads: Ints
    limits: Ints
    xp: XpTables


class World(NamedTuple):
    """One profile's tables. A classes of ability: all, or 1 where they are alike; C columns; W states of timed rules.

    Attributes:
        seconds, success, weight: per encounter, shape (A, L, C).
        pay: XP by the hour where players choose by it, shape (A, L, C); no levels where they do not.
        factor: the product of multipliers, shape (A, W, L, C).
        units: what a failure (0) and a success (1) award where the XP is fixed, in units, shape (A, W, 2, L, C).
        skill_units: what they award to the skill practised, in its units, shape (A, W, 2, L, C).
        lost: what a failure takes at each level, in units, shape (L,).
        borders, state: from which played second on which of the W states holds, for each schedule, shape (B,).
        first_border: where the borders of each schedule start, and one past the last, shape (schedules + 1,).
    """

    seconds: Array
    success: Array
    weight: Array
    pay: Array
    factor: Array
    units: Ints
    skill_units: Ints
    lost: Ints
    borders: Array
    state: Ints
    first_border: Ints


class Tracks(NamedTuple):
    """The overflow rules of all tracks, one item a track but for `costs`; the first is the main one.

    Attributes:
        costs: the costs of all tracks one after the other, units.
        start_units: XP inside the start level at the start.
        first, cap, scale, carry, carry_limit, more, most_ups, whole, at_cap, may_drop: as in `Overflow`.
    """

    costs: Ints
    start_units: Ints
    first: Ints
    cap: Ints
    scale: Ints
    carry: Ints
    carry_limit: Ints
    more: Ints
    most_ups: Ints
    whole: NDArray[np.bool_]
    at_cap: Ints
    may_drop: NDArray[np.bool_]


class Settings(NamedTuple):
    """The numbers of an encounter and of the run.

    Attributes:
        extra_seconds, xp_share: what a failure costs and pays.
        seconds_between: seconds between encounters.
        pursuit: the power of what pays in the choice of a source, or ONLY_BEST.
        play_day: millionths of a second in a play day, or 0 without a schedule.
        days_per_week: play days in a week.
        daily: whether uses of some source come back with another day or week.
        rounding, rounding_to: how an award becomes whole, one of ROUNDING_CODES, and a multiple of what.
        least_award: XP.
        horizon: played seconds.
        most_encounters: after which a player is given up.
        start_level, start_units: where players start on the main track: the level, from 0, and the XP inside it.
        last_level: the level of the main track at which play ends, from 0: the cap, or one that is enough to know.
        until: the level of each track that has to be reached before play ends; 0 for any; shape (tracks,).
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


@dataclass(frozen=True, eq=False)
class Stage:
    """Everything that one profile is played with; plain arrays, so it crosses process borders.

    Attributes:
        profile: the profile's name.
        spread: sigma of the players' own factor on time.
        shape: shape of the gamma distributed time of an encounter; 0 for no variation.
        schedules: the schedules that its players have.
        sources, world, tracks, settings: the arrays.
        quitting: when its players quit, or None.
    """

    profile: str
    spread: float
    shape: float
    schedules: tuple[Schedule, ...]
    sources: Sources
    world: World
    tracks: Tracks
    settings: Settings
    quitting: QuitRules | None


def make_stage(
    design: Design, profile: str, hours: float, most_encounters: int, last_level: int | None = None,
    until: Sequence[str] = (),
) -> Stage:  # fmt: skip
    """Return a design's arrays for one profile; play ends at the last level (default: the cap).

    Args:
        design: the design.
        profile: the profile's name.
        hours: the horizon in played hours.
        most_encounters: after which a player is given up.
        last_level: the level of the main track that is enough.
        until: further tracks whose caps have to be reached before play ends, where players still practise them.

    Raises:
        DesignError: a formula fails somewhere, or gives what its place does not allow, or awards are too large.
        MissingPartError: sources, or the time of an encounter, are missing.
    """
    player = design.profile(profile)
    tables = [tabulated(design).profile(profile, ability) for ability in range(classes_of(player))]
    until = [name for name in until if any(is_practised_at_cap(one, name) for one in tables)]
    return Stage(
        profile=profile,
        spread=float(player.spread),
        shape=shape_of_times(design),
        schedules=schedules_of(design, player),
        sources=design.derived(make_sources),
        world=make_world(tables, tables[0].timeline(hours)),
        tracks=design.derived(make_tracks),
        settings=make_settings(design, profile, hours, most_encounters, last_level, until),
        quitting=quit_rules(design, profile),
    )


def is_practised_at_cap(profile: ProfileTables, track: str) -> bool:
    """Return whether who stands at the main track's cap still practises a skill, so that playing on changes it."""
    columns, design = profile.tables.columns, profile.tables.design
    mine = np.array([source.skill == track for source in design.sources.values()])
    highest = design.track(track).max_level
    chances = [profile.chance(columns.at_skill(level))[-1, mine].sum() for level in (None, highest)]
    return bool(max(chances) > HARDLY_EVER)


def shape_of_times(design: Design) -> float:
    """Return the shape of the gamma distributed time of an encounter; 0 for no variation."""
    variation = float(design.encounters.variation)
    return 1.0 / variation**2 if variation else 0.0


def make_sources(design: Design) -> Sources:
    """Return what is the same for every profile."""
    order, columns = design.track_order, tabulated(design).columns
    sources = list(design.sources.values())
    return Sources(
        first_column=columns.first_column,
        practises=np.array([order.index(s.skill) if s.skill else -1 for s in sources], dtype=np.int64),
        reads=np.array([order.index(track) if track else -1 for track in columns.skill_track], dtype=np.int64),
        limits=np.array([source.limits for source in sources], dtype=np.int64).T.copy(),
        xp=xp_tables(tabulated(design).laws),
    )


def make_tracks(design: Design) -> Tracks:
    """Return the overflow rules of all tracks, the main one first.

    Raises:
        DesignError: costs are at fault, or too large to be counted exactly.
    """
    tables = [tabulated(design).tracks[name] for name in design.track_order]
    for track in tables:
        track.refuse_beyond_exact()
    rules = [track.overflow for track in tables]
    caps = np.array([rule.cap for rule in rules], dtype=np.int64)
    return Tracks(
        costs=np.concatenate([np.array(rule.costs, dtype=np.int64) for rule in rules]),
        start_units=np.array([track.start_units for track in tables], dtype=np.int64),
        first=np.concatenate([[0], np.cumsum(caps)[:-1]]).astype(np.int64),
        cap=caps,
        scale=np.array([rule.scale for rule in rules], dtype=np.int64),
        carry=np.array([rule.carry for rule in rules], dtype=np.int64),
        carry_limit=np.array([rule.carry_limit for rule in rules], dtype=np.int64),
        more=np.array([rule.more for rule in rules], dtype=np.int64),
        most_ups=np.array([rule.most_ups for rule in rules], dtype=np.int64),
        whole=np.array([rule.whole for rule in rules], dtype=np.bool_),
        at_cap=np.array([rule.at_cap for rule in rules], dtype=np.int64),
        may_drop=np.array([rule.may_drop for rule in rules], dtype=np.bool_),
    )


def make_settings(
    design: Design, profile: str, hours: float, most_encounters: int, last_level: int | None = None,
    until: Sequence[str] = (),
) -> Settings:  # fmt: skip
    """Return the numbers of an encounter and of the run, for one profile; the arguments are those of `make_stage`."""
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
        daily=any(source.limit_per_day or source.limit_per_week for source in design.sources.values()),
        rounding=ROUNDING_CODES[design.awards.rounding],
        rounding_to=Rounder.of(design.awards).to,
        least_award=float(design.awards.least_award),
        horizon=float(hours) * 3600.0,
        most_encounters=int(most_encounters),
        start_level=start.level,
        start_units=start.units,
        last_level=(track.max_level if last_level is None else last_level) - track.start_level,
        until=np.array([0, *(caps.get(name, 0) for name in design.track_order[1:])], dtype=np.int64),
    )


def make_world(tables: list[ProfileTables], when: Timeline) -> World:
    """Return one profile's tables, those of each class of ability, for the states of its timed rules."""
    return World(
        seconds=np.stack([one.encounters.seconds for one in tables]),
        success=np.stack([one.encounters.success for one in tables]),
        weight=np.stack([one.encounters.weight for one in tables]),
        pay=pays_of(tables),
        factor=np.stack([[one.alone.product(on) for on in when.states] for one in tables]),
        units=np.stack([[one.alone.units(on) for on in when.states] for one in tables]),
        skill_units=np.stack([[one.alone.skill_units(on) for on in when.states] for one in tables]),
        lost=tables[0].tables.lost,
        borders=when.border_seconds,
        state=when.state,
        first_border=when.first,
    )


def pays_of(tables: list[ProfileTables]) -> Array:
    """Return what sources pay by the hour, shape (A, L, C); nobody reads it where nobody chooses by it."""
    if not any(pursuit_of(one.player) for one in tables):
        return np.zeros((len(tables), 1, 1))
    return np.stack([one.pay for one in tables])
