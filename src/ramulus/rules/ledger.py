"""The ledger: what one award does, and all that it has done. The reference for the overflow rule."""

from __future__ import annotations

import hashlib
import json
import math
import operator
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.errors import AwardError, SavedLedgerError, UnknownNameError
from ramulus.rules.bar import Bar
from ramulus.rules.costs import cost_curve
from ramulus.rules.outcomes import AwardOutcome, LedgerEvent, LossOutcome
from ramulus.rules.stats import points_granted
from ramulus.rules.xp_units import cost_units, from_units, plain_number, units_per_xp

if TYPE_CHECKING:
    from ramulus.design import Design

EVENTS = ("level_up", "reached_cap", "wasted", "lost_level")
SAVE_FORMAT = 1
Listener = Callable[["Ledger", LedgerEvent], object]


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
        curve = cost_curve(design, track)
        self._set_rules(design, curve.track)
        self._scale = units_per_xp(curve)
        self._costs: list[int] = cost_units(curve, self._scale).tolist()
        # XP is counted in whole units, so "exceeded" is one unit more than "reached".
        self._thresholds = [cost + self._exceeded for cost in self._costs]
        self.bar = Bar(tuple(self._costs), self._scale, self.start_level, self._at_cap)
        self._totals: list[int] = np.concatenate([[0], np.cumsum(self._costs, dtype=np.int64)]).tolist()
        self._granted = [plain_number(points) for points in points_granted(design, curve.track).tolist()]
        self._listeners: list[tuple[str, Listener]] = []
        self._start(level, xp)

    def _set_rules(self, design: Design, name: str) -> None:
        track = design.track(name)
        overflow = track.overflow
        self.track = name
        self.start_level, self.max_level = track.start_level, track.max_level
        self._start_xp, self._start_points = track.start_xp, track.start_points
        self._may_drop = track.may_drop_levels
        self._carry, self._carry_limit = overflow.carry, overflow.carry_limit
        self._exceeded = overflow.threshold == "exceeded"
        self._most_ups = 1 if overflow.level_ups_per_award == "one" else self.max_level
        self._whole, self._at_cap = overflow.whole_xp, overflow.at_cap
        self._plain_carry = overflow.carry == 1 and overflow.carry_limit is None
        self._rules = track.model_dump(mode="json", exclude={"cost"})

    def _start(self, level: int | None, xp: float | None) -> None:
        level = self.start_level if level is None else level
        if not self.start_level <= level <= self.max_level:
            raise AwardError(
                f"level {level} is outside the track {self.track!r}: {self.start_level} … {self.max_level}"
            )
        if xp is None:
            xp = self._start_xp if level == self.start_level else 0
        units = self._units(xp, "the starting XP")
        if level < self.max_level and units >= self._thresholds[level - self.start_level]:
            cost = from_units(self._costs[level - self.start_level], self._scale)
            raise AwardError(f"{xp:g} XP at level {level} would pay for it ({cost:g} XP) at once")
        self._level = self._peak = level
        self._xp = units
        self._earned = self._lost = self._wasted = 0
        self._baseline = self._totals[level - self.start_level] + units
        self._points = self._start_points + self._granted[level - self.start_level]

    # --- state -------------------------------------------------------------------------------------------------

    @property
    def level(self) -> int:
        """The level."""
        return self._level

    @property
    def xp(self) -> float:
        """Progress inside the level, XP."""
        return from_units(self._xp, self._scale)

    @property
    def points(self) -> float:
        """Points to spend."""
        return self._points

    @property
    def earned(self) -> float:
        """All XP ever awarded."""
        return from_units(self._earned, self._scale)

    @property
    def lost(self) -> float:
        """All XP that losses have taken."""
        return from_units(self._lost, self._scale)

    @property
    def wasted(self) -> float:
        """All XP lost to overflow and the cap."""
        return from_units(self._wasted, self._scale)

    @property
    def baseline(self) -> float:
        """XP that the starting state stands for."""
        return from_units(self._baseline, self._scale)

    @property
    def costs_paid(self) -> float:
        """XP that the levels held have cost, from the start level."""
        return from_units(self._totals[self._level - self.start_level], self._scale)

    @property
    def cost(self) -> float:
        """XP from this level to the next; not a number at the cap."""
        return self.bar.cost(self._level)

    @property
    def progress(self) -> float:
        """The bar: XP over cost, 0 … 1. At a cap that discards, the bar is full."""
        return self.bar.progress(self._level, self._xp)

    @property
    def label(self) -> str:
        """The bar's text, such as ``Level 7 · 218 / 640``."""
        return self.bar.label(self._level, self._xp)

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
        units = amount * self._scale if type(amount) is int and amount >= 0 else self._units(amount, "an award")
        before, wasted_before = self._level, self._wasted
        self._earned += units
        self._xp += units
        if before == self.max_level or self._xp >= self._thresholds[before - self.start_level]:
            self._climb()
        kept = self._xp if self._level > before else 0
        wasted = self._wasted - wasted_before
        outcome = AwardOutcome(
            self.bar, amount, (before, self._level), (kept, wasted, self._xp, self._earned), self._points
        )
        if self._listeners and (wasted or self._level > before):
            self._tell(self._award_events(before, outcome.wasted))
        return outcome

    def _climb(self) -> None:
        """Raise levels while the XP reaches their cost, then do what the cap does."""
        ups = 0
        while self._level < self.max_level and ups < self._most_ups:
            index = self._level - self.start_level
            if self._xp < self._thresholds[index]:
                break
            excess = self._xp - self._costs[index]
            kept = self._kept(excess)
            self._wasted += excess - kept
            self._xp = kept
            self._level += 1
            ups += 1
        if self._level == self.max_level:
            self._settle_at_cap()
        self._grant_new_levels()

    def _kept(self, excess: int) -> int:
        """Return the part of an overflow that is kept, in units."""
        if self._plain_carry:
            return excess - excess % self._scale if self._whole else excess
        kept = float(excess) / self._scale * self._carry
        if self._carry_limit is not None and self._level + 1 < self.max_level:
            next_cost = float(self._costs[self._level + 1 - self.start_level]) / self._scale
            kept = min(kept, self._carry_limit * next_cost)
        return min(math.floor(kept) * self._scale if self._whole else round(kept * self._scale), excess)

    def _settle_at_cap(self) -> None:
        if self._at_cap == "discard":
            self._wasted += self._xp
            self._xp = 0
        elif self._at_cap == "fill" and self._xp > self._costs[-1]:
            self._wasted += self._xp - self._costs[-1]
            self._xp = self._costs[-1]

    def _grant_new_levels(self) -> None:
        """Grant the points of levels reached for the first time; a level won back grants none again."""
        if self._level > self._peak:
            start = self.start_level
            self._points += self._granted[self._level - start] - self._granted[self._peak - start]
            self._peak = self._level

    def lose(self, amount: float) -> LossOutcome:
        """Take XP away; what cannot be taken is forgiven. Points are not taken back.

        Raises:
            AwardError: the amount is no finite number ≥ 0; nothing has changed.
        """
        units = self._units(amount, "a loss")
        before = self._level
        left = units - min(units, self._xp)
        self._xp -= units - left
        while left and self._may_drop and self._level > self.start_level:
            self._level -= 1
            cost = self._costs[self._level - self.start_level]
            taken = min(left, cost)
            self._xp = cost - taken
            left -= taken
        self._lost += units - left
        levels = range(before - 1, self._level - 1, -1)
        self._tell([LedgerEvent("lost_level", level) for level in levels])
        taken_xp = from_units(units - left, self._scale)
        return LossOutcome(amount, taken_xp, before - self._level, self._level, self.xp, self.label)

    # --- points ------------------------------------------------------------------------------------------------

    def grant_points(self, points: float) -> float:
        """Add points to spend and return how many there are now.

        Raises:
            AwardError: the points are no finite number ≥ 0; nothing has changed.
        """
        self._units(points, "a grant of points")
        self._points += points
        return self._points

    def spend(self, points: float) -> float:
        """Spend points and return how many are left.

        Raises:
            AwardError: the points are no finite number ≥ 0, or there are fewer; nothing has changed.
        """
        self._units(points, "a payment")
        if points > self._points:
            raise AwardError(f"a payment of {points:g} points, and there are {self._points:g}")
        self._points -= points
        return self._points

    # --- listeners ---------------------------------------------------------------------------------------------

    def subscribe(self, event: str, listener: Listener) -> None:
        """Call `listener(ledger, event)` whenever something of a kind happens, in the order of subscription.

        Args:
            event: "level_up" (once a level), "reached_cap", "wasted" or "lost_level" (once a level).
            listener: is called after the ledger is complete again. One that raises keeps neither the ledger nor
                the other listeners from finishing; its error comes out of `award` or `lose` afterwards.

        Raises:
            UnknownNameError: there is no such event.
        """
        if event not in EVENTS:
            raise UnknownNameError("event", event, EVENTS)
        self._listeners.append((event, listener))

    def unsubscribe(self, event: str, listener: Listener) -> None:
        """Stop calling a listener; the earliest of several subscriptions goes.

        Raises:
            AwardError: it is not subscribed.
        """
        try:
            self._listeners.remove((event, listener))
        except ValueError:
            raise AwardError(f"{listener!r} does not listen for {event!r}") from None

    def _award_events(self, before: int, wasted: float) -> list[LedgerEvent]:
        events = [LedgerEvent("level_up", level) for level in range(before + 1, self._level + 1)]
        if before < self._level == self.max_level:
            events.append(LedgerEvent("reached_cap", self._level))
        if wasted:
            events.append(LedgerEvent("wasted", self._level, wasted))
        return events

    def _tell(self, events: list[LedgerEvent]) -> None:
        errors = []
        for event in events:
            for kind, listener in list(self._listeners):
                if kind == event.kind:
                    try:
                        listener(self, event)
                    except Exception as error:
                        errors.append(error)
        if len(errors) == 1:
            raise errors[0]
        if errors:
            raise ExceptionGroup("several listeners failed; the ledger is complete", errors)

    # --- saving ------------------------------------------------------------------------------------------------

    def to_dict(self) -> dict[str, Any]:
        """Return the state as plain data, with a fingerprint of the rules it was made under."""
        return {
            "format": SAVE_FORMAT, "track": self.track, "rules": self.fingerprint, "level": self._level,
            "peak_level": self._peak, "xp": self.xp, "points": self._points, "earned": self.earned,
            "lost": self.lost, "wasted": self.wasted, "baseline": self.baseline,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, design: Design, data: Mapping[str, Any]) -> Ledger:
        """Return a ledger that continues from `to_dict`.

        Raises:
            SavedLedgerError: the state was saved under other rules or costs, or is damaged.
        """
        try:
            ledger = cls(design, str(data["track"]))
            if data["format"] != SAVE_FORMAT:
                raise SavedLedgerError(f"saved in format {data['format']!r}; this is format {SAVE_FORMAT}")
            if data["rules"] != ledger.fingerprint:
                raise SavedLedgerError(
                    f"saved under another design: the costs or rules of track {ledger.track!r} differ "
                    f"(rules {data['rules']}, now {ledger.fingerprint})"
                )
            ledger._restore(data)
        except (KeyError, TypeError, AttributeError, UnknownNameError, AwardError) as error:
            raise SavedLedgerError(f"a damaged saved ledger ({type(error).__name__}: {error})") from None
        return ledger

    def _restore(self, data: Mapping[str, Any]) -> None:
        self._level, self._peak = operator.index(data["level"]), operator.index(data["peak_level"])
        self._xp = self._units(data["xp"], "xp")
        self._earned, self._lost = self._units(data["earned"], "earned"), self._units(data["lost"], "lost")
        self._wasted = self._units(data["wasted"], "wasted")
        self._baseline = self._units(data["baseline"], "baseline")
        self._units(data["points"], "points")
        self._points = data["points"]
        in_range = self.start_level <= self._level <= self._peak <= self.max_level
        if not in_range or not self._balanced():
            raise SavedLedgerError("a damaged saved ledger: level, XP, earned, lost and wasted do not add up")

    def _balanced(self) -> bool:
        paid = self._totals[self._level - self.start_level]
        return self._baseline + self._earned - self._lost == paid + self._xp + self._wasted

    @property
    def fingerprint(self) -> str:
        """A short hash of the costs and rules, to tell saves of another design."""
        text = json.dumps([self._rules, self._scale, self._costs, self._granted], sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()[:16]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Ledger) and self.to_dict() == other.to_dict()

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"<Ledger {self.track}: {self.label}, {self._points:g} points>"

    def _repr_html_(self) -> str:
        return f"<b>{self.track}</b> {self.label} <progress value='{self.progress:.4f}'></progress>"

    def _units(self, amount: Any, what: str) -> int:
        """Return an amount in units, or raise an AwardError before anything has changed."""
        if type(amount) is int and amount >= 0:
            return amount * self._scale
        try:
            number = float(amount) if not isinstance(amount, bool | str | bytes) else math.nan
        except (TypeError, ValueError, OverflowError):
            number = math.nan
        if not (math.isfinite(number) and number >= 0):
            raise AwardError(f"{what} of {amount!r}; allowed: a finite number of 0 or more")
        return int(number) * self._scale if number.is_integer() else round(number * self._scale)
