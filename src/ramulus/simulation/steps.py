"""The steps of an encounter that players alone and parties take alike, in the words and the order of the rules."""

from __future__ import annotations

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.overflow import Overflow, book_award
from ramulus.rules.pay import paid_xp
from ramulus.rules.xp_laws import XpTables, drawn_xp
from ramulus.rules.xp_units import units_of
from ramulus.simulation.draws import SOURCE, SUCCESS, TIME, bits_of, uniform
from ramulus.simulation.jitted import part
from ramulus.simulation.opened import Meets, Opened, pick
from ramulus.simulation.settings import Settings
from ramulus.simulation.times import time_at
from ramulus.simulation.world import Ints, Tracks


@part
def attempt(
    opened: Opened, running: Array, count: int, meets: Meets, key: np.uint64, encounter: int, varies: bool, times: Array
) -> tuple[int, bool, float]:
    """Draw which of the open sources is met, whether the attempt succeeds, and its time before the own factor."""
    drawn = pick(running, count, uniform(key, encounter, SOURCE) * running[count - 1])
    source = opened[drawn]
    won = uniform(key, encounter, SUCCESS) < source.success
    seconds = source.seconds_won if won else source.seconds_lost
    if varies:
        longer = time_at(times, bits_of(key, encounter, TIME))
        seconds = source.seconds * longer + (0.0 if won else meets.extra) + meets.between
    return drawn, won, seconds


@part
def amount_of(xp: XpTables, source: int, low: float, width: int, draw: float) -> float:
    """Return the XP that a source gives, before multipliers."""
    return drawn_xp(low, width, xp.first[source], xp.first[source + 1], xp.amounts, xp.up_to, draw)


@part
def award_of(amount: float, product: float, won: bool, settings: Settings, scale: int) -> int:
    """Return the units that an encounter awards."""
    paid = paid_xp(
        amount, product, won, settings.xp_share, settings.rounding, settings.rounding_to, settings.least_award
    )
    return units_of(paid, scale)


@part
def practise(tracks: Tracks, track: int, levels: Ints, xps: Ints, units: int) -> bool:
    """Award units to a skill; return whether its level is another one."""
    level, xp = levels[track], xps[track]
    if level < tracks.cap[track] and xp + units < tracks.costs[tracks.first[track] + level]:
        xps[track] = xp + units
        return False
    levels[track], xps[track], _ = book_award(rule_of(tracks, track), level, xp, units)
    return levels[track] != level


@part
def rule_of(tracks: Tracks, track: int) -> Overflow:
    """Return the overflow rule of one track."""
    return Overflow(
        tracks.costs,
        tracks.first[track],
        tracks.cap[track],
        tracks.scale[track],
        tracks.carry[track],
        tracks.carry_limit[track],
        tracks.more[track],
        tracks.most_ups[track],
        tracks.whole[track],
        tracks.at_cap[track],
        tracks.may_drop[track],
    )
