"""The arrays that a kernel plays over: one profile's tables, the tracks, and the numbers of an encounter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.coming import Points, hours_missed, points_of
from ramulus.rules.counted import combinations, in_each_combination
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.pursuit import pursuit_of
from ramulus.rules.quitting import QuitRules, quit_rules
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.tabulation import tabulated
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_laws import XpTables, xp_tables
from ramulus.simulation.away import Away, make_away
from ramulus.simulation.done import Done, counts_successes, make_done, parts_of
from ramulus.simulation.draining import Pools, make_pools
from ramulus.simulation.gates import Gates, make_gates
from ramulus.simulation.settings import Settings, make_settings

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player

Ints = NDArray[np.int64]
HARDLY_EVER = 1e-6  # Less than once in as many encounters as anybody is played for.
NEIGHBOURS = 5  # Classes of ability that share tables where a rough answer will do.


class Sources(NamedTuple):
    """What is the same for every profile. S sources, L levels of the main track.

    Attributes:
        first_column: where the columns of each source start, shape (S,).
        first_practice: where what each source practises starts below, and one past the last, shape (S + 1,).
        practised: the track that is practised, shape (N,).
        practice_column: where the columns of what is practised start among those of practice, shape (N,).
        reads: the track whose level picks a source's column, or -1, shape (S,).
        is_counted: whether successes at each source are counted, shape (S,).
        limits: successes a player can have at each source, ever, in a play day and in a week, or 0, shape (3, S).
        xp: what XP is drawn from.
    """

    first_column: Ints
    first_practice: Ints
    practised: Ints
    practice_column: Ints
    reads: Ints
    is_counted: NDArray[np.bool_]
    limits: Ints
    xp: XpTables


class World(NamedTuple):
    """One profile's tables. A classes of ability: all, or 1 where they are alike; C columns, P of practice; W states of
    timed rules, each in every combination of the bands of rules that look at what was done.

    Attributes:
        seconds, success, weight: per encounter, shape (A, L, C).
        pay: XP by the hour where players choose by it, shape (A, L, C); no levels where they do not.
        factor: the product of multipliers, shape (A, W, L, C).
        units: what a failure (0) and a success (1) award where the XP is fixed, in units, shape (A, W, 2, L, C).
        skill_units: what they award to the skills practised, in their units, shape (A, W, 2, L, P).
        lost: what a failure takes at each level, in units, shape (L,).
        borders, state: from which played second on which of the W states holds, in the first combination, for each
            schedule, shape (B,).
        first_border: where the borders of each schedule start, and one past the last, shape (schedules + 1,).
        done, gates, pools, away: rules that look at what was done, gates, pools and time away.
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
    done: Done
    gates: Gates
    pools: Pools
    away: Away


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


@dataclass(frozen=True, eq=False)
class Stage:
    """Everything that one profile is played with; plain arrays, so it crosses process borders.

    Attributes:
        profile: the profile's name.
        spread: sigma of the players' own factor on time.
        schedules: the schedules that its players have.
        comes: its table of arrivals.
        first_level: the start level of the main track.
        sources, world, tracks, settings: the arrays.
        quitting: when its players quit, or None.
    """

    profile: str
    spread: float
    schedules: tuple[Schedule, ...]
    comes: Points
    first_level: int
    sources: Sources
    world: World
    tracks: Tracks
    settings: Settings
    quitting: QuitRules | None

    @property
    def shape(self) -> float:
        """Shape of the gamma distributed time of an encounter; 0 for no variation."""
        return self.settings.shape


def make_stage(
    design: Design, profile: str, hours: float, most_encounters: int, last_level: int | None = None,
    until: Sequence[str] = (), *, coarse: bool = False, leaps: bool = True,
) -> Stage:  # fmt: skip
    """Return a design's arrays for one profile; play ends at the last level (default: the cap).

    Args:
        design: the design.
        profile: the profile's name.
        hours: the horizon in played hours.
        most_encounters: played one by one, after which a player is given up.
        last_level: the level of the main track that is enough.
        until: further tracks whose caps have to be reached before play ends, where players still practise them.
        coarse: whether neighbouring classes of ability share the tables of the middle one: faster, and not exact.
        leaps: whether encounters may be leapt over where levels take thousands.

    Raises:
        DesignError: a formula fails somewhere, or gives what its place does not allow, or awards are too large.
        MissingPartError: sources, or the time of an encounter, are missing.
    """
    player = design.profile(profile)
    classes = list(range(classes_of(player)))
    if coarse:  # The middle ones of neighbours.
        classes = classes[len(classes[:NEIGHBOURS]) // 2 :: NEIGHBOURS]
    tables = [tabulated(design).profile(profile, ability) for ability in classes]
    until = [name for name in until if any(is_practised_at_cap(one, name) for one in tables)]
    return Stage(
        profile=profile,
        spread=float(player.spread),
        schedules=schedules_of(design, player),
        comes=points_of(player.arrives),
        first_level=design.track().start_level,
        sources=design.derived(make_sources),
        world=make_world(design, tables, tables[0].timeline(hours + hours_missed(design, player))),
        tracks=design.derived(make_tracks),
        settings=make_settings(
            design, tables[len(tables) // 2], hours, most_encounters, last_level, until, leaps=leaps
        ),
        quitting=quit_rules(design, profile),
    )


def is_practised_at_cap(profile: ProfileTables, track: str) -> bool:
    """Return whether who stands at the main track's cap still practises a skill, so that playing on changes it."""
    columns, design = profile.tables.columns, profile.tables.design
    mine = np.array([track in source.practised for source in design.sources.values()])
    highest = design.track(track).max_level
    chances = [profile.chance(columns.at_skill(level))[-1, mine].sum() for level in (None, highest)]
    return bool(max(chances) > HARDLY_EVER)


def make_sources(design: Design) -> Sources:
    """Return what is the same for every profile."""
    order, columns, practice = design.track_order, tabulated(design).columns, tabulated(design).practice
    sources = list(design.sources.values())
    return Sources(
        first_column=columns.first_column,
        first_practice=np.concatenate([[0], np.cumsum([len(s.practised) for s in sources])]).astype(np.int64),
        practised=np.array([order.index(skill) for skill in practice.skill_track], dtype=np.int64),
        practice_column=practice.first_column,
        reads=np.array([order.index(track) if track else -1 for track in columns.skill_track], dtype=np.int64),
        is_counted=np.array([_is_counted(design, name) for name in design.sources], dtype=np.bool_),
        limits=np.array([source.limits for source in sources], dtype=np.int64).T.copy(),
        xp=xp_tables(tabulated(design).laws),
    )


def _is_counted(design: Design, name: str) -> bool:
    """Return whether anything hangs on how often players succeed at a source."""
    named = any(name in gate.successes for gate in design.gates)
    return any(design.sources[name].limits) or named or counts_successes(design)


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


def pays_by_parts(design: Design, player: Player) -> bool:
    """Return whether what sources pay hangs on what no table holds: on what was done, or on several skills at once."""
    several = any(len(source.practised) > 1 for source in design.sources.values())
    return bool(pursuit_of(player)) and (combinations(design) > 1 or (several and player.skill_xp_worth > 0))


def make_world(design: Design, tables: list[ProfileTables], when: Timeline) -> World:
    """Return one profile's tables, those of each class of ability, for the states of its rules."""
    player = tables[0].player
    schedules, by_parts = schedules_of(design, player), pays_by_parts(design, player)
    parts = [parts_of(design, one) for one in tables] if by_parts else []
    done = make_done(design, parts, float(player.skill_xp_worth), len(tables))
    states = [on for rules in when.states for on in in_each_combination(design, rules)]
    return World(
        seconds=np.stack([one.encounters.seconds for one in tables]),
        success=np.stack([one.encounters.success for one in tables]),
        weight=np.stack([one.encounters.weight for one in tables]),
        pay=np.zeros((len(tables), 1, 1)) if by_parts else pays_of(tables),
        factor=np.stack([[one.alone.product(on) for on in states] for one in tables]),
        units=np.stack([[one.alone.units(on) for on in states] for one in tables]),
        skill_units=np.stack([[one.alone.skill_units(on) for on in states] for one in tables]),
        lost=tables[0].tables.lost,
        borders=when.border_seconds,
        state=when.state * done.combinations,
        first_border=when.first,
        done=done,
        gates=make_gates(design, schedules),
        pools=make_pools(design, tables),
        away=make_away(design, schedules),
    )


def pays_of(tables: list[ProfileTables]) -> Array:
    """Return what sources pay by the hour, shape (A, L, C); nobody reads it where nobody chooses by it."""
    if not any(pursuit_of(one.player) for one in tables):
        return np.zeros((len(tables), 1, 1))
    return np.stack([one.pay for one in tables])
