"""A working: how a rule came to one number, line by line, for whoever prints it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ramulus.formula import Step, number_text, parse, work_through


@dataclass(frozen=True)
class Working:
    """How a number came about.

    Attributes:
        text: the formula, or the way in words where there is none.
        names: the value of every name the formula used.
        steps: the lines, innermost first; what each puts in is a formula that gives its value.
    """

    text: str
    names: Mapping[str, float] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()

    @property
    def value(self) -> float:
        """What it comes to."""
        return self.steps[-1].value

    def then(self, *steps: Step) -> Working:
        """Return the same with more lines at its end."""
        return Working(self.text, self.names, (*self.steps, *steps))


def of_formula(text: str, scope: Mapping[str, float]) -> Working:
    """Return the working of a formula at one point, whose names are in `scope`."""
    formula = parse(text)
    used = {name: float(scope[name]) for name in formula.names if name in scope}
    return Working(text, used, tuple(work_through(formula, used)))


def of_number(expression: str, words: str, value: float, *, put_in: str = "", note: str = "") -> Working:
    """Return the working of a number that is given, not computed; `words` say how it is stated."""
    return Working(words, {}, (Step(expression, put_in or number_text(value), value, note),))
