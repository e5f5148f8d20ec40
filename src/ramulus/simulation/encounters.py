"""The encounters of a player alone while what is open stays so: the innermost loop of all."""

from __future__ import annotations

from typing import Any

from ramulus.rules.overflow import threshold
from ramulus.simulation.award_log import note_encounter
from ramulus.simulation.booking_steps import steps_for
from ramulus.simulation.draining import drain_laid_out
from ramulus.simulation.events import open_gates, take_rest
from ramulus.simulation.features import Features
from ramulus.simulation.jitted import named_for, part
from ramulus.simulation.opened import use_up
from ramulus.simulation.steps import attempt, rule_of
from ramulus.simulation.tally import CAP, ENDLESS, HORIZON

MOST_COUNTED = 2**31 - 1  # Encounters are kept in 32 bits.


def encounters_for(features: Features) -> Any:
    """Return the loop for some features: ``meet(key, own, clock, encounter, …)``.

    It plays to the next change of what is open, or to where a leap may be possible; it returns why play ended (or CAP),
    seconds, encounters, units wasted.
    """
    rich, _, varies, eventful, logged, leaps = features
    pays, book_main, book_skills, pass_days = steps_for(features)

    def meet(  # type: ignore[no-untyped-def]
        key, own, clock, encounter, look_at, count, meets, sources, mine, tracks, settings, times, room, tally, arrival,
        counted, held,
    ):  # fmt: skip
        opened, running, today, used = room.opened, room.running, room.days[0], room.used
        rule, level, xp = rule_of(tracks, 0), room.levels[0], room.xps[0]
        enough = threshold(rule, level) if level < rule.cap else 0  # At the cap every award is booked.
        reason, wasted, changed, give_up = CAP, 0, False, min(settings.most_encounters + room.leapt[0], MOST_COUNTED)
        while not (changed or (leaps and encounter >= look_at)):
            if encounter >= give_up or (encounter & 1023 == 0 and tally.stop[0] != 0):
                reason = ENDLESS
                break
            # A source is drawn; won or lost; time passes, up to the horizon; days and weeks begin, rules go on or off.
            i, won, seconds = attempt(opened, running, count, meets, key, encounter, varies, times)
            source = opened[i]
            clock += seconds * own
            if clock > settings.horizon:
                reason = HORIZON
                break
            if rich and clock >= today.turn:
                changed = pass_days(clock, rule, count, sources, mine, room)
            empty = drain_laid_out(room.drained, room.size, room.missing, i, won) if eventful else False
            gained = pays(source, won, key, encounter, sources, settings, rule.scale)
            encounter += 1
            source.met, source.won = source.met + 1, source.won + won
            # A success is counted; gates; the loss of a failure, the awards of the main track and of skills; gates.
            if rich and won and source.limited:
                changed |= use_up(used, sources.limits, source)
            if eventful and (changed or (won and source.limited)):  # Nothing else opens a gate here.
                room.xps[0] = xp
                changed |= open_gates(tracks, mine, room, tally, arrival, counted, held, clock, encounter)
                xp = room.xps[0]
            lost = tally.lost[level] if logged else 0
            xp, gained, thrown, moved = book_main(
                rule, tracks, mine, room, tally, arrival, counted, held, level, enough, xp, gained, won, clock,
                encounter,
            )  # fmt: skip
            source.income, wasted, changed = source.income + gained, wasted + thrown, changed | moved
            if rich:
                changed |= book_skills(
                    source, sources, tracks, mine, room, tally, arrival, counted, held, won, clock, encounter
                )
            if eventful and changed:
                room.xps[0] = xp
                open_gates(tracks, mine, room, tally, arrival, counted, held, clock, encounter)
                xp = room.xps[0]
            if logged:
                note_encounter(room, sources, source, won, clock, seconds * own, tally.lost[level] - lost, gained, xp)
            if eventful and empty and not changed:
                reason, clock, changed = take_rest(own, clock, settings, tracks, mine, room, tally)
                if reason != CAP:
                    break
        room.xps[0] = xp
        return reason, clock, encounter, wasted

    return part(named_for(features, meet))
