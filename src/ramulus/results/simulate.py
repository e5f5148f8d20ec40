"""Simulate a design: from the number of players to a result with its tables."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError, UnknownNameError, refuse_other_than_design, refuse_single_name
from ramulus.formula.functions import Array
from ramulus.goals import horizon_for
from ramulus.results.result import SimulationResult
from ramulus.simulation.in_flight import Progress
from ramulus.simulation.run import Interrupted, Plan, play
from ramulus.simulation.world import make_stage

if TYPE_CHECKING:
    from ramulus.design import Design

DEFAULT_HOURS = 200.0
MOST_CELLS_KEPT = 12_000_000
MOST_ENCOUNTERS = 1_000_000
MOST_LEVELS = 5_000


class SimulationStopped(RamulusError):  # noqa: N818 — it is no error but an interrupt.
    """A simulation was interrupted; `result` holds the players that were done, or None where none were.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     result = rm.simulate(rm.demo_design(), players=20)
        ... except rm.SimulationStopped as stopped:
        ...     result = stopped.result  # What was done by then.
    """

    exit_status = 130  # What shells give a command that an interrupt ended.

    def __init__(self, result: SimulationResult | None, done: int, players: int) -> None:
        self.result, self.done, self.players = result, done, players
        super().__init__(f"stopped after {done:,} of {players:,} players")


def simulate(
    design: Design,
    players: int | Mapping[str, int] = 2000,
    hours: float | None = None,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
    keep_players: bool | None = None,
    most_encounters: int = MOST_ENCOUNTERS,
    until: Sequence[str] = (),
    leaps: bool = True,
) -> SimulationResult:
    """Play many players of each profile, encounter by encounter, until the main track's cap or the horizon.

    The same design, seed and sizes give the same result to the bit, whatever the executor.

    Args:
        design: the design; it needs sources and the time of an encounter.
        players: how many players of each profile, or a number for each profile by name. `by_share` splits a
            population.
        hours: the horizon in played hours (default: 200, or longer where the design's goals ask for it).
        seed: the seed of every random draw. Two designs with one seed share their draws where they can.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `Progress` now and then.
        keep_players: whether every player's times are kept (default: while they fit; else counts in bins whose
            quantiles are within 0.4 %).
        most_encounters: played one by one, after which a player is given up, so that no design runs for ever.
        until: further tracks whose caps end play; who is at the main track's cap plays on for them. The tracks of the
            design's goals are among them anyway.
        leaps: whether levels of more than 3,000 encounters are played in leaps: those that cannot change anything are
            drawn at once, by the same laws.

    Returns:
        The result, with its tables.

    Raises:
        DesignError: the design is at fault.
        UnknownNameError: there is no such track or profile.
        SimulationStopped: it was interrupted (Ctrl-C); the error holds what was done.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=200, seed=7)
        >>> bool(result.reached(10, hours=5).min() > 0.9)
        True
    """
    refuse_other_than_design(design)
    hours = horizon_for(design, DEFAULT_HOURS) if hours is None else hours
    return play_until(
        None, design, players, hours, seed, executor=executor, progress=progress, keep_players=keep_players,
        most_encounters=most_encounters, until=until, leaps=leaps,
    )  # fmt: skip


def play_until(
    last_level: int | None, design: Design, players: int | Mapping[str, int], hours: float, seed: int, *,
    executor: Executor | None = None, progress: Callable[[Progress], object] | None = None,
    keep_players: bool | None = None, most_encounters: int = MOST_ENCOUNTERS, until: Sequence[str] = (),
    coarse: bool = False, leaps: bool = True,
) -> SimulationResult:  # fmt: skip
    """Play as `simulate` does, but only up to a level of the main track, where that is enough to know.

    `coarse` has players of like ability share their tables: for what is looked at while a number moves.
    """
    _refuse_sizes(hours, most_encounters)
    counts = _counts(design, players)
    asked = _tracks_asked_for(design, until)
    stages = [
        make_stage(design, profile, hours, most_encounters, last_level, asked, coarse=coarse, leaps=leaps)
        for profile in counts
    ]
    levels = {
        name: track.max_level - track.start_level + 1 for name in design.track_order if (track := design.track(name))
    }
    every = sum(levels.values())
    if every > MOST_LEVELS:
        raise RamulusError(f"{every:,} levels over all tracks; allowed in a simulation: at most {MOST_LEVELS:,}")
    keep = sum(counts.values()) * every <= MOST_CELLS_KEPT if keep_players is None else keep_players
    plan = Plan(stages, list(counts.values()), levels, hours, seed, keep, asked)
    try:
        return SimulationResult(design, play(plan, executor, progress))
    except Interrupted as stop:
        result = None if stop.played is None else SimulationResult(design, stop.played)
        raise SimulationStopped(result, stop.done, stop.players) from None


def _tracks_asked_for(design: Design, until: Sequence[str]) -> tuple[str, ...]:
    """Return the skill tracks whose caps end play too: those asked for, and those that goals are about."""
    refuse_single_name(until, "until")
    for name in until:
        design.track(name)
    wanted = {*until, *(goal.track for goal in design.goals)}
    return tuple(name for name in design.track_order[1:] if name in wanted)


def by_share(design: Design, players: int) -> dict[str, int]:
    """Return how many of a population each profile has, by the profiles' shares.

    Every profile with a share gets at least one player, the others by largest remainders.

    Returns:
        Numbers that add up to `players`, by the profiles' names.

    Raises:
        RamulusError: there are fewer players than profiles with a share.

    Examples:
        >>> import ramulus as rm
        >>> rm.by_share(rm.demo_design(), 1000)
        {'newcomer': 400, 'steady': 450, 'adept': 150}
    """
    design.require("players", "a population")
    shares = np.array([float(player.share) for player in design.players.values()])
    if shares.sum() <= 0:
        shares = np.ones(len(shares))
    wanted = int((shares > 0).sum())
    if players < wanted:
        raise RamulusError(f"{players} players; allowed: at least {wanted}, one for each profile with a share")
    return dict(zip(design.players, _seats(shares, players).tolist(), strict=True))


def _seats(shares: Array, seats: int) -> NDArray[np.int64]:
    """Return how many seats each share gets: one where it would be less, the others by largest remainders."""
    exact = seats * shares / shares.sum()
    counts: NDArray[np.int64] = np.floor(exact).astype(np.int64)
    small = (exact > 0) & (exact < 1)
    if small.any():
        counts[small] = 1
        counts[~small] = _seats(shares[~small], seats - int(small.sum()))
        return counts
    counts[np.argsort(counts - exact, kind="stable")[: seats - int(counts.sum())]] += 1
    return counts


def _refuse_sizes(hours: float, most_encounters: int) -> None:
    if not (np.isfinite(hours) and hours > 0):
        raise RamulusError(f"hours is {hours!r}; allowed: a finite number above 0")
    if most_encounters < 1 or most_encounters > 2_000_000_000:
        raise RamulusError(f"most_encounters is {most_encounters!r}; allowed: 1 … 2,000,000,000")


def _counts(design: Design, players: int | Mapping[str, int]) -> dict[str, int]:
    """Return how many players of each profile that is played, in the order of the design."""
    if not isinstance(players, Mapping):
        players = dict.fromkeys(design.profiles, players)
    for name, count in players.items():
        if name not in design.profiles:
            raise UnknownNameError("player profile", name, design.profiles)
        if not isinstance(count, int | np.integer) or count < 0:
            raise RamulusError(f"players is {count!r}; allowed: a whole number of 1 or more")
    counts = {name: int(players[name]) for name in design.profiles if players.get(name)}
    if not counts:
        raise RamulusError("no players to play; allowed: 1 or more")
    return counts
