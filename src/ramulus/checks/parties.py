"""Checks of the party: a boosted member who passes the leader."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding
from ramulus.rules.multipliers import reads_leader

if TYPE_CHECKING:
    from ramulus.design import Design

ENCOUNTERS = 400
PARTIES = 50


def check_party(design: Design) -> Iterator[Finding]:
    """Yield members of the party who overtake its leader thanks to a multiplier."""
    party = design.party
    # Who is held cannot overtake by a boost, and a rule that does not read the leader's level boosts nobody by it.
    if party is None or party.hold_below_leader or not any(map(reads_leader, design.multipliers)):
        return
    from ramulus.results.party import play_party

    for name, leader, level, encounter in play_party(design, ENCOUNTERS, parties=PARTIES).overtakings():
        yield Finding(
            "member-overtakes", "warning", f"party.members.{name}",
            f"boosted, {name!r} passes the leader {leader!r} at level {level}, after {encounter} shared encounters",
            "hold_below_leader = true, or bands that end at 1 nearer to the leader", level,
        )  # fmt: skip
