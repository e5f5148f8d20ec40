"""What a check finds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from ramulus.errors import DataError, DesignError, Problem

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    import pandas as pd

    from ramulus.design import Design

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True)
class Finding:
    """Something wrong or suspicious in a design.

    Attributes:
        code: a stable short name, listed in ``docs/findings.md``.
        severity: "error" (the design cannot be played), "warning" (it probably does not do what is wanted) or
            "note" (worth knowing).
        place: where in the design.
        reason: what was seen, with numbers.
        way_out: what to do about it.
        level: the level it is about, or None.
    """

    code: str
    severity: Severity
    place: str
    reason: str
    way_out: str
    level: int | None = None


class Findings(list[Finding]):
    """Findings, in the order of their severity; they show themselves as a table."""

    def table(self) -> pd.DataFrame:
        """Return a row a finding: `code`, `severity`, `place`, `level`, `reason`, `way_out`."""
        import pandas as pd

        columns = ["code", "severity", "place", "level", "reason", "way_out"]
        rows = [[getattr(finding, name) for name in columns] for finding in self]
        return pd.DataFrame(rows, columns=columns).astype({"level": object})

    def _repr_html_(self) -> str:
        if not self:
            return "<p>Nothing to say.</p>"
        import pandas as pd

        with pd.option_context("display.max_colwidth", None):
            return str(self.table().to_html(index=False, na_rep=""))


def from_problem(problem: Problem) -> Finding:
    """Return a mistake in the file as a finding."""
    way_out = f"allowed: {problem.allowed}" if problem.allowed else "mend the value"
    if problem.nearest:
        way_out = f"did you mean {problem.nearest!r}? ({way_out})"
    return Finding(problem.code, "error", problem.place, problem.found, way_out)


def guarded(check: Callable[[Design], Iterator[Finding]], design: Design) -> Iterator[Finding]:
    """Yield what a check finds; a design that it cannot even compute is a finding too."""
    try:
        yield from check(design)
    except DesignError as error:
        yield from map(from_problem, error.problems)
    except DataError as error:
        yield Finding("data-file", "error", "", str(error), "mend the file")
