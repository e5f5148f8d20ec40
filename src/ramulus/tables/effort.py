"""Effort: seconds, success and XP per hour by level and source."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.rules.ability import class_at
from ramulus.rules.tabulation import tabulated
from ramulus.tables.by_source import Table, by_level_and_source, one_below_the_other

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


def effort_table(
    design: Design,
    player: str | None = None,
    *,
    ability: float = 0.5,
    skill_level: int | None = None,
    only_open: bool = True,
) -> pd.DataFrame:
    """Return what one encounter with each source takes and pays at each level.

    Args:
        design: the design; it needs sources and the time of an encounter.
        player: the profile (default: every one).
        ability: where its players stand among their like, 0 … 1, where traits vary: the class of 15 that holds it.
        skill_level: the skill level for sources that depend on a skill (default: the skill's start level; a
            level past its cap counts as the cap).
        only_open: leave out sources at levels where they are closed; else their numbers are not a number there.

    Returns:
        A row a profile, level and source: `chance` of being the next encounter while all have uses left, what the
        profile goes after (`pursuit`) counted;
        `seconds` an attempt takes; `success`, its chance; `award`, the mean XP on success; `xp_per_hour`, mean XP
        over mean time with failures and the seconds between encounters (not a number where no time passes); then the
        columns that the design shows. Timed multipliers are off, and no use is ever up (`left_out` says so in words).

    Raises:
        MissingPartError: sources or times are missing.
        DesignError: a formula fails, or gives what its place does not allow.
        RamulusError: the ability is outside 0 … 1.

    Examples:
        >>> import ramulus as rm
        >>> table = rm.effort_table(rm.demo_design(), "steady")
        >>> table.columns[:6].tolist()
        ['player', 'level', 'source', 'chance', 'seconds', 'success']
    """
    import pandas as pd

    return pd.DataFrame(effort_columns(design, player, ability, skill_level, only_open=only_open))


def effort_columns(
    design: Design, player: str | None, ability: float, skill_level: int | None, *, only_open: bool = True
) -> Table:
    """Return the columns of `effort_table` by name, for whoever only shows them."""
    tabulation = tabulated(design)
    at = tabulation.columns.at_skill(skill_level)
    tables = []
    for name in [player] if player is not None else design.profiles:
        profile = tabulation.profile(name, class_at(ability))
        pay = profile.mean_pay(tabulation.always_on)
        shown = {column: values[:, at] for column, values in profile.encounters.shown.items()}
        parts = {
            "chance": profile.chance(at),
            "seconds": profile.encounters.seconds[:, at],
            "success": profile.encounters.success[:, at],
            "award": pay.award[:, at],
            "xp_per_hour": pay.xp_per_hour[:, at],
            **shown,
        }
        tables.append(by_level_and_source(profile.name, tabulation.columns, at, parts, only_open=only_open))
    return one_below_the_other(tables)


def left_out(design: Design) -> list[str]:
    """Return, a sentence each, what tables without chance leave out of a design."""
    timed = [rule.name for rule in design.multipliers if rule.timed]
    limited = [f"{name} ({source.limits_in_words})" for name, source in design.sources.items() if any(source.limits)]
    found = []
    if timed:
        found.append(f"Timed multipliers are off: {', '.join(timed)}.")
    if limited:
        found.append(f"Uses that run out are not counted: {', '.join(limited)}; simulate shows what is met.")
    counted = [f"{rule.name} ({rule.counts})" for rule in design.multipliers if rule.counts]
    if counted:
        found.append(f"Rules that look at what was done are off: {', '.join(counted)}.")
    beside = [words for words, there in (
        ("rests", design.encounters.rest), ("gates", design.gates), ("time away", design.away_bonus)
    ) if there]  # fmt: skip
    if beside:
        found.append(f"Left out here: {', '.join(beside)}; simulate plays them.")
    return found + how_near(design)


def how_near(design: Design) -> list[str]:
    """Return, in a sentence where there is anything to say, which mean awards are not exact and how near they are."""
    tabulation = tabulated(design)
    pays = [tabulation.profile(name).mean_pay(tabulation.always_on) for name in design.profiles]
    nearly = [name for index, name in enumerate(design.sources) if any(index in pay.awards.nearly for pay in pays)]
    if not nearly:
        return []
    return [f"Mean awards are within half an XP where XP has very many values: {', '.join(nearly)}."]
