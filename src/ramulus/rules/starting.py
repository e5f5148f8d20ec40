"""Where players start on the main track: at the track's start, or where their profile or their party says."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.rules.evaluating import fault
from ramulus.rules.overflow import threshold
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import to_units

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Member


class Start(NamedTuple):
    """A level, from 0, and the XP inside it, in units."""

    level: int
    units: int


def start_of(design: Design, profile: str) -> Start:
    """Return where players of a profile start.

    Raises:
        DesignError: the XP would pay for the level at once, or there is a start XP at the cap.
    """
    player, tables = design.profile(profile), tabulated(design).main
    if player.start_level is None and player.start_xp is None:
        return Start(0, tables.start_units)
    level = (player.start_level or tables.track.start_level) - tables.track.start_level
    units, place = int(to_units(np.asarray(player.start_xp or 0), tables.scale)), f"players.{profile}.start_xp"
    if level == tables.overflow.cap and units:
        raise fault(place, f"{player.start_xp:g} XP at the cap", "0 at the cap")
    if level < tables.overflow.cap and units >= threshold(tables.overflow, level):
        cost = tables.curve.costs[level]
        found = f"{player.start_xp:g} XP would pay for level {level + tables.track.start_level} ({cost:g} XP) at once"
        raise fault(place, found, f"below {cost:g}")
    return Start(level, units)


def start_of_member(design: Design, member: Member) -> Start:
    """Return where a member of the party starts: its own level goes before its profile's, then with 0 XP.

    Raises:
        DesignError: as `start_of`.
    """
    if member.start_level is None:
        return start_of(design, member.player)
    return Start(member.start_level - design.track().start_level, 0)
