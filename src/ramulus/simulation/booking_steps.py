"""How an encounter is booked for a player alone: days, a failure's loss, the awards of main track and skills."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ramulus.rules.overflow import book_award, book_loss
from ramulus.simulation.arrivals import note_arrivals
from ramulus.simulation.away import paid_on_top
from ramulus.simulation.days import turn
from ramulus.simulation.events import book, days_pass
from ramulus.simulation.jitted import inlined, named_for
from ramulus.simulation.opened import lay_out_awards
from ramulus.simulation.steps import practise

if TYPE_CHECKING:
    from ramulus.simulation.features import Features


def steps_for(features: Features) -> tuple[Any, Any, Any]:
    """Return how an encounter is booked for some features: ``book_main``, ``book_skills`` and ``pass_days``.

    The first returns the XP inside the level, the units awarded and wasted, and whether the level is another one than
    that at which the source was drawn; the second whether a skill's level is another one, the third whether the play
    day is.
    """
    eventful = features.eventful

    def book_main(  # type: ignore[no-untyped-def]
        rule, tracks, mine, room, tally, arrival, counted, held, level, enough, xp, gained, won, clock, encounter
    ):
        levels, thrown = room.levels, 0
        if not won and mine.lost[level] > 0:
            before = levels[0]
            levels[0], xp, taken = book_loss(rule, before, xp, mine.lost[level])
            tally.lost[level] += taken
            tally.dropped[level] += before - levels[0]
        if eventful:
            if len(mine.away.per_day) > 0:
                more = paid_on_top(mine.away, room.store[0], gained, rule.scale)
                room.store[0] -= more
                gained += more
                tally.away[level] += more
            room.xps[0] = xp
            book(tracks, mine, room, tally, arrival, counted, held, 0, gained, clock, encounter)
            xp = room.xps[0]
        elif xp + gained < enough and levels[0] == level:
            xp += gained
        else:
            levels[0], xp, thrown = book_award(rule, levels[0], xp, gained)
            note_arrivals(arrival, counted, clock, encounter, levels[0], room.peaks, 0)
        return xp, gained, thrown, levels[0] != level

    def book_skills(  # type: ignore[no-untyped-def]
        source, sources, tracks, mine, room, tally, arrival, counted, held, won, clock, encounter
    ):
        moved = False
        for one in range(source.first_practice, source.last_practice):
            track, gained = sources.practised[one], room.practised[1 if won else 0, one]
            if eventful:
                moved |= book(tracks, mine, room, tally, arrival, counted, held, track, gained, clock, encounter)
            elif practise(tracks, track, room.levels, room.xps, gained):
                moved, first = True, room.first_level[track]
                note_arrivals(arrival[first:], counted[first:], clock, encounter, room.levels[track], room.peaks, track)
        return moved

    def pass_days(clock, rule, count, sources, mine, room):  # type: ignore[no-untyped-def]
        today = room.days[0]
        if eventful:
            over = days_pass(today, clock, mine, room, rule.cap, rule.scale)
        else:
            over = turn(today, clock, mine.borders, room.used)
        lay_out_awards(room.opened, count, sources, mine, room, mine.state[today.window])
        return over

    return tuple(inlined(named_for(features, step)) for step in (book_main, book_skills, pass_days))  # type: ignore[return-value]
