"""A game held against the design: where it first differs, on the shortest run that shows it, and what it does."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.errors import DataError
from ramulus.game.asking import GameProcess
from ramulus.game.conformity import Conformity
from ramulus.game.diagnosis import Ask, Diagnosis, Explanation
from ramulus.game.encounter_runs import Encounter, encounters_of, mistake_of
from ramulus.game.languages import PYTHON
from ramulus.game.levels_json import levels_of
from ramulus.game.mistaken import AWARD, Game
from ramulus.game.pack import Pack
from ramulus.game.packing import pack_of
from ramulus.game.requests import (
    Answer,
    Difference,
    Heard,
    Request,
    difference,
    is_told,
    negative_requests,
    requests_of,
)
from ramulus.game.view import View

if TYPE_CHECKING:
    from ramulus.design import Design

BUDGET = 30.0
_MOST_SHRINKING = 80
Fresh = Callable[[], GameProcess]
Steps = tuple[tuple[str, int], ...]


def conform(
    design: Design,
    command: Sequence[str],
    *,
    budget: float = BUDGET,
    start_timeout: float = 60.0,
    timeout: float = 10.0,
) -> Conformity:
    """Hold a running game against a design.

    Args:
        design: the design.
        command: starts the game: program and arguments. It reads a run a line and answers a line each.
        budget: seconds for finding out what the game does instead.
        start_timeout, timeout: seconds for its first answer, and for each later one.

    Raises:
        DataError: the game cannot be started, dies, is silent, or answers what is no answer.
        DesignError: the design is at fault.

    Examples:
        >>> import ramulus as rm
        >>> import sys
        >>> _ = rm.export(rm.demo_design(), "game", ["python"])
        >>> rm.conform(rm.demo_design(), [sys.executable, "game/harness.py"]).conforms
        True
    """
    examination = _Examination(design, budget)
    with ExitStack() as stack:

        def fresh() -> GameProcess:
            return stack.enter_context(GameProcess(command, start_timeout, timeout))

        return examination.of_process(fresh(), fresh)


def requests_for(design: Design) -> list[str]:
    """Return the lines that a game is asked, for one that cannot be started from here."""
    examination = _Examination(design, BUDGET)
    return [request.line for request in [*examination.requests, *(one.request for one in examination.encounters)]]


def conform_recorded(design: Design, heard: Heard) -> Conformity:
    """Hold recorded answers to `requests_for` against a design; nothing can be asked on, so less may be known."""
    return _Examination(design, BUDGET).of_answers(heard)


@dataclass
class _Instead:
    """What a game does instead, as far as it is known."""

    explanation: Explanation | None = None
    remembers: bool = False
    asked_on: bool = True
    stopped: str = ""


class _Examination:
    """What is asked of any game, and what becomes of its answers."""

    def __init__(self, design: Design, budget: float) -> None:
        from ramulus import __version__

        self._pack: Pack = pack_of(design)
        self._hash = levels_of(design, self._pack, __version__)["design"]
        self.requests = requests_of(self._pack)
        product = View(self._pack, PYTHON, "", self._hash, __version__).main_product
        self.encounters = encounters_of(design, self._pack, product, len(self.requests))
        self._budget = budget

    def of_process(self, game: GameProcess, fresh: Fresh) -> Conformity:
        """Ask a process."""
        known = [(request, game.ask(request)) for request in self.requests]
        first = self._first(known)
        until = time.monotonic() + self._budget
        instead = _Instead()
        if first is not None:
            first = self._asked_on(first, known, fresh, until, instead)
        awards = self._awards(fresh) if first is None else ()
        negative = first is None and self._negative(fresh)
        return self._conformity(known, first, instead, awards, negative, game.heard)

    def _asked_on(
        self, first: Difference, known: list[tuple[Request, Answer]], fresh: Fresh, until: float, instead: _Instead
    ) -> Difference:
        """Return the difference on a short run, and note what the game does instead; what was found stays found."""
        try:
            again = fresh()
            instead.remembers = difference(first.request, again.ask(first.request)) is None
            if not instead.remembers:
                first = self._shrunk(first, again.ask, until)
                instead.explanation = self._explained(first, known, again.ask, until)
        except DataError as error:
            instead.stopped = str(error)
        return first

    def of_answers(self, heard: Heard) -> Conformity:
        """Judge answers that were recorded."""
        known = [
            (request, heard.answers[request.number]) for request in self.requests if request.number in heard.answers
        ]
        if not known:
            raise DataError(
                "none of the answers is to a run that was asked for; are they to the requests of this design?"
            )
        first = self._first(known)
        instead = _Instead(asked_on=False)
        if first is not None:
            instead.explanation = self._explained(first, known, None, time.monotonic() + self._budget)
        awards = tuple(
            (one, _awarded(heard.answers[one.request.number])) for one in self.encounters
            if one.request.number in heard.answers
        )  # fmt: skip
        return self._conformity(known, first, instead, awards, False, heard)

    def _first(self, known: list[tuple[Request, Answer]]) -> Difference | None:
        """Return the difference that shows after the fewest steps, the main track's first, with the least XP."""
        found = [one for request, answer in known if (one := difference(request, answer))]
        tracks = self._pack.tracks

        def key(one: Difference) -> tuple[int, int, int]:
            return tracks.index(one.request.track), one.step, sum(units for _, units in one.request.steps[: one.step])

        return min(found, key=key, default=None)

    def _conformity(
        self, known: list[tuple[Request, Answer]], first: Difference | None, instead: _Instead,
        awards: tuple[tuple[Encounter, object], ...], negative: bool, heard: Heard,
    ) -> Conformity:  # fmt: skip
        answers = [answer for _, answer in known]
        if first is None and "level" not in is_told(answers):
            raise DataError('nothing can be judged: no state tells a "level"')
        return Conformity(
            design=(self._hash, next((answer.design for answer in answers if answer.design), "")),
            runs=sum(not answer.cannot for answer in answers),
            steps=sum(len(request.steps) for request, answer in known if not answer.cannot),
            told=tuple(sorted(is_told(answers))),
            difference=first,
            explanation=instead.explanation,
            remembers=instead.remembers,
            awards=tuple((one, found) for one, found in awards if found is not None and found != one.award),
            judged_awards=sum(found is not None for _, found in awards),
            awards_mistake=mistake_of([(one, found) for one, found in awards if found is not None]) if awards else "",
            takes_negative=negative,
            asked_awards=len(self.encounters),
            unanswered=len(self.requests) - len(known),
            asked_on=instead.asked_on,
            stopped=instead.stopped,
            cannot=tuple(sorted({answer.cannot for answer in answers if answer.cannot})),
            heard=heard,
        )

    def _explained(
        self, first: Difference, known: list[tuple[Request, Answer]], ask: Ask | None, until: float
    ) -> Explanation | None:  # fmt: skip
        track = first.request.track
        mine = [(request, answer) for request, answer in known if request.track == track]
        return Diagnosis(track, mine, ask, until).explained()

    def _shrunk(self, first: Difference, ask: Ask, until: float) -> Difference:
        """Return the difference on a run with no step too many, and a last award as small as it may be."""
        best, tries = first, 0

        def try_it(steps: Steps) -> bool:
            nonlocal best, tries
            tries += 1
            if tries > _MOST_SHRINKING or time.monotonic() > until or not steps:
                return False
            request = Request(first.request.number, first.request.track, steps)
            found = difference(request, ask(request))
            if found is not None:
                best = found
            return found is not None

        try_it(first.request.steps[: first.step])
        place = 0
        while place < len(best.request.steps):
            if not try_it((*best.request.steps[:place], *best.request.steps[place + 1 :])):
                place += 1
        for place in range(len(best.request.steps)):
            self._smaller(best.request.steps, place, try_it)
        return best

    @staticmethod
    def _smaller(steps: Steps, place: int, try_it: Callable[[Steps], bool]) -> None:
        kind, units = steps[place]
        low, high = 0, units
        while kind == AWARD and high - low > 1:
            middle = (low + high) // 2
            smaller = (*steps[:place], (kind, middle), *steps[place + 1 :])
            low, high = (low, middle) if try_it(smaller) else (middle, high)

    def _awards(self, fresh: Fresh) -> tuple[tuple[Encounter, object], ...]:
        """Ask for encounters, in a process of their own: a game that does not know them is not judged in that."""
        if not self.encounters:
            return ()
        game, found = fresh(), []
        for one in self.encounters:
            try:
                found.append((one, _awarded(game.ask(one.request))))
            except DataError:
                break
        return tuple(found)

    def _negative(self, fresh: Fresh) -> bool:
        """Return whether the game books an award below 0: right is an unchanged state, or to refuse."""
        game = fresh()
        for request in negative_requests(self._pack, len(self.requests) + len(self.encounters)):
            try:
                states = game.ask(request).states
            except DataError:
                return False  # It ends rather than book it.
            right = Game(request.track).does(request.steps[:1])[-1]
            last = states[-1] if states else {}
            if last.get("level", right.level) != right.level or last.get("xp", right.xp) != right.xp:
                return True
        return False


def _awarded(answer: Answer) -> object:
    return answer.states[-1].get("award") if answer.states else None
