"""Tables that two designs have in common are made once: most numbers that a designer tries reach the costs alone."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.names import formula_places
from ramulus.formula.parser import parse
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

_OF_COSTS = re.compile(r"tracks\.[^.]+\.cost\b")


def share_tables(known: Design, other: Design) -> None:
    """Let a design use the encounter tables of another one, where nothing that reaches them differs.

    Raises:
        DesignError: the costs of one of them are at fault.
    """
    if _behind_encounters(known) == _behind_encounters(other) and _same_units(known, other):
        tabulated(other).take_over(tabulated(known))


def _behind_encounters(design: Design) -> dict[str, Any]:
    """Return what a design says apart from costs, constants that only costs read, and what only play reads."""
    data = {key: value for key, value in design.to_dict().items() if key not in ("title", "goals")}
    if "encounter" in data:
        data["encounter"] = {key: value for key, value in data["encounter"].items() if key != "variation"}
    data["tracks"] = {
        name: {key: value for key, value in track.items() if key != "cost"} for name, track in data["tracks"].items()
    }
    elsewhere = [formula.text for formula in formula_places(design) if not _OF_COSTS.match(formula.place)]
    read = {name for text in elsewhere for name in parse(text).names}
    data["constants"] = {name: value for name, value in data.get("constants", {}).items() if name in read}
    return data


def _same_units(known: Design, other: Design) -> bool:
    """Return whether XP is counted alike, and failures that take a share of a level's cost take the same."""
    pairs = [[tabulated(design).tracks[name] for design in (known, other)] for name in known.track_order]
    if any(one.scale != two.scale for one, two in pairs):
        return False
    return not known.encounters.failure.loss or all(np.array_equal(a.curve.costs, b.curve.costs) for a, b in pairs)
