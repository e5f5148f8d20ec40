"""Checks of the party: a boosted member who passes the leader."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.analysis.checks.finding import Finding

if TYPE_CHECKING:
    from ramulus.design import Design


def check_party(design: Design) -> Iterator[Finding]:
    """Yield members of the party who overtake its leader thanks to a multiplier."""
    if design.party is None or not design.sources:
        return
    from ramulus.analysis.party import overtakings, play_party

    for name, leader, level, encounter in overtakings(play_party(design, encounters=400)):
        yield Finding(
            "member-overtakes", "warning", f"party.members.{name}",
            f"boosted, {name!r} passes the leader {leader!r} at level {level}, after {encounter} shared encounters",
            "hold_below_leader = true, or bands that end at 1 nearer to the leader", level,
        )  # fmt: skip
