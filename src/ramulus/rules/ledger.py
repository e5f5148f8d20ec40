"""The ledger: what one award does, and all that it has done."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from ramulus.design.base import MOST_XP
from ramulus.errors import AwardError, SavedLedgerError
from ramulus.rules.bar import Bar
from ramulus.rules.ledger_state import Account, fingerprint, restored, saved
from ramulus.rules.listeners import Listener, Listeners
from ramulus.rules.outcomes import AwardOutcome, LedgerEvent, LossOutcome
from ramulus.rules.overflow import book_loss, threshold
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import FINEST, as_units, from_units, plain_number

if TYPE_CHECKING:
    from ramulus.design import Design


class Ledger:
    """One character's level, XP and points on one track, and how awards change them.

    Args:
        design: the design.
        track: the track's name (default: the main track).
        level: the level to start at (default: the track's start level).
        xp: XP inside that level (default: the track's `start_xp` at the start level, else 0).

    Raises:
        DesignError: the track's costs are at fault.
        AwardError: the level is outside the track, or the XP would pay for it.

    Setting up raises no event. After every award and loss,
    ``baseline + earned - lost == costs_paid + xp + wasted`` holds exactly.

    Examples:
        >>> import ramulus as rm
        >>> ledger = rm.Ledger(rm.demo_design())
        >>> outcome = ledger.award(75)
        >>> ledger.level, ledger.xp, outcome.levels_gained
        (2, 15, 1)
        >>> ledger.label
        'Level 2 · 15 / 84'
    """

    def __init__(
        self, design: Design, track: str | None = None, *, level: int | None = None, xp: float | None = None
    ) -> None:
        self.tables = tabulated(design).track(track)
        self.track, self._rule = self.tables.name, self.tables.overflow
        self.start_level, self.max_level = self.tables.track.start_level, self.tables.track.max_level
        self._scale, self._thresholds = self._rule.scale, self.tables.thresholds
        self.bar = Bar(tuple(self._rule.costs), self._scale, self.start_level, self.tables.track.overflow.at_cap)
        self._listeners = Listeners()
        self.account = self._opened(level, xp)

    def _opened(self, level: int | None, xp: float | None) -> Account:
        level = self.start_level if level is None else level
        if not self.start_level <= level <= self.max_level:
            found = f"level {level} is outside the track {self.track!r}: {self.start_level} … {self.max_level}"
            raise AwardError(found)
        if xp is None:
            xp = self.tables.track.start_xp if level == self.start_level else 0
        units, index = as_units(xp, self._scale, "the starting XP"), level - self.start_level
        if level < self.max_level and units >= threshold(self._rule, index):
            raise AwardError(f"{xp:g} XP at level {level} would pay for it ({self.bar.cost(level):g} XP) at once")
        points = self.tables.track.start_points + plain_number(float(self.tables.granted[index]))
        return Account(index, index, units, points, sum(self._rule.costs[:index]) + units)

    # --- state -------------------------------------------------------------------------------------------------

    @property
    def level(self) -> int:
        """The level."""
        return self.start_level + self.account.level

    @property
    def peak_level(self) -> int:
        """The highest level ever held."""
        return self.start_level + self.account.peak

    @property
    def xp(self) -> float:
        """Progress inside the level, XP."""
        return from_units(self.account.xp, self._scale)

    @property
    def points(self) -> float:
        """Points to spend."""
        return self.account.points

    @property
    def earned(self) -> float:
        """All XP ever awarded."""
        return from_units(self.account.earned, self._scale)

    @property
    def lost(self) -> float:
        """All XP that losses have taken."""
        return from_units(self.account.lost, self._scale)

    @property
    def wasted(self) -> float:
        """All XP lost to overflow and the cap."""
        return from_units(self.account.wasted, self._scale)

    @property
    def baseline(self) -> float:
        """XP that the starting state stands for."""
        return from_units(self.account.baseline, self._scale)

    @property
    def costs_paid(self) -> float:
        """XP that the levels held have cost, from the start level."""
        return from_units(sum(self._rule.costs[: self.account.level]), self._scale)

    @property
    def cost(self) -> float:
        """XP from this level to the next; not a number at the cap."""
        return self.bar.cost(self.level)

    @property
    def progress(self) -> float:
        """The bar: XP over cost, 0 … 1. At a cap that discards, the bar is full."""
        return self.bar.progress(self.level, self.account.xp)

    @property
    def label(self) -> str:
        """The bar's text, such as ``Level 7 · 218 / 640``."""
        return self.bar.label(self.level, self.account.xp)

    @property
    def shut_gates(self) -> list[int]:
        """The levels of the gates that are shut."""
        return [self.start_level + gate for gate in self.tables.gates if gate not in self.account.open]

    # --- awards and losses -------------------------------------------------------------------------------------

    def award(self, amount: float) -> AwardOutcome:
        """Book an award, already multiplied and rounded.

        Args:
            amount: XP, finite and ≥ 0.

        Returns:
            What it did.

        Raises:
            AwardError: the amount is no finite number ≥ 0; nothing has changed.
        """
        plain = type(amount) is int and 0 <= amount <= MOST_XP
        units = int(amount) * self._scale if plain else as_units(amount, self._scale, "an award")
        account = self.account
        before, kept, wasted = account.level, 0, 0
        account.earned += units
        if account.xp + units < self._thresholds[before]:
            account.xp += units
        else:
            account.level, account.xp, wasted = self.tables.book(before, account.xp, units, account.open)
            account.wasted += wasted
            kept = account.xp if account.level > before else 0
            self._grant_new_levels()
        levels = (self.start_level + before, self.start_level + account.level)
        outcome = AwardOutcome(self.bar, amount, levels, (kept, wasted, account.xp, account.earned), account.points)
        if self._listeners.any and (wasted or account.level > before):
            self._listeners.tell(self, self._award_events(levels[0], outcome.wasted))
        return outcome

    def open_gate(self, level: int) -> AwardOutcome:
        """Open the gate at a level for good; whoever stands there with the level's cost goes on.

        Returns:
            What that did: an award of 0.

        Raises:
            AwardError: there is no gate at the level; nothing has changed.
        """
        if level - self.start_level not in self.tables.gates:
            there = ", ".join(str(self.start_level + gate) for gate in self.tables.gates) or "none"
            raise AwardError(f"no gate of {self.track!r} is at level {level!r}; there are: {there}")
        self.account.open |= {level - self.start_level}
        return self.award(0)

    def _grant_new_levels(self) -> None:
        """Grant the points of levels reached for the first time; a level won back grants none again."""
        account, granted = self.account, self.tables.granted
        if account.level > account.peak:
            account.points += plain_number(float(granted[account.level] - granted[account.peak]))
            account.peak = account.level

    def _award_events(self, before: int, wasted: float) -> list[LedgerEvent]:
        kinds = ("level_up", "refilled") if self.tables.refills else ("level_up",)
        events = [LedgerEvent(kind, level) for level in range(before + 1, self.level + 1) for kind in kinds]
        if before < self.level == self.max_level:
            events.append(LedgerEvent("reached_cap", self.level))
        if wasted:
            events.append(LedgerEvent("wasted", self.level, wasted))
        return events

    def lose(self, amount: float) -> LossOutcome:
        """Take XP away; what cannot be taken is forgiven. Points are not taken back.

        Raises:
            AwardError: the amount is no finite number ≥ 0; nothing has changed.
        """
        units, account = as_units(amount, self._scale, "a loss"), self.account
        before = self.level
        account.level, account.xp, taken = book_loss(self._rule, account.level, account.xp, units)
        account.lost += taken
        self._listeners.tell(
            self, [LedgerEvent("lost_level", level) for level in range(before - 1, self.level - 1, -1)]
        )
        return LossOutcome(amount, from_units(taken, self._scale), before - self.level, self.level, self.xp, self.label)

    # --- points ------------------------------------------------------------------------------------------------

    def grant_points(self, points: float) -> float:
        """Add points to spend and return how many there are now.

        Raises:
            AwardError: the points are no finite number ≥ 0; nothing has changed.
        """
        as_units(points, 10**FINEST, "a grant of points")
        self.account.points += points
        return self.account.points

    def spend(self, points: float) -> float:
        """Spend points and return how many are left.

        Raises:
            AwardError: the points are no finite number ≥ 0, or there are fewer; nothing has changed.
        """
        as_units(points, 10**FINEST, "a payment")
        if points > self.account.points:
            raise AwardError(f"a payment of {points:g} points, and there are {self.account.points:g}")
        self.account.points -= points
        return self.account.points

    # --- listeners ---------------------------------------------------------------------------------------------

    def subscribe(self, event: str, listener: Listener) -> None:
        """Call `listener(ledger, event)` whenever something of a kind happens, in the order of subscription.

        Args:
            event: "level_up" (once a level), "refilled" (with it, where level-ups fill a pool), "reached_cap", "wasted"
                or "lost_level" (once a level).
            listener: is called after the ledger is complete again. One that raises keeps neither the ledger nor
                the other listeners from finishing; its error comes out of `award` or `lose` afterwards.

        Raises:
            UnknownNameError: there is no such event.
        """
        self._listeners.add(event, listener)

    def unsubscribe(self, event: str, listener: Listener) -> None:
        """Stop calling a listener; the earliest of several subscriptions goes.

        Raises:
            AwardError: it is not subscribed.
        """
        self._listeners.remove(event, listener)

    # --- saving ------------------------------------------------------------------------------------------------

    def to_dict(self) -> dict[str, Any]:
        """Return the state as plain data, with a fingerprint of the rules it was made under."""
        return saved(self.account, self.tables)

    @classmethod
    def from_dict(cls, design: Design, data: Mapping[str, Any]) -> Ledger:
        """Return a ledger that continues from `to_dict`.

        Raises:
            SavedLedgerError: the state was saved under other rules or costs, or is damaged.
        """
        if not isinstance(data, Mapping) or data.get("track") not in list(design.tracks):
            raise SavedLedgerError("a damaged saved ledger, or one of a track that the design does not have")
        ledger = cls(design, data["track"])
        ledger.account = restored(data, ledger.tables)
        return ledger

    @property
    def fingerprint(self) -> str:
        """A short hash of the costs and rules, to tell saves of another design."""
        return fingerprint(self.tables)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Ledger) and self.to_dict() == other.to_dict()

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"<Ledger {self.track}: {self.label}, {self.points:g} points>"

    def _repr_html_(self) -> str:
        return f"<b>{self.track}</b> {self.label} <progress value='{self.progress:.4f}'></progress>"
