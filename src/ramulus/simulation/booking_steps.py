"""How an encounter is booked for a player alone: days, a failure's loss, the awards of main track and skills."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ramulus.rules.overflow import book_award, book_loss
from ramulus.simulation.arrivals import note_arrivals
from ramulus.simulation.away import paid_on_top
from ramulus.simulation.days import turn
from ramulus.simulation.done import note_earned
from ramulus.simulation.draws import XP, uniform
from ramulus.simulation.events import book, days_pass
from ramulus.simulation.jitted import named_for, part
from ramulus.simulation.opened import lay_out_awards
from ramulus.simulation.steps import amount_of, award_of, practise

if TYPE_CHECKING:
    from ramulus.simulation.features import Features


def steps_for(features: Features) -> tuple[Any, Any, Any, Any]:
    """Return how an encounter is booked for some features: ``pays``, ``book_main``, ``book_skills`` and ``pass_days``.

    The first returns the units that an encounter awards before time away; the second the XP inside the level, the
    units awarded and wasted, and whether anything is another now: the level than that at which the source was drawn,
    a gate, a band; the third whether that is so of a skill, the last whether the play day is another.
    """
    every = (_pays_for(features), _book_main_for(features), _book_skills_for(features), _pass_days_for(features))
    return tuple(part(named_for(features, step)) for step in every)  # type: ignore[return-value]


def _pays_for(features: Features) -> Any:
    drawn = features.drawn

    def pays(source, won, key, encounter, sources, settings, scale):  # type: ignore[no-untyped-def]
        gained = source.units_won if won else source.units_lost
        if drawn and source.width != 1:
            amount = amount_of(sources.xp, source.number, source.low, source.width, uniform(key, encounter, XP))
            gained = award_of(amount, source.product, won, settings, scale)
        return gained

    return pays


def _book_main_for(features: Features) -> Any:
    eventful = features.eventful

    def book_main(  # type: ignore[no-untyped-def]
        rule, tracks, mine, room, tally, arrival, counted, held, level, enough, xp, gained, won, clock, encounter
    ):
        levels, thrown, stands = room.levels, 0, False
        if not won and mine.lost[level] > 0:
            before = levels[0]
            levels[0], xp, taken = book_loss(rule, before, xp, mine.lost[level])
            tally.lost[level] += taken
            tally.dropped[level] += before - levels[0]
        if eventful:
            if room.store[0] > 0:
                more = paid_on_top(mine.away, room.store[0], gained, rule.scale)
                room.store[0] -= more
                gained += more
                tally.away[level] += more
            done = note_earned(room.earned, room.next_earned, 0, gained)
            if levels[0] == level < rule.cap and xp + gained < enough - rule.more and room.since[0] < 0.0:
                xp += gained  # Nothing else comes of it.
            else:
                room.xps[0] = xp
                book(tracks, mine, room, tally, arrival, counted, held, 0, gained, clock, encounter)
                xp, stands = room.xps[0], room.since[0] >= 0.0
            stands |= done
        elif xp + gained < enough and levels[0] == level:
            xp += gained
        else:
            levels[0], xp, thrown = book_award(rule, levels[0], xp, gained)
            note_arrivals(arrival, counted, clock, encounter, levels[0], room.peaks, 0)
        return xp, gained, thrown, stands or levels[0] != level

    return book_main


def _book_skills_for(features: Features) -> Any:
    eventful = features.eventful

    def book_skills(  # type: ignore[no-untyped-def]
        source, sources, tracks, mine, room, tally, arrival, counted, held, won, clock, encounter
    ):
        moved = False
        for one in range(source.first_practice, source.last_practice):
            track, gained = sources.practised[one], room.practised[1 if won else 0, one]
            if eventful:
                moved |= note_earned(room.earned, room.next_earned, track, gained)
                at, xp = room.levels[track], room.xps[track] + gained
                if at < tracks.cap[track] and xp < tracks.costs[tracks.first[track] + at] and room.since[track] < 0.0:
                    room.xps[track] = xp
                else:
                    moved |= book(tracks, mine, room, tally, arrival, counted, held, track, gained, clock, encounter)
            elif practise(tracks, track, room.levels, room.xps, gained):
                moved, first = True, room.first_level[track]
                note_arrivals(arrival[first:], counted[first:], clock, encounter, room.levels[track], room.peaks, track)
        return moved

    return book_skills


def _pass_days_for(features: Features) -> Any:
    eventful = features.eventful

    def pass_days(clock, rule, count, sources, mine, room):  # type: ignore[no-untyped-def]
        today = room.days[0]
        if eventful:
            over = days_pass(today, clock, mine, room, rule.cap, rule.scale)
        else:
            over = turn(today, clock, mine.borders, room.used)
        lay_out_awards(room.opened, count, sources, mine, room, mine.state[today.window])
        return over

    return pass_days
