"""The encounters of a player alone while what is open stays so: the innermost loop of all."""

from __future__ import annotations

from typing import Any

from ramulus.rules.overflow import threshold
from ramulus.simulation.booking_steps import steps_for
from ramulus.simulation.draws import XP, uniform
from ramulus.simulation.events import lay_out_met, look_again, open_gates
from ramulus.simulation.features import Features
from ramulus.simulation.jitted import inlined, named_for
from ramulus.simulation.opened import has_uses, use
from ramulus.simulation.steps import amount_of, attempt, award_of, rule_of
from ramulus.simulation.tally import CAP, ENDLESS, HORIZON


def encounters_for(features: Features) -> Any:
    """Return the loop for some features: ``meet(key, own, clock, encounter, …)``.

    It plays one player from one change of what is open to the next, or to the end, and returns why play ended (CAP: it
    does not), the played seconds, the encounters so far, and the units wasted.
    """
    rich, drawn, varies, eventful = features
    book_main, book_skills, pass_days = steps_for(features)

    def meet(  # type: ignore[no-untyped-def]
        key, own, clock, encounter, count, meets, sources, mine, tracks, settings, times, room, tally, arrival, counted,
        held,
    ):  # fmt: skip
        opened, running, today, used = room.opened, room.running, room.days[0], room.used
        rule, level, xp = rule_of(tracks, 0), room.levels[0], room.xps[0]
        enough = threshold(rule, level) if level < rule.cap else 0  # At the cap every award is booked.
        reason, wasted, changed = CAP, 0, False
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
                changed = pass_days(clock, rule, count, sources, mine, room)
            if eventful:
                lay_out_met(source, sources, mine, room, mine.state[today.window], won, settings.pursuit)
            gained = source.units_won if won else source.units_lost
            if drawn and source.width != 1:
                amount = amount_of(sources.xp, source.number, source.low, source.width, uniform(key, encounter, XP))
                gained = award_of(amount, source.product, won, settings, rule.scale)
            encounter += 1
            source.met, source.won = source.met + 1, source.won + won
            # A success is counted; gates; the loss of a failure, the awards of the main track and of skills; gates.
            if rich and won and source.limited:
                use(used, source.number)
                changed |= not has_uses(used, sources.limits, source.number)
            if eventful:
                changed |= open_gates(tracks, mine, room, tally, arrival, counted, held, clock, encounter)
                xp = room.xps[0]
            xp, gained, thrown, moved = book_main(
                rule, tracks, mine, room, tally, arrival, counted, held, level, enough, xp, gained, won, clock,
                encounter,
            )  # fmt: skip
            source.income += gained
            wasted += thrown
            changed |= moved
            if rich:
                changed |= book_skills(
                    source, sources, tracks, mine, room, tally, arrival, counted, held, won, clock, encounter
                )
            if eventful:
                changed |= open_gates(tracks, mine, room, tally, arrival, counted, held, clock, encounter)
                changed |= look_again(source, sources, mine, room, settings.pursuit)
                xp = room.xps[0]
        room.xps[0] = xp
        return reason, clock, encounter, wasted

    return inlined(named_for(features, meet))
