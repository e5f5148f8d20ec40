"""The section in which XP is handed out by hand, with the very code that a game would load."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING

from ramulus.errors import RamulusError
from ramulus.game import exported
from ramulus.game.packing import pack_of
from ramulus.page.context import Context
from ramulus.page.parts import Panel, Section, Words
from ramulus.tables.gain import gain_table

if TYPE_CHECKING:
    from ramulus.design import Design

MOST_SOURCES = 9  # Each has a key.
MOST_LEVELS = 1_000
WITHOUT_STORE = "Nobody was away here: what the store of time away adds to awards is left out."


def hand_out(context: Context) -> Section | None:
    """A bar, and buttons that give XP; nothing where the design cannot be exported as code."""
    panel = panel_of(context.design)
    if panel is None:
        return None
    aside = () if context.design.away_bonus is None else (Words((WITHOUT_STORE,)),)
    return Section("hand-out", "Hand out XP", (panel, *aside))


def panel_of(design: Design) -> Panel | None:
    """Return what XP is handed out with, or None where the design cannot be exported as code; made once a design."""
    return design.derived(_panel_of)


def _panel_of(design: Design) -> Panel | None:
    if design.track().max_level - design.track().start_level > MOST_LEVELS:
        return None
    try:
        script = exported(design, ["javascript"], vectors=False).files["leveling.mjs"]
    except RamulusError:
        return None
    # A source whose award only a game could tell (traits, stats with ranks, what was done) has no button.
    pack = pack_of(design)
    asks = pack.traits or pack.told_stats or any(rule.counts for rule in design.multipliers)
    sources = () if asks else tuple(design.sources)[:MOST_SOURCES]
    return Panel(script, sources, design.main_track_name, _chains(design, sources))


def _chains(design: Design, sources: tuple[str, ...]) -> dict[str, dict[int, list[tuple[str, float]]]]:
    """Return by source and level the multipliers that change its award, in order, none of them timed."""
    if not sources or not design.multipliers:
        return {}
    table = gain_table(design)
    names = [rule.name for rule in design.multipliers if rule.name in table.columns]
    found: dict[str, dict[int, list[tuple[str, float]]]] = {source: {} for source in sources}
    factors = table[names].to_numpy(float)
    for source, level, row in zip(table["source"], table["level"], factors, strict=True):
        if source in found:
            chain = [(name, float(f"{factor:.6g}")) for name, factor in zip(names, row, strict=True)]
            found[source][int(level)] = [(name, factor) for name, factor in chain if isfinite(factor) and factor != 1]
    return found
