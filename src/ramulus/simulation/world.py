"""The arrays that a kernel plays over: one profile's tables, the tracks, and the numbers of an encounter."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.rounding import ROUNDING_CODES, Rounder
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.tabulation import tabulated
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_laws import XpTables, xp_tables

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player

Ints = NDArray[np.int64]


class Sources(NamedTuple):
    """What is the same for every profile. S sources, L levels of the main track.

    Attributes:
        first_column: where the columns of each source start, shape (S,).
        practises: the track a source awards skill XP to, or -1, shape (S,).
        reads: the track whose level picks a source's column, or -1, shape (S,).
        limit: successes a player can have at each source, or 0, shape (S,).
        xp: what XP is drawn from.
    """

    first_column: Ints
    practises: Ints
    reads: Ints
    limit: Ints
    xp: XpTables


class World(NamedTuple):
    """One profile's tables. C columns, W states of the timed rules.

    Attributes:
        seconds, success, weight: per encounter, shape (L, C).
        factor: the product of multipliers, shape (W, L, C).
        units: what a failure (0) and a success (1) award where the XP is fixed, in units, shape (W, 2, L, C).
        skill_units: what they award to the skill practised, in its units, shape (W, 2, L, C).
        borders, state: from which played second on which of the W states holds, for each schedule, shape (B,).
        first_border: where the borders of each schedule start, and one past the last, shape (schedules + 1,).
    """

    seconds: Array
    success: Array
    weight: Array
    factor: Array
    units: Ints
    skill_units: Ints
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
    carry: Array
    carry_limit: Array
    more: Ints
    most_ups: Ints
    whole: NDArray[np.bool_]
    at_cap: Ints
    may_drop: NDArray[np.bool_]


class Settings(NamedTuple):
    """The numbers of an encounter and of the run.

    Attributes:
        extra_seconds, xp_share, loss: what a failure costs and pays.
        seconds_between: seconds between encounters.
        rounding, rounding_to: how an award becomes whole, one of ROUNDING_CODES, and a multiple of what.
        least_award: XP.
        horizon: played seconds.
        most_encounters: after which a player is given up.
    """

    extra_seconds: float
    xp_share: float
    loss: float
    seconds_between: float
    rounding: int
    rounding_to: float
    least_award: float
    horizon: float
    most_encounters: int


@dataclass(frozen=True, eq=False)
class Stage:
    """Everything that one profile is played with; plain arrays, so it crosses process borders.

    Attributes:
        profile: the profile's name.
        spread: sigma of the players' own factor on time.
        shape: shape of the gamma distributed time of an encounter; 0 for no variation.
        schedules: the schedules that its players have.
        sources, world, tracks, settings: the arrays.
    """

    profile: str
    spread: float
    shape: float
    schedules: tuple[Schedule, ...]
    sources: Sources
    world: World
    tracks: Tracks
    settings: Settings


def make_stage(design: Design, profile: str, hours: float, most_encounters: int) -> Stage:
    """Return a design's arrays for one profile.

    Raises:
        DesignError: a formula fails somewhere, or gives what its place does not allow, or awards are too large.
        MissingPartError: sources, or the time of an encounter, are missing.
    """
    tables = tabulated(design).profile(profile)
    return Stage(
        profile=profile,
        spread=float(tables.player.spread),
        shape=shape_of_times(design),
        schedules=schedules_of(design, tables.player),
        sources=design.derived(make_sources),
        world=make_world(tables, tables.timeline(hours)),
        tracks=design.derived(make_tracks),
        settings=make_settings(design, tables.player, hours, most_encounters),
    )


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
        limit=np.array([source.limit or 0 for source in sources], dtype=np.int64),
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
        carry=np.array([rule.carry for rule in rules], dtype=np.float64),
        carry_limit=np.array([rule.carry_limit for rule in rules], dtype=np.float64),
        more=np.array([rule.more for rule in rules], dtype=np.int64),
        most_ups=np.array([rule.most_ups for rule in rules], dtype=np.int64),
        whole=np.array([rule.whole for rule in rules], dtype=np.bool_),
        at_cap=np.array([rule.at_cap for rule in rules], dtype=np.int64),
        may_drop=np.array([rule.may_drop for rule in rules], dtype=np.bool_),
    )


def make_settings(design: Design, player: Player, hours: float, most_encounters: int) -> Settings:
    """Return the numbers of an encounter and of the run, for one profile."""
    failure = design.encounters.failure
    return Settings(
        extra_seconds=float(failure.extra_seconds),
        xp_share=float(failure.xp_share),
        loss=float(failure.loss),
        seconds_between=float(player.seconds_between),
        rounding=ROUNDING_CODES[design.awards.rounding],
        rounding_to=Rounder.of(design.awards).to,
        least_award=float(design.awards.least_award),
        horizon=float(hours) * 3600.0,
        most_encounters=int(most_encounters),
    )


def make_world(tables: ProfileTables, when: Timeline) -> World:
    """Return one profile's tables for the states of its timed rules."""
    encounters, alone = tables.encounters, tables.alone
    return World(
        seconds=np.ascontiguousarray(encounters.seconds),
        success=np.ascontiguousarray(encounters.success),
        weight=np.ascontiguousarray(encounters.weight),
        factor=np.stack([alone.product(on) for on in when.states]),
        units=np.stack([alone.units(on) for on in when.states]),
        skill_units=np.stack([alone.skill_units(on) for on in when.states]),
        borders=when.border_seconds,
        state=when.state,
        first_border=when.first,
    )
