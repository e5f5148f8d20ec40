"""What an award or a loss did, and what listeners hear."""

from __future__ import annotations

from typing import Any, NamedTuple

from ramulus.rules.bar import Bar

OUTCOME_COLUMNS = (
    "amount", "level_before", "level", "levels_gained", "kept", "wasted", "xp", "cost", "progress", "points",
    "earned", "label",
)  # fmt: skip


class LedgerEvent(NamedTuple):
    """Something that happened: its kind, the level after it, and the XP concerned (for "wasted").

    Examples:
        >>> import ramulus as rm
        >>> ledger = rm.Ledger(rm.demo_design())
        >>> seen = []
        >>> _ = ledger.subscribe("level_up", lambda who, event: seen.append(event))
        >>> _ = ledger.award(150)
        >>> [(one.kind, one.level) for one in seen]
        [('level_up', 2), ('level_up', 3)]
    """

    kind: str
    level: int
    amount: float = 0


class AwardOutcome:
    """What one award did.

    Attributes:
        amount: XP awarded.
        level_before: the level before it.
        level: the level after it.
        points: points to spend.

    Examples:
        >>> import ramulus as rm
        >>> ledger = rm.Ledger(rm.demo_design())
        >>> outcome = ledger.award(150)
        >>> outcome.level, outcome.levels_gained, outcome.label
        (3, 2, 'Level 3 · 6 / 130')
    """

    # Everything in XP is worked out when it is asked for: booking is done far more often than reading.
    __slots__ = ("_bar", "_earned", "_kept", "_wasted", "_xp", "amount", "level", "level_before", "points")

    def __init__(
        self,
        bar: Bar,
        amount: float,
        levels: tuple[int, int],
        units: tuple[int, int, int, int],
        points: float,
    ) -> None:
        self._bar, self.amount, self.points = bar, amount, points
        self.level_before, self.level = levels
        self._kept, self._wasted, self._xp, self._earned = units

    @property
    def levels_gained(self) -> int:
        """How many levels it raised."""
        return self.level - self.level_before

    @property
    def kept(self) -> float:
        """Overflow XP that is still there past the last threshold it crossed (0 where it crossed none)."""
        return self._bar.xp(self._kept)

    @property
    def wasted(self) -> float:
        """XP that was lost to overflow or the cap."""
        return self._bar.xp(self._wasted)

    @property
    def xp(self) -> float:
        """Progress inside the level, XP."""
        return self._bar.xp(self._xp)

    @property
    def cost(self) -> float:
        """XP from this level to the next; not a number at the cap."""
        return self._bar.cost(self.level)

    @property
    def progress(self) -> float:
        """The bar, 0 … 1."""
        return self._bar.progress(self.level, self._xp)

    @property
    def earned(self) -> float:
        """All XP ever awarded."""
        return self._bar.xp(self._earned)

    @property
    def label(self) -> str:
        """The bar's text."""
        return self._bar.label(self.level, self._xp)

    def as_dict(self) -> dict[str, Any]:
        """Return everything by name, in the order of the `award` command's columns."""
        return {name: getattr(self, name) for name in OUTCOME_COLUMNS}

    def __eq__(self, other: object) -> bool:
        return isinstance(other, AwardOutcome) and self.as_dict() == other.as_dict()

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"<AwardOutcome +{self.amount:g}: {self.label}, {self.levels_gained} levels, {self.wasted:g} wasted>"


class LossOutcome(NamedTuple):
    """What one loss did: XP asked for, XP taken (the rest is forgiven), levels lost, and the state after it."""

    amount: float
    taken: float
    levels_lost: int
    level: int
    xp: float
    label: str
