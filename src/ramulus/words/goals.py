"""What became of the goals, for a reader."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ramulus.goals import Judged


def goal_lines(judged: list[Judged], what: str = "Goals") -> list[str]:
    """Return a line for all goals, and one for each: missed ones first, then open ones."""
    if not judged:
        return []
    counts = {word: sum(one.verdict == word for one in judged) for word in ("missed", "open", "met")}
    order = list(counts)
    players = max(len(one.goal.player) for one in judged)
    lines = ["", f"{what}: " + ", ".join(f"{count} {word}" for word, count in counts.items() if count)]
    ordered = sorted(judged, key=lambda one: order.index(one.verdict))
    return [*lines, *(f"  {one.verdict:6}  {one.goal.player:{players}}  {one}" for one in ordered)]
