"""A ledger as plain data, and back, with a fingerprint of the rules it was made under."""

from __future__ import annotations

import hashlib
import json
import operator
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from ramulus.errors import AwardError, SavedLedgerError, UnknownNameError, shortly
from ramulus.rules.overflow import can_hold
from ramulus.rules.xp_units import FINEST, MOST_BOOKED, as_units

if TYPE_CHECKING:
    from ramulus.rules.ledger import Account, Ledger
    from ramulus.rules.track_tables import TrackTables

FORMAT = 1
_IN_UNITS = ("xp", "earned", "lost", "wasted", "baseline")


def fingerprint(tables: TrackTables) -> str:
    """Return a short hash of a track's costs and rules, to tell saves of another design."""
    rules = tables.track.model_dump(mode="json", exclude={"cost"})
    points = [int(p) if p.is_integer() else p for p in tables.granted.tolist()]
    text = json.dumps([rules, tables.scale, list(tables.overflow.costs), points], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def saved(ledger: Ledger) -> dict[str, Any]:
    """Return a ledger's state as plain data."""
    return {
        "format": FORMAT, "track": ledger.track, "rules": ledger.fingerprint, "level": ledger.level,
        "peak_level": ledger.peak_level, "xp": ledger.xp, "points": ledger.points, "earned": ledger.earned,
        "lost": ledger.lost, "wasted": ledger.wasted, "baseline": ledger.baseline,
    }  # fmt: skip


def restore(ledger: Ledger, data: Mapping[str, Any]) -> None:
    """Put saved state into a new ledger of the same track.

    Raises:
        SavedLedgerError: the state was saved under other rules or costs, or is damaged.
    """
    try:
        if data["format"] != FORMAT:
            raise SavedLedgerError(f"saved in format {shortly(data['format'])}; this is format {FORMAT}")
        if data["rules"] != ledger.fingerprint:
            raise SavedLedgerError(
                f"saved under another design: the costs or rules of track {ledger.track!r} differ "
                f"(rules {shortly(data['rules'])}, now {ledger.fingerprint})"
            )
        _read(ledger.account, data, ledger.tables)
    except (KeyError, TypeError, AttributeError, UnknownNameError, AwardError) as error:
        raise SavedLedgerError(f"a damaged saved ledger ({type(error).__name__}: {error})") from None


def _read(account: Account, data: Mapping[str, Any], tables: TrackTables) -> None:
    start, rule = tables.track.start_level, tables.overflow
    account.level, account.peak = operator.index(data["level"]) - start, operator.index(data["peak_level"]) - start
    for name in _IN_UNITS:
        setattr(account, name, as_units(data[name], tables.scale, name, MOST_BOOKED))
    as_units(data["points"], 10**FINEST, "points", MOST_BOOKED)
    account.points = data["points"]
    in_range = 0 <= account.level <= account.peak <= rule.cap
    if not in_range or not account.balanced(rule.costs) or not can_hold(rule, account.level, account.xp):
        raise SavedLedgerError("a damaged saved ledger: level, XP, earned, lost and wasted do not add up")
