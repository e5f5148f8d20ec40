"""Rule sets that were tried on a track of a log, and what came of them."""

from __future__ import annotations

from dataclasses import dataclass, field

from ramulus.recorded.patched import Patched

AS_DESIGNED = "as designed"
ENOUGH = 3  # Awards that a rule must explain beyond the design to be told from chance.
MUCH = 0.01  # The share of awards that lost and doubled rows do not explain.


def more_than_chance(left: float, awards: int) -> bool:
    """Return whether so many of some awards are more than lost and doubled rows leave."""
    return left > max(MUCH * awards, ENOUGH)


@dataclass(frozen=True)
class Rule:
    """A rule set that was tried.

    Attributes:
        mistakes: the mistakes, none for the design itself.
        explained: how many of the awards come out as they were logged; of those looked at, scaled up to all.
        players: how many players have an award that does not; but for the design itself, of those looked at.
    """

    mistakes: tuple[str, ...]
    explained: int
    players: int

    @property
    def name(self) -> str:
        """The codes of its mistakes, or that it is as designed."""
        return " + ".join(self.mistakes) or AS_DESIGNED


@dataclass
class OfTrack:
    """One track's part.

    Attributes:
        name: the track's name.
        awards, players: awards whose state before and after is known, and whose they are.
        differing, differing_players: those that did not come out as designed, and whose.
        from_outside: levels that rose without XP.
        levels_only: whether the log tells levels and no XP.
        rules: the design, and the rule sets that explain most.
        first: the first difference, in words.
        reads_before: whether the differences vanish where `level` is read as before the award.
        patch: a rule that holds from some time on, or until then; None where there is none.
    """

    name: str
    awards: int = 0
    players: int = 0
    differing: int = 0
    differing_players: int = 0
    from_outside: int = 0
    levels_only: bool = False
    rules: list[Rule] = field(default_factory=list)
    first: str = ""
    reads_before: bool = False
    patch: Patched | None = None

    @property
    def others(self) -> list[Rule]:
        """The rule sets that explain more than the design, beyond chance; no run tells them apart."""
        found = self.rules[1:]
        return found if found and found[0].explained - self.rules[0].explained >= ENOUGH else []

    @property
    def unexplained(self) -> int:
        """Awards that no rule explains."""
        return self.awards - max((rule.explained for rule in self.rules), default=self.awards)

    @property
    def differs(self) -> bool:
        """Whether the game does something else, beyond what lost and doubled rows explain."""
        many = more_than_chance(self.differing, self.awards)
        return self.reads_before or self.patch is not None or bool(self.others) or many
