"""Mistakes that change nothing on a track, with the reason: what no run of awards could tell."""

from __future__ import annotations

from ramulus.game.mistaken import BILLION
from ramulus.game.pack import TrackPack

_SAME = "it is what the design does"
_SEVERAL = ("one-level-an-award", "any-for-one", "old-cost-goes-on", "rest-lost", "points-once-an-award")
_ROUNDED = ("kept-rounded-down", "kept-rounded-nearest", "kept-rounded-up", "kept-not-rounded", "carry-in-doubles")


def idle_mistakes(track: TrackPack, *, level_only: bool = False) -> dict[str, str]:
    """Return the mistakes that change nothing on a track, and why that is so.

    Args:
        track: the track.
        level_only: whether a game tells its level alone.
    """
    idle: dict[str, str] = {}
    idle |= _of_what_is_kept(track)
    idle |= _of_levels(track)
    idle |= _of_the_cap(track)
    idle |= _of_gates(track)
    if level_only:
        told = "the level does not show it"
        idle |= dict.fromkeys(("level-up-at-start", "points-again", "points-once-an-award"), told)
        if not track.may_drop:
            idle |= dict.fromkeys(("discards-at-cap", "fills-at-cap", "banks-at-cap", "grows-past-cap"), told)
    return idle


def _of_what_is_kept(track: TrackPack) -> dict[str, str]:
    idle: dict[str, str] = {}
    limited = track.carry_limit >= 0
    if track.carry == 0:
        idle |= dict.fromkeys(("excess-dropped", "new-cost-subtracted", *_ROUNDED), "nothing is kept anyway")
        if not track.exceeded and not _waits(track):
            idle["booked-twice"] = "nothing is kept anyway"
    elif track.carry == BILLION and (not limited or _limits_are_whole(track)):
        # All of an excess is kept, and an excess has parts only where XP is not whole and what is kept is.
        parts = track.whole and track.scale > 1
        idle |= dict.fromkeys(("carry-in-doubles",) if parts else _ROUNDED[1:], "there is no part to round")
    if track.carry == BILLION // 2 and not limited:
        idle["half-kept"] = _SAME
    if track.whole or track.scale == 1:
        idle["kept-rounded-down"] = _SAME
    if limited and len(track.costs) > 1 and track.carry_limit == 0 and track.at_cap == "discard":
        idle |= dict.fromkeys(("excess-dropped", "half-kept", *_ROUNDED), "nothing is kept anyway")
    return idle


def _all_is_kept(track: TrackPack) -> bool:
    return track.carry == BILLION and track.carry_limit < 0


def _waits(track: TrackPack) -> bool:
    """Return whether XP past a cost may stand at a shut gate."""
    return any(not gate.fills for gate in track.gates)


def _limits_are_whole(track: TrackPack) -> bool:
    step = track.scale if track.whole else 1
    return all(cost * track.carry_limit % (BILLION * step) == 0 for cost in track.costs[1:])


def _of_levels(track: TrackPack) -> dict[str, str]:
    idle: dict[str, str] = {}
    if track.one:
        idle |= dict.fromkeys((code for code in _SEVERAL if code != "any-for-one"), "an award raises one level anyway")
    else:
        idle["any-for-one"] = "an award may raise several levels anyway"
    if (track.carry == 0 or 0 <= track.carry_limit < BILLION) and not _waits(track):
        idle |= dict.fromkeys(_SEVERAL, "what is kept never pays for another level")
        if track.carry and not track.one:  # The old cost may be less than the limit leaves of the new one.
            del idle["old-cost-goes-on"]
    if len(track.costs) == 1:
        idle |= dict.fromkeys(_SEVERAL, "there is one level-up only")
    idle["above-for-reached" if track.exceeded else "reached-for-above"] = _SAME
    if not track.may_drop:
        idle |= dict.fromkeys(("levels-never-dropped", "points-again"), "no level is ever lost")
    if not any(track.granted):
        idle |= dict.fromkeys(("points-again", "points-once-an-award"), "levels grant no points")
    return idle


def _of_the_cap(track: TrackPack) -> dict[str, str]:
    idle = {{"discard": "discards-at-cap", "fill": "fills-at-cap", "bank": "banks-at-cap"}[track.at_cap]: _SAME}
    if track.at_cap == "bank":
        idle["grows-past-cap"] = "XP at the cap is counted anyway"
    elif sum(track.costs) < 2**24 and not track.one and _all_is_kept(track) and not _waits(track):
        small = "what single precision could not count stands at the cap, which keeps no more than a bar"
        idle["sums-in-single-precision"] = small
    return idle


def _of_gates(track: TrackPack) -> dict[str, str]:
    if not track.gates:
        return dict.fromkeys(("gates-ignored", "fills-at-gates", "keeps-at-gates"), "there is no gate")
    idle = {}
    if all(gate.fills for gate in track.gates):
        idle["fills-at-gates"] = _SAME
    if not any(gate.fills for gate in track.gates):
        idle["keeps-at-gates"] = _SAME
    return idle
