"""What a ledger keeps; the same as plain data and back, with a fingerprint of the rules it was made under."""

from __future__ import annotations

import hashlib
import json
import operator
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ramulus.errors import AwardError, SavedLedgerError, UnknownNameError, shortly
from ramulus.rules.overflow import can_hold
from ramulus.rules.xp_units import FINEST, MOST_BOOKED, as_units, from_units

if TYPE_CHECKING:
    from ramulus.rules.track_tables import TrackTables

FORMAT = 1
_IN_UNITS = ("xp", "earned", "lost", "wasted", "baseline")


@dataclass(slots=True)
class Account:
    """What a ledger keeps, in units; levels count from 0, the start level."""

    level: int
    peak: int
    xp: int
    points: float
    baseline: int
    earned: int = 0
    lost: int = 0
    wasted: int = 0
    open: frozenset[int] = frozenset()

    def balanced(self, costs: Sequence[int]) -> bool:
        """Whether everything earned is accounted for."""
        return self.baseline + self.earned - self.lost == sum(costs[: self.level]) + self.xp + self.wasted


def fingerprint(tables: TrackTables) -> str:
    """Return a short hash of a track's costs and rules, to tell saves of another design."""
    rules = tables.track.model_dump(mode="json", exclude={"cost"})
    points = [int(p) if p.is_integer() else p for p in tables.granted.tolist()]
    gates = [list(tables.gates.items())] if tables.gates else []
    text = json.dumps([rules, tables.scale, list(tables.overflow.costs), points, *gates], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def saved(account: Account, tables: TrackTables) -> dict[str, Any]:
    """Return a ledger's state as plain data, in XP."""
    start, scale = tables.track.start_level, tables.overflow.scale
    xp = {name: from_units(getattr(account, name), scale) for name in _IN_UNITS}
    return {
        "format": FORMAT, "track": tables.name, "rules": fingerprint(tables), "level": start + account.level,
        "peak_level": start + account.peak, "xp": xp["xp"], "points": account.points, "earned": xp["earned"],
        "lost": xp["lost"], "wasted": xp["wasted"], "baseline": xp["baseline"],
        **({"open_gates": sorted(start + gate for gate in account.open)} if tables.gates else {}),
    }  # fmt: skip


def restored(data: Mapping[str, Any], tables: TrackTables) -> Account:
    """Return the state of a ledger of a track from plain data.

    Raises:
        SavedLedgerError: the state was saved under other rules or costs, or is damaged.
    """
    try:
        if data["format"] != FORMAT:
            raise SavedLedgerError(f"saved in format {shortly(data['format'])}; this is format {FORMAT}")
        if data["rules"] != (now := fingerprint(tables)):
            raise SavedLedgerError(
                f"saved under another design: the costs or rules of track {tables.name!r} differ "
                f"(rules {shortly(data['rules'])}, now {now})"
            )
        return _read(data, tables)
    except (KeyError, TypeError, AttributeError, UnknownNameError, AwardError) as error:
        raise SavedLedgerError(f"a damaged saved ledger ({type(error).__name__}: {error})") from None


def _read(data: Mapping[str, Any], tables: TrackTables) -> Account:
    start, rule = tables.track.start_level, tables.overflow
    level, peak = operator.index(data["level"]) - start, operator.index(data["peak_level"]) - start
    units = {name: as_units(data[name], rule.scale, name, MOST_BOOKED) for name in _IN_UNITS}
    as_units(data["points"], 10**FINEST, "points", MOST_BOOKED)
    is_open = frozenset(operator.index(gate) - start for gate in data["open_gates"]) if tables.gates else frozenset()
    account = Account(level, peak, points=data["points"], open=is_open, **units)
    in_range = 0 <= level <= peak <= rule.cap and is_open <= tables.gates.keys()
    if not in_range or not account.balanced(rule.costs) or not _can_hold(tables, account):
        raise SavedLedgerError("a damaged saved ledger: level, XP, earned, lost and wasted do not add up")
    return account


def _can_hold(tables: TrackTables, account: Account) -> bool:
    rule = tables.overflow
    gate, fills = tables.next_gate(account.level, account.open)
    if account.level == gate < rule.cap:
        return not fills or account.xp <= rule.costs[gate]
    return can_hold(rule, account.level, account.xp)
