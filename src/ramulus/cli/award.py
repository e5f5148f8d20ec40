"""`ramulus award`: what each award does."""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import Printing
from ramulus.errors import AwardError, DataError
from ramulus.words.writers import Column, number, percent, xp

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design

LONGEST_HEAD = 12
HEADS = {
    "step": Column("award", number()),
    "label": Column("bar"),
    "amount": Column("XP", xp),
    "levels_gained": Column("levels\ngained", number()),
    "wasted": Column("wasted\nXP", xp),
    "kept": Column("kept past\nthreshold", xp),
    "progress": Column("bar\nfull", percent(0)),
    "points": Column("points", xp),
    "earned": Column("earned\nXP", xp),
    "source": Column("source"),
    "level_before": Column("level\nbefore", number()),
    "level": Column("level", number()),
    "xp": Column("XP in\nlevel", xp),
    "cost": Column("cost\nXP", xp),
}

MOST_BYTES = 50_000_000  # A million awards, and what is said of them.


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(award))


def award(
    file: options.File,
    amounts: Annotated[list[str] | None, typer.Argument(help="Awards in XP, such as 40 40 90.")] = None,
    source: Annotated[str | None, typer.Option("--source", help="Award what a source gives instead.")] = None,
    amounts_file: Annotated[
        str | None,
        typer.Option("--awards", metavar="FILE", help="Read awards from a file, one a line; - for standard input."),
    ] = None,
    lose: Annotated[
        list[float] | None,
        typer.Option("--lose", min=0, help="XP lost after the awards (repeatable); or -- 40 -5 90 in between."),
    ] = None,
    times: Annotated[int, typer.Option("--times", min=1, max=1_000_000, help="Repeat the awards.")] = 1,
    level: Annotated[int | None, typer.Option("--level", help="Start at this level.")] = None,
    start_xp: Annotated[float | None, typer.Option("--xp", help="Start with this much XP in the level.")] = None,
    also: Annotated[
        list[str] | None,
        typer.Option(
            "--also",
            metavar="RULE=VALUE,…",
            help="Show the same awards under other overflow rules, such as carry=0,at_cap=bank (repeatable).",
        ),
    ] = None,
    during: options.During = None,
    track: options.Track = None,
    player: options.PlayerOption = None,
    ability: options.Ability = 0.5,
    seed: options.Seed = 0,
    *,
    closing: Closing,
) -> None:
    """What each award does, one row each: level-ups, carry, waste, points and the bar's text."""
    design = closing.load(file)
    options.one_player(design, player)
    if amounts_file is not None:
        closing.spare(Path(amounts_file))
    printing = closing.printing("award")
    start: dict[str, Any] = {"level": level, "xp": start_xp}
    if source is not None:
        if amounts or amounts_file or also or lose:
            raise typer.BadParameter("--source goes without amounts, --awards, --lose and --also")
        start.update(during=during or [], ability=ability)
        if (track or design.main_track_name) != design.main_track_name:
            design.track(track)
            _practise(design, source, str(track), times, player, start, printing)
        else:
            _from_source(design, source, times, player, {**start, "seed": seed}, printing)
        return
    given = _amounts(amounts or [], amounts_file, lose or []) * times
    if also and min(given) < 0:
        raise typer.BadParameter("losses go without --also", param_hint="--also")
    if also:
        _side_by_side(design, given, also, track, start, printing)
    else:
        _one_run(design, given, track, start, printing)


def _amounts(words: list[str], file: str | None, lost: list[float]) -> list[float]:
    given = [
        -_amount(word[1:], f"loss {i}", AwardError) if word[:1] == "-" else _amount(word, f"award {i}", AwardError)
        for i, word in enumerate(words, 1)
    ]
    given += _read(file) if file is not None else []
    given += [-(int(loss) if loss.is_integer() else loss) for loss in lost]
    if not given:
        raise typer.BadParameter("no awards; give amounts, --awards FILE or --source NAME", param_hint="AMOUNTS")
    return given


def _read(file: str) -> list[float]:
    """Return the awards in a file, below a line that says what they are, where there is one."""
    from ramulus.design import read_whole

    name = "standard input" if file == "-" else file
    try:
        text = sys.stdin.read() if file == "-" else read_whole(Path(file), MOST_BYTES).decode("utf-8-sig")
    except DataError as error:
        raise DataError(f"{file}: {error}; --awards - reads standard input") from None
    except (OSError, ValueError) as error:
        raise DataError(f"{name}: cannot be read ({getattr(error, 'strerror', None) or 'not UTF-8 text'})") from None
    lines = [line.split("#")[0].replace(",", " ").replace(";", " ").split() for line in text.splitlines()]
    filled = [(number_of, words) for number_of, words in enumerate(lines, 1) if words]
    if filled and not any(_is_number(word) for word in filled[0][1]):
        filled = filled[1:]
    return [_amount(word, f"{name}: line {number_of}", DataError) for number_of, words in filled for word in words]


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def _amount(word: str, place: str, kind: type[Exception]) -> float:
    from ramulus.design.base import MOST_AMOUNT

    try:
        value: float = int(word) if word.lstrip("+").isdigit() else float(word)
    except ValueError:
        value = math.nan
    if not 0 <= value <= MOST_AMOUNT:
        shown = word if len(word) <= 40 else f"{word[:39]}…"
        message = f"{place}: {shown!r} is no award; allowed: a finite number of 0 or more, at most {MOST_AMOUNT:.0e}"
        raise typer.BadParameter(message, param_hint="AMOUNTS") if kind is AwardError else kind(message)
    return value


def _one_run(design: Design, given: list[float], track: str | None, start: dict[str, Any], printing: Printing) -> None:
    from ramulus.tables.compare_rules import totals_in_words
    from ramulus.tables.trace import trace_changes, trace_columns

    table: dict[str, Any]
    table = (
        dict(trace_changes(design, given, track, **start).items())
        if min(given) < 0
        else trace_columns(design, given, track, **start)
    )
    name = track or design.main_track_name
    heads = {key: head for key, head in HEADS.items() if key != "source" or printing.format is not options.Format.table}
    if printing.format is not options.Format.table or printing.output:  # As they have it who award by source.
        table = {"step": table.pop("step"), "source": [""] * len(given), **table}
    foot = "\n".join([totals_in_words(table), *_shut_in_words(design, track)])
    printing.table(table, heads, f"{design.title}: awards to {name}", foot)


def _shut_in_words(design: Design, track: str | None) -> list[str]:
    """Return a line that says which gates of a track hold awards here, as nothing opens them."""
    name = track or design.main_track_name
    mine = [gate for gate in design.gates if (gate.track or design.main_track_name) == name]
    shut = [f"level {gate.at_level} (opens with {gate.in_words})" for gate in mine]
    return [f"Gates are shut here: {', '.join(shut)}."] if shut else []


def _from_source(
    design: Design, source: str, times: int, player: str | None, start: dict[str, Any], printing: Printing
) -> None:
    from ramulus.tables.compare_rules import totals_in_words
    from ramulus.tables.trace import trace_source

    table, chains = trace_source(design, source, times, player=player, **start)
    who = player or next(iter(design.profiles))
    if len(table) < times:
        spent = len(table) == design.sources[source].limit
        why = f"has a limit of {len(table)}" if spent else f"closes at level {table['level'].iloc[-1]}"
        printing.say(f"{source} {why}: {len(table)} of {times} awards were made")
    what = design.sources[source]
    if what.limit_per_day or what.limit_per_week:
        printing.say(f"{source} can be had {what.limits_in_words}; awards here have no time, so days are not counted")
    foot = [
        totals_in_words(table),
        *_shut_in_words(design, None),
        *(["All count as made on one day."] if any(rule.counts for rule in design.multipliers) else []),
        "",
        "How each award came about:",
        *_chain_lines(table, [str(c) for c in chains]),
    ]
    printing.table(table, HEADS, f"{design.title}: successes of {who} at {source}", "\n".join(foot))


def _practise(
    design: Design, source: str, track: str, times: int, player: str | None, start: dict[str, Any], printing: Printing
) -> None:
    """Print what successes at a source do for the skill that it practises."""
    from ramulus.tables.compare_rules import totals_in_words
    from ramulus.tables.trace import trace_skill

    if track not in (skills := design.source(source).practised):
        found = f"{source} practises {', '.join(skills) or 'no skill'}, not {track}"
        raise typer.BadParameter(found, param_hint="--track")
    table, said = trace_skill(design, source, times, player=player, skill=track, **start)
    foot = [totals_in_words(table), "", "How each award came about:", *_chain_lines(table, said)]
    who = player or next(iter(design.profiles))
    printing.table(table, HEADS, f"{design.title}: successes of {who} at {source}, for {track}", "\n".join(foot))


def _chain_lines(table: pd.DataFrame, chains: list[str]) -> list[str]:
    """Return a line for each run of equal chains, a few at most."""
    lines: list[tuple[str, str]] = []
    for step, level, chain in zip(table["step"], table["level_before"], chains, strict=True):
        if not lines or lines[-1][1] != chain:
            lines.append((f"  from award {step}, level {level}: {chain}", chain))
    shown = [line for line, _ in lines[:12]]
    return [*shown, f"  … {len(lines) - 12} more"] if len(lines) > 12 else shown


def _rule(text: str) -> tuple[str, Any]:
    key, equals, value = text.partition("=")
    if not equals or not value.strip():
        raise typer.BadParameter(f"{text!r}; write RULE=VALUE, such as carry=0", param_hint="--also")
    return key.strip(), options.value_of(value.strip())


def _side_by_side(
    design: Design,
    given: list[float],
    also: list[str],
    track: str | None,
    start: dict[str, Any],
    printing: Printing,
) -> None:
    from ramulus.tables.compare_rules import compare_rules

    variants = {text: dict(_rule(part) for part in text.split(",")) for text in also}
    table = compare_rules(design, given, variants, track, **start)
    # A long rule stands in the foot, and a letter for it above its columns.
    lettered = any(len(title) > LONGEST_HEAD for title in variants)  # Letters for all, or for none.
    short = {title: chr(64 + i) if lettered and i else title for i, title in enumerate(["now", *variants])}
    heads = {"step": Column("award", number()), "amount": Column("XP", xp)}
    for name in table.columns[2:]:
        what, _, title = name.partition(" (")
        heads[name] = Column(f"{short[title.removesuffix(')')]}\n{what if what != 'xp' else 'XP'}", xp)
    foot = []
    for title, letter in short.items():
        level, wasted = int(table[f"level ({title})"].iloc[-1]), float(table[f"wasted ({title})"].sum())
        named = title if letter == title else f"{letter} = {title}"
        foot.append(f"{named}: ends at level {level}, {wasted:,.10g} XP wasted")
    printing.table(table, heads, f"{design.title}: the same awards under other rules", "\n".join(foot))
