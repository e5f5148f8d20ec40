"""Play many parties, and what they came to in numbers."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.rules.ability import CLASSES
from ramulus.rules.quitting import NEVER
from ramulus.rules.schedule import MICROS, schedule_of
from ramulus.simulation.chunks import refuse_fault
from ramulus.simulation.draws import orders, own_factors, player_keys
from ramulus.simulation.in_flight import Progress, as_they_come, goes_far, own_threads, packed, unpacked
from ramulus.simulation.party_kernel import play_members
from ramulus.simulation.party_log import PartyLog, People
from ramulus.simulation.party_room import PartyRules, new_party_room
from ramulus.simulation.party_world import PartyStage, make_party_stage
from ramulus.simulation.quits import quit_times
from ramulus.simulation.times import time_table

if TYPE_CHECKING:
    from ramulus.design import Design

MOST_CELLS_KEPT = 10_000_000
HORIZON_HOURS = 10_000.0
AT_ONCE = 200_000


@dataclass(frozen=True, eq=False)
class PlayedParties:
    """What parties came to; n parties, E encounters and the start, M members.

    Attributes:
        members: the members' names.
        sources: the sources' names.
        start_level: the main track's start level.
        scale: units in one XP.
        log: every encounter; what follows a party's last one is not filled in.
    """

    members: tuple[str, ...]
    sources: tuple[str, ...]
    start_level: int
    scale: int
    log: PartyLog

    @property
    def parties(self) -> int:
        """How many parties were played."""
        return len(self.log.played)

    def _to_the_end(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Return indices that repeat each party's last encounter to the end of the longest."""
        steps = np.arange(int(self.log.played.max()) + 1)
        return np.arange(self.parties)[:, None], np.minimum(steps[None, :], self.log.played[:, None])

    @property
    def levels(self) -> NDArray[np.int64]:
        """The members' levels after each encounter, shape (n, E + 1, M); a party that has ended stays as it was."""
        return self.log.level[self._to_the_end()].astype(np.int64) + self.start_level

    @property
    def hours(self) -> Array:
        """Played hours after each encounter, shape (n, E + 1)."""
        hours: Array = self.log.clock[self._to_the_end()] / 3600
        return hours


class _Batch(NamedTuple):
    """Some parties, who their members are, and what they are played with, packed where it goes to another process."""

    first: int
    people: People
    how: PartyRules
    stage: PartyStage | bytes
    encounters: int


def play_parties(
    design: Design, encounters: int, parties: int, seed: int, *, until_even: bool, executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
) -> PlayedParties:  # fmt: skip
    """Play parties of a design.

    Args:
        design: the design; it needs a party, sources and the time of an encounter.
        encounters: how many encounters at most.
        parties: how many parties.
        seed: the seed of every draw. A member has the draws of a player of its profile: of the p-th party's members
            with one profile, the k-th is that profile's player number p · (how many have it) + k. Its ability is its
            own: over each 15 parties it goes through the 15 classes once, in an order drawn for it.
        until_even: stop a party when all members have the same level.
        executor: where parties are played (default: threads, one a processor).
        progress: is called now and then.

    Raises:
        MissingPartError: a part is missing.
        DesignError: the design is at fault.
        RamulusError: the sizes are not allowed.
    """
    stage = make_party_stage(design, HORIZON_HOURS, encounters)
    _refuse_sizes(encounters, parties, len(stage.members))
    log = _new_log(parties, encounters, len(stage.members))
    own, started = own_threads() if executor is None else None, time.monotonic()
    try:
        done, where = 0, executor or cast(Executor, own)
        batches = _batches(stage, parties, encounters, seed, until_even=until_even, far=goes_far(where))
        for some in as_they_come(where, _play_batch, batches):
            for first, played in some:
                done += len(played.played)
                for whole, part in zip(cast(tuple[Array, ...], log), cast(tuple[Array, ...], played), strict=True):
                    whole[first : first + len(part)] = part
            if progress is not None:
                progress(Progress(done, parties, time.monotonic() - started))
    finally:
        if own is not None:
            own.shutdown(wait=False, cancel_futures=True)
    track = design.track()
    return PlayedParties(stage.members, tuple(design.sources), track.start_level, int(stage.tracks.scale[0]), log)


def _batches(
    stage: PartyStage, parties: int, encounters: int, seed: int, *, until_even: bool, far: bool
) -> Iterator[_Batch]:
    """Yield parties a few at a time, so that Ctrl-C is heard within a second."""
    people, sent = _people(stage, parties, seed), packed(stage) if far else stage
    may_quit = any(rules is not None for rules in stage.quitting)
    how = PartyRules(stage.leader, stage.hold, stage.splits, until_even, may_quit)
    at_once = max(AT_ONCE // (encounters * len(stage.members)), 1)
    for first in range(0, parties, at_once):
        some = People._make(array[first : first + at_once] for array in people)
        yield _Batch(first, some, how, sent, encounters)


def _play_batch(batch: _Batch) -> tuple[int, PartyLog]:
    """Play some parties; return the first one's number, and what they came to."""
    stage: PartyStage = unpacked(batch.stage)
    log = _new_log(len(batch.people.keys), batch.encounters, len(stage.members))
    gates, pools = len(stage.world.gates.level), len(stage.world.pools.refills)
    room = new_party_room(len(stage.members), stage.tracks, stage.sources, gates, pools)
    play_members(
        batch.people, batch.how, stage.sources, stage.world, stage.tracks, stage.settings, time_table(stage.shape),
        room, log,
    )  # fmt: skip
    refuse_fault(room.fault, stage.first_level)
    return batch.first, log


def _refuse_sizes(encounters: int, parties: int, members: int) -> None:
    if encounters < 1 or parties < 1:
        raise RamulusError(f"{parties} parties over {encounters} encounters; allowed: 1 or more of each")
    if encounters * parties * members > MOST_CELLS_KEPT:
        found = f"{parties:,} parties of {members} over {encounters:,} encounters"
        raise RamulusError(f"{found}; allowed: at most {MOST_CELLS_KEPT:,} awards")


def _people(stage: PartyStage, parties: int, seed: int) -> People:
    """Return who the members are."""
    shape, schedule, kind = (parties, len(stage.members)), stage.world.first_schedule, stage.world.first_kind
    people = People(
        np.empty(shape, np.uint64), np.ones(shape), np.zeros(shape, np.int64), np.zeros(shape, np.int64),
        np.full(shape, np.inf), np.ones(shape),
    )  # fmt: skip
    party = np.arange(parties, dtype=np.int64)
    for member, (profile, spread) in enumerate(zip(stage.profiles, stage.spreads, strict=True)):
        alike = stage.profiles.count(profile)
        numbers = np.arange(stage.profiles[:member].count(profile), parties * alike, alike)
        keys = player_keys(seed, profile, numbers)
        people.keys[:, member], people.own[:, member] = keys, own_factors(keys, spread)
        # A party plays together: all its members have the weekdays of its number.
        people.slots[:, member] = schedule[member] + schedule_of(party, int(schedule[member + 1] - schedule[member]))
        varies = kind[member + 1] - kind[member] > 1
        people.kinds[:, member] = kind[member] + (
            drawn_classes(seed, profile, stage.members[member], parties) if varies else 0
        )
        rules = stage.quitting[member]
        if rules is not None:
            times = quit_times(rules, keys, party, stage.schedules[member])
            people.quit_at[:, member] = np.where(times.played < NEVER, times.played / MICROS, np.inf)
            people.patience[:, member] = times.patience
    return people


def drawn_classes(seed: int, profile: str, member: str, parties: int) -> NDArray[np.int64]:
    """Return a member's class of ability in each party: each class once in fifteen, apart from other members'."""
    return orders(f"{seed}\0{profile}\0{member}", -(-parties // CLASSES), CLASSES).ravel()[:parties]


def _new_log(parties: int, encounters: int, members: int) -> PartyLog:
    cells = (parties, encounters + 1, members)
    return PartyLog(
        level=np.zeros(cells, np.int32),
        xp=np.zeros(cells, np.int64),
        award=np.zeros(cells, np.int64),
        cut=np.zeros(cells, np.int64),
        boost=np.zeros(cells, np.int64),
        clock=np.zeros(cells[:2]),
        source=np.full(cells[:2], -1, np.int32),
        leader=np.full(cells[:2], -1, np.int32),
        played=np.zeros(parties, np.int64),
        quit=np.full((parties, members), -1, np.int64),
        quit_clock=np.full((parties, members), np.nan),
        impatient=np.zeros((parties, members), np.bool_),
    )
