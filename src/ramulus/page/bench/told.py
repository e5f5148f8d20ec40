"""What the bench says of a design beside its figures: goals with their verdicts, findings that come and go."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ramulus.goals import judge

if TYPE_CHECKING:
    from ramulus.checks.finding import Finding
    from ramulus.goals import Judged
    from ramulus.page.context import Context


def goals_told(now: Context, before: Context | None) -> list[dict[str, Any]]:
    """Return a row a goal: whose it is, the wish and what was found in words, its verdict, and that of the file."""
    if now.result is None:
        return []
    found = judge(now.result)
    same = before is not None and before.result is not None and len(before.design.goals) == len(now.design.goals)
    files = judge(before.result) if same and before is not None and before.result is not None else []
    then = [one.verdict for one in files] if len(files) == len(found) else [one.verdict for one in found]
    return [_goal(one, verdict) for one, verdict in zip(found, then, strict=True)]


def _goal(one: Judged, then: str) -> dict[str, Any]:
    text = str(one)
    return {
        "player": one.goal.player, "wish": one.words, "found": text.removeprefix(f"{one.words}: "),
        "verdict": one.verdict, "before": then,
    }  # fmt: skip


def findings_told(now: Context, before: Context | None) -> list[dict[str, Any]]:
    """Return a row a finding: what it says, and whether it came with what is tried ("new") or went by it ("gone")."""
    known = {_key(one) for one in before.findings} if before is not None else None
    rows = [_finding(one, "" if known is None or _key(one) in known else "new") for one in now.findings]
    if before is not None:
        here = {_key(one) for one in now.findings}
        rows += [_finding(one, "gone") for one in before.findings if _key(one) not in here]
    return rows


def _key(one: Finding) -> tuple[str, str, int | None]:
    return one.code, one.place, one.level


def _finding(one: Finding, change: str) -> dict[str, Any]:
    level = "" if one.level is None else f", level {one.level}"
    return {
        "severity": one.severity, "place": f"{one.place or 'the file'}{level}", "reason": one.reason,
        "way_out": one.way_out, "code": one.code, "change": change,
    }  # fmt: skip
