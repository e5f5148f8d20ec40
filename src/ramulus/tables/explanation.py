"""A formula, cost or stat worked through: its steps as text, as a table, and in a notebook."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

from ramulus.formula import Step, number_text

if TYPE_CHECKING:
    import pandas as pd

_UNITS = {
    r"tracks\.\w+\.cost(\..*)?": "XP",
    r"sources\.\w+\.((skill_)?xp|skills\.\w+)": "XP",
    r"(encounter|encounter\.rest|sources\.\w+)\.seconds": "s",
    r"away_bonus\.\w+": "XP",
    r"players\.\w+\.patience_hours_per_level": "h",
    r"tracks\.\w+\.points_per_level": "points",
}
DIGITS = 10


@dataclass(frozen=True)
class Explanation:
    """A formula, cost or stat worked through at one level.

    Attributes:
        place: where it stands in the design.
        formula: the text, or the way in words where it is no formula.
        names: the value of every name it used.
        steps: the working, innermost step first; clamps and rounding last. What each step puts in is a formula that
            gives its value.
        value: what it comes to.
        of_whom: for which source, player and level it was worked through, with the option that names another.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> found = rm.explain(design, "tracks.warden.cost", level=7)
        >>> found.value, found.names["steepness"]
        (445.0, 1.55)
    """

    place: str
    formula: str
    names: Mapping[str, float]
    steps: tuple[Step, ...]
    value: float
    of_whom: str = ""

    @property
    def unit(self) -> str:
        """The unit of the value, where it is known, with a space in front."""
        return next((f" {unit}" for pattern, unit in _UNITS.items() if re.fullmatch(pattern, self.place)), "")

    def table(self) -> pd.DataFrame:
        """Return the steps: `step`, `expression`, `put_in`, `value`, `note`."""
        import pandas as pd

        return pd.DataFrame(
            [(i, s.expression, s.put_in, s.value, s.note) for i, s in enumerate(self.steps, 1)],
            columns=["step", "expression", "put_in", "value", "note"],
        )

    def __str__(self) -> str:
        where = ", ".join(f"{name} = {number_text(value)}" for name, value in self.names.items())
        of_whom = [f"  for {self.of_whom}"] if self.of_whom else []
        lines = [f"{self.place}", f"  {self.formula}", *of_whom, *([f"  where {where}"] if where else []), ""]
        for step in self.steps:
            lines += [f"  {step.expression}", f"      {_line(step)}"]
        return "\n".join([*lines, "", f"  {_shown(self.value)}{self.unit}"])

    def _repr_html_(self) -> str:
        where = ", ".join(f"{name} = {number_text(value)}" for name, value in self.names.items())
        head = f"{escape(self.place)}: <code>{escape(self.formula)}</code>{f' where {escape(where)}' if where else ''}"
        cells = ((step.expression, step.put_in, number_text(step.value), step.note) for step in self.steps)
        rows = "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in cells)
        heads = "<tr><th>step</th><th>put in</th><th>gives</th><th></th></tr>"
        return f"<table><caption>{head}</caption>{heads}{rows}</table>"


def _shown(value: float) -> str:
    """Return a result in as many digits as matter; its steps show every one."""
    return number_text(float(f"{value:.{DIGITS}g}"))


def _line(step: Step) -> str:
    """Return what a step comes to, in a line."""
    value = number_text(step.value)
    if step.note in ("true", "false"):
        return f"{step.put_in} is {step.note}: {value}"
    note = f"    ({step.note})" if step.note else ""
    return f"= {value}{note}" if step.put_in == value else f"= {step.put_in} = {value}{note}"
