"""What came of recorded play, in sentences with ways out."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from ramulus.formula import parse
from ramulus.game.mistakes import MISTAKES
from ramulus.recorded.estimates import OF_HOURS
from ramulus.recorded.observed import culprit_in_words
from ramulus.recorded.tried import AS_DESIGNED, more_than_chance
from ramulus.words.judged import Verdict
from ramulus.words.writers import Column, hours, number, significant

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.recorded.agreement import Culprit
    from ramulus.recorded.fit import Fit
    from ramulus.recorded.observed import Observed, OfProfile
    from ramulus.recorded.patched import Patched
    from ramulus.recorded.replay import Replay
    from ramulus.recorded.tried import OfTrack

SHOWN = 3
ASK = "hold the game's own code against the design: ramulus conform"


def _times(value: float) -> str:
    """Write a ratio; an end that nobody knows is a dash."""
    return "" if math.isnan(value) else "–" if math.isinf(value) else f"{value:.2f}"


OBSERVED = {
    "player": Column("player"),
    "level": Column("level", number()),
    "seen": Column("seen to\nreach it", number()),
    "ended": Column("log ended\nbefore", number()),
    "hours_p50": Column("p50\nhours", hours),
    "hours_p50_low": Column("from", hours),
    "hours_p50_high": Column("to", hours),
    "forecast_p50": Column("forecast\nhours", hours),
    "ratio": Column("times as\nlong", _times),
    "ratio_low": Column("from", _times),
    "ratio_high": Column("to", _times),
}


def replay_lines(found: Replay) -> Iterator[str]:
    """Yield what came of taking a log through the ledger, a sentence a line; the first says whether it agrees."""
    if found.agrees:
        yield "the game does what the design says, as far as this log tells"
    else:
        yield "the game does something else than the design says"
    for one in found.tracks:
        yield from _track_lines(one)
    for source in found.by_source:
        if not source.agrees:
            share = 1 - source.fine / source.awards
            xp, low, high = source.means
            yield (
                f"{source.source} pays what no multipliers of the design make of it in {share:.1%} of "
                f"{source.awards:,} encounters: {xp:,.4g} XP in the mean, and the design {low:,.4g} to {high:,.4g}"
            )
            if source.without:
                yield f"  without the multiplier {source.without!r} nearly all of them come out: is it in the game?"


def _track_lines(one: OfTrack) -> Iterator[str]:
    judged = f"{one.name}: {one.awards:,} awards of {one.players:,} players"
    told = " by level alone, as the log tells no XP inside levels" if one.levels_only else ""
    if not one.differing:
        yield f"{judged} come out as designed{told}"
    else:
        yield f"{judged}{told}; {one.differing:,} of them, of {one.differing_players:,} players, come out otherwise"
        if one.first:
            yield f"  the first: {one.first}"
        yield from _why_lines(one)
    if one.from_outside:
        yield f"  {one.from_outside:,} levels rose without XP: set from outside"


def _why_lines(one: OfTrack) -> Iterator[str]:
    if one.reads_before:
        yield '  nearly all of that vanishes where level is read as before each award: [recorded] level_is = "before"'
        return
    if one.patch is not None:
        yield f"  {patch_in_words(one.patch)}, which explains all but {one.awards - one.patch.explained:,} of them"
        yield from _ways_out(one.patch.mistakes)
        return
    if one.others:
        best = one.others[0]
        does = " and ".join(f"{MISTAKES[code].does} ({code.replace('-', ' ')})" for code in best.mistakes)
        explained = best.explained - one.rules[0].explained
        if more_than_chance(one.unexplained, one.awards):  # Then it is not what the game does.
            tried = "no known mistake explains" if one.levels_only else "no two known mistakes explain"
            yield f"  {one.unexplained:,} of them {tried}; {ASK}"
            yield f"  nearest comes a game that {does}: {explained:,} of them come out there"
            return
        rest = f"; {one.unexplained:,} are left, as lost and doubled rows leave them" if one.unexplained else ""
        yield f"  it {does}: that explains {explained:,} of them{rest}"
        if len(one.others) > 1:
            names = "; ".join(rule.name.replace("-", " ") for rule in one.others[1 : 1 + SHOWN])
            yield f"  not told apart on this log from: {names}"
        yield from _ways_out(best.mistakes)
    elif one.differs:
        yield f"  no known mistake explains them; {ASK}"
    else:
        yield f"  {one.differing / one.awards:.2%}, which lost and doubled rows explain; the rule is {AS_DESIGNED}"


def _ways_out(mistakes: tuple[str, ...]) -> Iterator[str]:
    for code in mistakes:
        yield f"  way out: {MISTAKES[code].way_out}"


def patch_in_words(patch: Patched) -> str:
    """Return a rule that holds on one side of a time."""
    does = " and ".join(f"{MISTAKES[code].does} ({code.replace('-', ' ')})" for code in patch.mistakes)
    at = datetime.fromtimestamp(patch.time, UTC).strftime("%Y-%m-%d %H:%M UTC")
    return f"it {does} {'until' if patch.until else 'from'} {at}"


def observed_lines(found: Observed) -> Iterator[str]:
    """Yield whether each kind of players does as forecast, and where not, a sentence a line."""
    for one in found.profiles:
        yield from _profile_lines(found, one)
    if found.design.party is not None and any(one.agreement.verdict == "differs" for one in found.profiles):
        yield "forecasts play everyone alone: what was played in a party takes other times and pays otherwise"


def _profile_lines(found: Observed, one: OfProfile) -> Iterator[str]:
    agreement, players = one.agreement, len(one.recorded)
    if agreement.verdict == "open":
        yield f"{one.name}: open; {players:,} players tell too little"
        return
    verdict = "as forecast" if agreement.verdict == "agrees" else "not as forecast"
    yield f"{one.name}: {verdict} (p {p_in_words(agreement.p)}, {players:,} players{_pace(found, one)})"
    if agreement.verdict == "agrees":
        return
    for culprit in agreement.culprits[:SHOWN]:
        yield f"  {culprit_finding(found.design, one.name, culprit)}"
    if not agreement.culprits and agreement.within < agreement.speed and agreement.worst_level >= 0:
        level = agreement.worst_level + found.design.track(found.track).start_level
        yield f"  they stay longer or shorter within level {level} than forecast: see it with --in-level"
    elif not agreement.culprits:
        yield "  they are faster or slower over all; no source, and not the pause, differs by itself"


def p_in_words(p: float) -> str:
    """Return how likely something is by chance."""
    return "below 0.01" if p < 0.01 else f"{p:.2f}"


def _pace(found: Observed, one: OfProfile) -> str:
    """Return how many times as long as forecast the last level takes whose ratio is known well."""
    table = found.pace()
    mine = table[(table["player"] == one.name) & table["ratio_high"].notna() & table["ratio_low"].gt(0)]
    mine = mine[mine["seen"] >= mine["players"] / 2]
    if mine.empty:
        return ""
    last = mine.iloc[-1]
    return (
        f"; level {last['level']:.0f} takes {last['ratio']:.2f} times as long, "
        f"{last['ratio_low']:.2f} to {last['ratio_high']:.2f}"
    )


def culprit_finding(design: Design, profile: str, culprit: Culprit) -> str:
    """Return what differs, by how much, and what to change."""
    what = culprit_in_words(design, culprit)
    if culprit.what == "pause":
        now = design.profile(profile).seconds_between
        return f"{what} ({_ends(culprit, 2)}): players.{profile}.seconds_between {now:g} → {now * culprit.effect:.3g}"
    source = list(design.sources)[culprit.place]
    if culprit.what == "success":
        return f"{what} ({culprit.low * 100:+.1f} to {culprit.high * 100:+.1f}): its success"
    own = design.sources[source].seconds
    way = _seconds_read(design, source)
    if isinstance(own, int | float):
        way = f"sources.{source}.seconds {own:g} → {own * culprit.effect:.3g}"
    return f"{what} ({_ends(culprit, 3)}): {way}"


def _seconds_read(design: Design, source: str) -> str:
    """Return what the time of an encounter hangs on at a source."""
    one = design.sources[source]
    text = one.seconds if isinstance(one.seconds, str) else design.encounters.seconds
    read = [name for name in one.numbers if isinstance(text, str) and name in parse(text).names]
    return " and ".join(f"sources.{source}.{name} ({one.numbers[name]})" for name in read) or f"the time at {source}"


def _ends(culprit: Culprit, digits: int) -> str:
    return f"{culprit.low:.{digits}f} to {culprit.high:.{digits}f} times"


def _in_one(lines: Iterator[str]) -> str:
    return "; ".join(line.strip() for line in lines)


FITTED = {
    "name": Column("number"),
    "before": Column("designed", significant),
    "after": Column("recorded", significant),
    "low": Column("from", significant),
    "high": Column("to", significant),
    "from": Column("read off"),
    "determined": Column("pinned\ndown", lambda value: "yes" if value else "no"),
}


def fit_lines(found: Fit) -> Iterator[str]:
    """Yield what the log cannot tell, and whether the fitted design may have made it."""
    for place, why in found.not_told.items():
        yield f"{place}: not told ({why})"
    yield from _kind_lines(found)
    if any(one.source == OF_HOURS for one in found.estimates):
        yield (
            f"numbers read off {OF_HOURS} stand with the rest of the design: a source that takes longer than designed "
            "moves them, unseen; log source, success and seconds to tell"
        )
    if found.refused:
        yield f"refused: {found.refused}"
        return
    ps = ", ".join(f"{one.name} {p_in_words(one.agreement.p)}" for one in found.held.profiles)
    yield f"the design with these numbers may have made this log (p: {ps})"


def _kind_lines(found: Fit) -> Iterator[str]:
    """Yield the kinds of players whose profile the log does not name."""
    if found.found_kinds is None:
        return
    kinds, blurred = found.kinds(), found.found_kinds.blurred
    if len(kinds):
        yield f"players without a profile, by their pauses: {len(kinds)} {'kind' if len(kinds) == 1 else 'kinds'}"
    for one in kinds.itertuples():
        share = f"{one.share:.0%} ({one.share_low:.0%} to {one.share_high:.0%})"
        pause = f"{one.seconds_between:.1f} s ({one.seconds_between_low:.1f} to {one.seconds_between_high:.1f})"
        yield f"  {share} pause {pause}, spread {one.spread:.2f}; {one.nearest} is nearest"
    if blurred:
        yield f"  it may be {blurred}: kinds nearer than three spreads look like one; log the profile"


def replay_verdicts(found: Replay) -> list[Verdict]:
    """Return what was judged, for machines."""
    tracks = [
        Verdict(
            one.others[0].name if one.others else "differs" if one.differs else "as-designed",
            "error" if one.differs else "none", f"tracks.{one.name}", _in_one(_track_lines(one)),
        )
        for one in found.tracks
    ]  # fmt: skip
    return tracks + [
        Verdict("pays-otherwise", "error", f"sources.{one.source}", f"{one.source} pays what no multipliers make of it")
        for one in found.by_source if not one.agrees
    ]  # fmt: skip


def observed_verdicts(found: Observed) -> list[Verdict]:
    """Return what was judged, for machines."""
    levels = {"agrees": "none", "differs": "error", "open": "note"}
    return [
        Verdict(
            f"forecast-{one.agreement.verdict}", levels[one.agreement.verdict], f"players.{one.name}",
            _in_one(_profile_lines(found, one)),
        )
        for one in found.profiles
    ]  # fmt: skip
