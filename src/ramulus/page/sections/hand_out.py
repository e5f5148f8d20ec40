"""The section in which XP is handed out by hand, with the very code that a game would load."""

from __future__ import annotations

from ramulus.errors import RamulusError
from ramulus.formula import parse
from ramulus.game import exported
from ramulus.game.products import COUNTED
from ramulus.page.context import Context
from ramulus.page.parts import Panel, Section

MOST_SOURCES = 9  # Each has a key.
MOST_LEVELS = 1_000


def hand_out(context: Context) -> Section | None:
    """A bar, and buttons that give XP; nothing where the design cannot be exported as code."""
    design = context.design
    if design.track().max_level - design.track().start_level > MOST_LEVELS:
        return None
    try:
        script = exported(design, ["javascript"], vectors=False).files["leveling.mjs"]
    except RamulusError:
        return None
    # A source whose award only a game could tell (traits, what was done) has no button.
    texts = [text for rule in design.multipliers for text in (rule.factor, rule.against) if isinstance(text, str)]
    traits = {trait for player in design.players.values() for trait in player.traits}
    asks = (traits | set(COUNTED)) & {name for text in texts for name in parse(text).names}
    sources = () if asks else tuple(design.sources)[:MOST_SOURCES]
    return Section("hand-out", "Hand out XP", (Panel(script, sources, design.main_track_name),))
