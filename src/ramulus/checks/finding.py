"""What a check finds."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from ramulus.errors import DataError, DesignError, Problem

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

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
        players: the profiles whose it is, which stand before the reason; empty where it is everybody's.

    Examples:
        >>> import ramulus as rm
        >>> found = next(one for one in rm.check(rm.demo_design()) if one.code == "cost-wall")
        >>> found.severity, found.place
        ('warning', 'tracks.warden.cost')
    """

    code: str
    severity: Severity
    place: str
    reason: str
    way_out: str
    level: int | None = None
    players: tuple[str, ...] = ()


class Findings(list[Finding]):
    """Findings, in the order of their severity; they show themselves as a table.

    Attributes:
        accepted: what was found and the author accepts, with the reason given; it is not among the findings.
    """

    def __init__(self, findings: Iterable[Finding] = (), accepted: Iterable[tuple[Finding, str]] = ()) -> None:
        super().__init__(findings)
        self.accepted = tuple(accepted)

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


def in_one(findings: Iterable[Finding]) -> list[Finding]:
    """Return findings with those in one that differ only in whose they are; "newcomer, steady: …" says whose."""
    whose: dict[Finding, dict[str, None]] = {}
    for finding in findings:
        whose.setdefault(replace(finding, players=()), {}).update(dict.fromkeys(finding.players))
    return [
        replace(finding, players=tuple(names), reason=f"{', '.join(names)}: {finding.reason}") if names else finding
        for finding, names in whose.items()
    ]


def without_accepted(findings: Iterable[Finding], design: Design) -> Findings:
    """Return findings without those that the design accepts, and with a note for what it accepts in vain."""
    why = {(one.code, one.place): one.why for one in design.accept}
    kept: list[Finding] = []
    gone: list[Finding] = []
    for finding in findings:
        # A mistake that keeps the design from being played is not to be accepted away.
        accepted = finding.severity != "error" and (finding.code, finding.place) in why
        (gone if accepted else kept).append(finding)
    met = {(finding.code, finding.place) for finding in gone}
    idle = [
        Finding(
            "accepted-gone", "note", f"accept[{index}]", f"{one.code} at {one.place} is accepted, and no longer found",
            "take it out of accept",
        )
        for index, one in enumerate(design.accept)
        if (one.code, one.place) not in met
    ]  # fmt: skip
    return Findings([*kept, *idle], [(finding, why[finding.code, finding.place]) for finding in gone])


def from_problem(problem: Problem) -> Finding:
    """Return a mistake in the file as a finding."""
    way_out = f"allowed: {problem.allowed}" if problem.allowed else "mend the value"
    if problem.nearest:
        way_out = f"did you mean {problem.nearest!r}? ({way_out})"
    place = f"{Path(problem.file).name}: {problem.place}" if problem.file else problem.place
    return Finding(problem.code, "error", place, problem.found, way_out)


def guarded(check: Callable[[Design], Iterator[Finding]], design: Design) -> Iterator[Finding]:
    """Yield what a check finds; a design that it cannot even compute is a finding too."""
    try:
        yield from check(design)
    except DesignError as error:
        yield from map(from_problem, error.problems)
    except DataError as error:
        yield Finding("data-file", "error", "", str(error), "mend the file")
