"""What came of holding a game against a design."""

from __future__ import annotations

from dataclasses import dataclass

from ramulus.game.diagnosis import Explanation
from ramulus.game.encounter_runs import Encounter
from ramulus.game.requests import Difference, Heard


@dataclass(frozen=True)
class Conformity:
    """Whether a game does what the design says.

    Attributes:
        design: the design's hash, and the game's where it tells one.
        runs, steps: how many were judged.
        told: what the game tells of a state.
        difference: the first difference on the shortest run that shows it; None where there is none.
        explanation: what it does instead; None where that is not known.
        remembers: whether the difference goes away with a fresh process.
        awards: encounters whose award differs, with what was found.
        judged_awards: how many encounters were judged.
        awards_mistake: the one mistake that explains what all of them paid, or "".
        takes_negative: whether it books an award below 0.
        asked_awards, unanswered: how many encounters were asked for, and runs that have no answer.
        asked_on: whether the game could be asked on; else costs of its own are not found.
        stopped: why asking on came to an early end, or "".
        cannot: what it says it cannot do.
        heard: lines that were no answers.

    Examples:
        >>> import ramulus as rm
        >>> import sys
        >>> _ = rm.export(rm.demo_design(), "game", ["python"])
        >>> found = rm.conform(rm.demo_design(), [sys.executable, "game/harness.py"])
        >>> found.conforms, found.difference
        (True, None)
    """

    design: tuple[str, str]
    runs: int
    steps: int
    told: tuple[str, ...]
    difference: Difference | None
    explanation: Explanation | None
    remembers: bool
    awards: tuple[tuple[Encounter, object], ...]
    judged_awards: int
    awards_mistake: str
    takes_negative: bool
    asked_awards: int
    unanswered: int
    asked_on: bool
    stopped: str
    cannot: tuple[str, ...]
    heard: Heard

    @property
    def conforms(self) -> bool:
        """Whether every run was answered and nothing differs; an award on a rounding edge is no fault."""
        faulty = self.difference is not None or self.faulty_awards or self.takes_negative
        return not (faulty or self.unanswered)

    @property
    def faulty_awards(self) -> list[tuple[Encounter, object]]:
        """Encounters whose award is not what another precision would make of it either."""
        return [(one, found) for one, found in self.awards if found not in one.others]

    @property
    def is_of_another_design(self) -> bool:
        """Whether the game says that it was built from another design."""
        return bool(self.design[1]) and self.design[0] != self.design[1]
