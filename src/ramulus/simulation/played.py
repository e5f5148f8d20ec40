"""What players came to, in numbers: arrivals, endings and totals by profile. Tables and words are made elsewhere."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.model import lookup
from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.simulation.quits import Quits
from ramulus.simulation.samples import Sample, WholeSample, quantile
from ramulus.simulation.tally import ENDLESS, HORIZON, Tally, Totals

if TYPE_CHECKING:
    from ramulus.design import Design

NEARLY_ALL = 0.99


@dataclass(frozen=True, eq=False)
class Arrivals:
    """When and how players reached the levels of one track, over its levels from start to cap.

    Attributes:
        seconds: played seconds at first reaching each level.
        encounters: encounters by then.
        in_level: played seconds from each level to the next; nobody has one at the cap.
        days: the player's own day of first reaching each level, that on which it comes being day 1; nobody has one
            without a schedule.
        calendar: the day of the calendar; the same where all come on day 1.
        at_gate: played seconds before the gate of each level, of who has left it; None without gates.
    """

    seconds: Sample
    encounters: Sample
    in_level: Sample
    days: Sample
    calendar: Sample
    at_gate: Sample | None = None

    def part(self, which: NDArray[np.bool_]) -> Arrivals:
        """Return those of some of the players, where every one's are kept."""
        whole = self.samples()
        return arrivals_of({n: WholeSample(s.values[which]) for n, s in whole.items() if isinstance(s, WholeSample)})

    def samples(self) -> dict[str, Sample]:
        """Return the samples that there are, by name; that of the calendar only where players come on other days."""
        found = {field.name: getattr(self, field.name) for field in fields(Arrivals)}
        if self.calendar is self.days:
            del found["calendar"]
        return {name: sample for name, sample in found.items() if sample is not None}


def at_cap_from(profile: PlayedProfile) -> float:
    """Return the calendar day by which nearly all of a profile stand at the cap; infinity where they do not."""
    day = float(quantile(profile.main.calendar, NEARLY_ALL, profile.players)[-1])
    return day if math.isfinite(day) else math.inf


def arrivals_of(samples: Mapping[str, Sample]) -> Arrivals:
    """Return arrivals from the samples that there are, by name."""
    return Arrivals(**{"calendar": samples["days"], **samples})


@dataclass(frozen=True, eq=False)
class Group:
    """How fast some players of one profile were.

    Attributes:
        profile: the profile's name.
        players: how many there were.
        arrivals: by track.
        cut_off: by track, players whose play was cut off, by the horizon or after too many encounters, before they
            had left a level or any below it; shape (levels,).
        quits: who would have quit, or None where nobody can; one item a player.
    """

    profile: str
    players: int
    arrivals: dict[str, Arrivals]
    cut_off: dict[str, NDArray[np.int64]]
    quits: Quits | None

    @property
    def main(self) -> Arrivals:
        """The arrivals on the main track."""
        return next(iter(self.arrivals.values()))


@dataclass(frozen=True, eq=False)
class Each:
    """What is kept of each player.

    Attributes:
        numbers: their numbers in the profile, shape (n,).
        ended: why each ended, shape (n,).
        earned, wasted: XP units of the main track awarded, and lost at thresholds and the cap, shape (n,).
    """

    numbers: NDArray[np.int64]
    ended: NDArray[np.int8]
    earned: NDArray[np.int64]
    wasted: NDArray[np.int64]

    @classmethod
    def room(cls, players: int) -> Each:
        """Return room for some players."""
        nothing = np.zeros((2, players), np.int64)
        return cls(np.arange(players), np.zeros(players, np.int8), nothing[0], nothing[1])

    def put(self, where: slice, tally: Tally) -> None:
        """Write down some of the players."""
        self.ended[where], self.earned[where], self.wasted[where] = tally.ended, tally.earned, tally.wasted

    def of(self, which: NDArray[np.bool_]) -> Each:
        """Return those of some of the players."""
        return Each(*(getattr(self, field.name)[which] for field in fields(Each)))


@dataclass(frozen=True, eq=False)
class PlayedProfile(Group):
    """What all players of one profile came to.

    Attributes:
        ended: players by reason of ending and level, shape (4, L).
        totals: sums over all of them.
        each: what is kept of each, or None where the run was too large to keep every player.
    """

    ended: NDArray[np.int64]
    totals: Totals
    each: Each | None

    def kept_each(self) -> Each:
        """Return what is kept of each player.

        Raises:
            RamulusError: the run was too large to keep every player.
        """
        if self.each is None:
            raise RamulusError("the run was too large to keep every player; simulate with keep_players=True")
        return self.each

    def part(self, which: NDArray[np.bool_]) -> Group:
        """Return some of the players, of a run that keeps every one."""
        assert self.each is not None
        arrivals = {track: of_track.part(which) for track, of_track in self.arrivals.items()}
        cut = np.isin(self.each.ended[which], [HORIZON, ENDLESS])
        cut_off = {}
        for track, of_track in arrivals.items():
            assert isinstance(of_track.seconds, WholeSample)
            cut_off[track] = cut_off_before(of_track.seconds.values[cut])
        quits = None if self.quits is None else self.quits.of(which)
        return Group(self.profile, int(which.sum()), arrivals, cut_off, quits)


def cut_off_before(arrival: Array) -> NDArray[np.int64]:
    """Return how many of the players that were cut off had not left each level, shape (levels,)."""
    # Whoever has not reached the next level was cut off before the end of this one.
    return np.append(np.isnan(arrival[:, 1:]).sum(axis=0), len(arrival)).astype(np.int64)


@dataclass(frozen=True, eq=False)
class Played:
    """What a simulation came to.

    Attributes:
        profiles: by name, in the order of the design.
        hours: the horizon, played hours.
        seed: the seed.
        until: the tracks beside the main one whose caps end play.
    """

    profiles: Mapping[str, PlayedProfile]
    hours: float
    seed: int
    until: tuple[str, ...] = ()


class PlayedDesign:
    """A design with what a simulation of it came to: what goals are judged by, and tables are made from.

    Attributes:
        design: the design that was played.
        played: what was counted, in numbers.
    """

    def __init__(self, design: Design, played: Played) -> None:
        self.design, self.played = design, played

    @property
    def hours(self) -> float:
        """The horizon, played hours."""
        return self.played.hours

    @property
    def seed(self) -> int:
        """The seed."""
        return self.played.seed

    @property
    def players(self) -> dict[str, int]:
        """How many players of each profile were played."""
        return {name: profile.players for name, profile in self.played.profiles.items()}

    @property
    def keeps_players(self) -> bool:
        """Whether every player's times are kept; else quantiles are within 0.4 %."""
        return all(isinstance(profile.main.seconds, WholeSample) for profile in self.played.profiles.values())

    def profile(self, player: str | None = None) -> PlayedProfile:
        """Return one profile's part of the result in numbers (default: the first).

        Raises:
            UnknownNameError: it was not played.
        """
        profiles = self.played.profiles
        return lookup("player profile", profiles, player if player is not None else next(iter(profiles)))
