"""`ramulus effort` and `ramulus gain`: what an encounter takes, and what it awards."""

from __future__ import annotations

from typing import TYPE_CHECKING

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.words.heads import EFFORT, gain_heads

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.tables.by_source import Table


def register(app: typer.Typer) -> None:
    """Add the commands."""
    app.command()(closed(effort))
    app.command()(closed(gain))


def effort(
    file: options.File,
    from_level: options.FromLevel = None,
    to_level: options.ToLevel = None,
    source: options.Source = None,
    skill_level: options.SkillLevel = None,
    player: options.PlayerOption = None,
    ability: options.Ability = 0.5,
    *,
    closing: Closing,
) -> None:
    """Seconds, chance of success and XP per hour by level and source, and what the design counts.

    XP per hour counts failures and the seconds between encounters. Timed multipliers are off.
    """
    design = closing.load(file)
    from ramulus.rules.ability import in_words
    from ramulus.tables.effort import effort_columns, left_out

    who = _profile(design, player)
    table = _some(effort_columns(design, who, ability, skill_level), design, from_level, to_level, source)
    title = f"{design.title}: one encounter of {who}{in_words(design.profile(who), ability)}"
    foot = [*left_out(design), "--player shows another profile."] if len(design.profiles) > 1 else left_out(design)
    closing.printing("effort").table(table, EFFORT, title, "\n".join(foot))


def gain(
    file: options.File,
    from_level: options.FromLevel = None,
    to_level: options.ToLevel = None,
    source: options.Source = None,
    during: options.During = None,
    skill_level: options.SkillLevel = None,
    player: options.PlayerOption = None,
    ability: options.Ability = 0.5,
    *,
    closing: Closing,
) -> None:
    """What each source awards at each level, with the multipliers behind it."""
    design = closing.load(file)
    from ramulus.rules.ability import in_words
    from ramulus.tables.effort import how_near
    from ramulus.tables.gain import gain_columns, how_rules_stack

    who = _profile(design, player)
    table = gain_columns(design, who, during or (), ability, skill_level)
    timed = [rule.name for rule in design.multipliers if rule.timed and rule.name not in (during or [])]
    foot = [f"Timed and off here: {', '.join(timed)} (--during NAME counts one as on)."] if timed else []
    counted = [rule.name for rule in design.multipliers if rule.counts and not rule.timed]
    foot += [f"Off here, as it looks at what was done: {', '.join(counted)} (award --source shows it)."] * bool(counted)
    foot += [words] if (words := how_rules_stack(design)) else []
    foot += how_near(design)
    title = f"{design.title}: awards on success to {who}{in_words(design.profile(who), ability)}"
    shown = _some(table, design, from_level, to_level, source)
    closing.printing("gain").table(shown, gain_heads(design), title, "\n".join(foot))


def _profile(design: Design, player: str | None) -> str:
    """Return the profile asked for, or the first one."""
    return options.one_player(design, player) or next(iter(design.profiles))


def _some(table: Table, design: Design, low: int | None, high: int | None, source: str | None) -> Table:
    """Return the rows of some levels, and of a source."""
    levels = table["level"]
    shown = (levels >= (levels if low is None else low)) & (levels <= (levels if high is None else high))
    if source is not None:
        design.source(source)
        shown &= table["source"] == source
    return {name: values[shown] for name, values in table.items()}
