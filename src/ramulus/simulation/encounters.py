"""The encounters of a player alone while what is open stays so: the innermost loop of all."""

from __future__ import annotations

from typing import Any, NamedTuple

from ramulus.rules.overflow import book_award, book_loss, threshold
from ramulus.simulation.arrivals import note_arrivals
from ramulus.simulation.days import turn
from ramulus.simulation.draws import XP, uniform
from ramulus.simulation.jitted import inlined, named_for
from ramulus.simulation.opened import has_uses, lay_out_awards, use
from ramulus.simulation.steps import amount_of, attempt, award_of, practise, rule_of
from ramulus.simulation.tally import CAP, ENDLESS, HORIZON


class Features(NamedTuple):
    """What a design needs of the kernel beyond sources of fixed XP that take exact times.

    Attributes:
        rich: sources practise skills or run out, or multipliers go on and off.
        drawn: XP is drawn, not fixed.
        varies: times vary.
    """

    rich: bool
    drawn: bool
    varies: bool


def encounters_for(features: Features) -> Any:
    """Return the loop for some features: ``meet(key, own, clock, encounter, …)``.

    It plays one player from one change of what is open to the next, or to the end, and returns why play ended (CAP: it
    does not), the played seconds, the encounters so far, and the units wasted.
    """
    rich, drawn, varies = features

    def meet(  # type: ignore[no-untyped-def]
        key, own, clock, encounter, count, meets, sources, mine, tracks, settings, times, room, tally, arrival, counted
    ):  # fmt: skip
        opened, running, today, used = room.opened, room.running, room.days[0], room.used
        levels, rule, level, xp = room.levels, rule_of(tracks, 0), room.levels[0], room.xps[0]
        enough = threshold(rule, level) if level < rule.cap else 0  # At the cap every award is booked.
        losing, reason, wasted, changed = mine.lost[level] > 0, CAP, 0, False
        while not changed:
            if encounter >= settings.most_encounters or (encounter & 1023 == 0 and tally.stop[0] != 0):
                reason = ENDLESS
                break
            # A source is drawn, and the attempt succeeds or fails. Time passes; what ends after the horizon does not
            # happen. Counts of days and weeks that are over begin anew, and timed rules go on or off.
            i, won, seconds = attempt(opened, running, count, meets, key, encounter, varies, times)
            source = opened[i]
            clock += seconds * own
            if clock > settings.horizon:
                reason = HORIZON
                break
            if rich and clock >= today.turn:
                changed = turn(today, clock, mine.borders, used)
                lay_out_awards(opened, count, mine, level, mine.state[today.window])
            gained = source.units_won if won else source.units_lost
            if drawn and source.width != 1:
                amount = amount_of(sources.xp, source.number, source.low, source.width, uniform(key, encounter, XP))
                gained = award_of(amount, source.product, won, settings, rule.scale)
            encounter += 1
            source.met += 1
            source.won += won
            source.income += gained
            # A success is counted; then the loss of a failure, and the award of the main track.
            if rich and won and source.limited:
                use(used, source.number)
                changed |= not has_uses(used, sources.limits, source.number)
            if losing and not won:
                levels[0], xp, taken = book_loss(rule, level, xp, mine.lost[level])
                tally.lost[level] += taken
                tally.dropped[level] += level - levels[0]
            if xp + gained < enough and levels[0] == level:
                xp += gained
            else:
                levels[0], xp, thrown = book_award(rule, levels[0], xp, gained)
                wasted += thrown
                changed |= levels[0] != level
                note_arrivals(arrival, counted, clock, encounter, levels[0], room.peaks, 0)
            # The award of the skill.
            if rich and source.skill >= 0:
                track, gained = source.skill, source.skill_won if won else source.skill_lost
                if practise(tracks, track, levels, room.xps, gained):
                    changed = True
                    first, reached = room.first_level[track], levels[track]
                    note_arrivals(arrival[first:], counted[first:], clock, encounter, reached, room.peaks, track)
        room.xps[0] = xp
        return reason, clock, encounter, wasted

    return inlined(named_for(features, meet))
