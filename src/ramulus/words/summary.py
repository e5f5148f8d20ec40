"""What a designer asks next of a simulation: what is slow for whom, what they lived on, who quits."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.results.quitting import still_on_days
from ramulus.results.skill_or_luck import skill_or_luck_rows
from ramulus.results.standing_out import standing_out
from ramulus.simulation.quits import QUIT_REASONS
from ramulus.simulation.tally import CAP, END_REASONS
from ramulus.words.goals import goal_lines
from ramulus.words.held_up import came_over_time, came_too_late, held_up
from ramulus.words.writers import duration

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult
    from ramulus.simulation.played import PlayedProfile

NOTABLE = 1.25  # A level that takes so many times what its neighbours suggest is worth a word.
DAYS_SHOWN = (1, 7, 30, 90)
NOTABLE_SHARED = 0.02
_ENDED = {
    "out of time": "ran out of time",
    "no open source": "found no open source",
    "too many encounters": "were given up after too many encounters",
}


def summary(result: SimulationResult, track: str | None = None) -> str:
    """Return what a designer asks next: what is slow for whom, what they lived on, who quits, which goals are met."""
    from ramulus.goals import judge

    parts = said_by_profile(result, track)
    width = max(map(len, parts))
    lines = [""]
    for player, said in parts.items():
        lines += [f"{player if not i else '':{width}}  {line}" for i, line in enumerate(said)]
    return "\n".join(lines + said_of_all(result, track) + goal_lines(judge(result)) + said_of_counting(result))


def said_by_profile(result: SimulationResult, track: str | None = None) -> dict[str, list[str]]:
    """Return for each profile what is slow, what they lived on, who quits, and what else is worth a word."""
    name = track or result.design.main_track_name
    parts = {
        player: [_slow(standing_out(result.design, profile, profile.arrivals[name], name)), *_income(result, player)]
        for player, profile in result.played.profiles.items()
    }
    for found in (_endings, _quits, _waste, _waits, held_up, came_over_time, _skill_or_luck, came_too_late):
        for player, line in found(result):
            parts[player].append(line)
    return {player: [line for line in said if line] for player, said in parts.items()}


def said_of_all(result: SimulationResult, track: str | None = None) -> list[str]:
    """Return what is to be said of all profiles: whether everyone arrived, and what is left empty."""
    return [*_arrived(result, track), *_left_empty(result, track)]


def _arrived(result: SimulationResult, track: str | None) -> list[str]:
    """Return whether all come to the cap of the track that is shown, and who would have quit by then."""
    name, design = track or result.design.main_track_name, result.design
    what = "the cap" if len(design.tracks) == 1 else f"the cap of {name} (level {design.track(name).max_level})"
    reached = {p.profile: p.arrivals[name].seconds.reached()[-1] / p.players for p in result.played.profiles.values()}
    if min(reached.values()) < 1:
        return _cut_off(result, name, what)
    gone = _quit_before_cap(result) if name == design.main_track_name else []
    return [f"Everyone would reach {what}; {', '.join(gone)} quit before." if gone else f"Everyone reached {what}."]


def _cut_off(result: SimulationResult, track: str, what: str) -> list[str]:
    """Return why a skill ends where it does: by the end of the main track, not by how fast it grows."""
    main = result.design.main_track_name
    if track == main:
        return []
    if track not in result.played.until:
        return [f"Play ended at {main}'s cap, which cut {track} off; --until {track} plays on to {what}."]
    practising = [track in source.practised for source in result.design.sources.values()]
    met = sum(float(profile.totals.met[-1, practising].sum()) for profile in result.played.profiles.values())
    some = any(profile.ended[CAP].any() for profile in result.played.profiles.values())
    return [f"At {main}'s cap nobody practises {track} any more, so play ended there."] if some and not met else []


def _quit_before_cap(result: SimulationResult) -> list[str]:
    found = []
    for player, profile in result.played.profiles.items():
        if profile.quits is not None and (profile.quits.reason > 0).any():
            found.append(f"{(profile.quits.reason > 0).mean():.0%} of {player}")
    return found


def said_of_counting(result: SimulationResult) -> list[str]:
    """Return how sure the quantiles are, where that needs a word."""
    said = [] if result.keeps_players else ["Quantiles are within 0.4 %: the run is too large to keep every player."]
    return said + _leaps(result)


def _leaps(result: SimulationResult) -> list[str]:
    """Return what was played in leaps."""
    totals = [profile.totals for profile in result.played.profiles.values()]
    leapt = sum((one.leapt for one in totals[1:]), totals[0].leapt)
    if not leapt.any():
        return []
    at = (result.design.track().start_level + leapt.nonzero()[0]).tolist()
    percent = math.floor(1000 * leapt.sum() / sum(one.met.sum() for one in totals)) / 10  # Never all of them.
    where = f"level {at[0]}" if len(at) == 1 else f"levels from {at[0]} to {at[-1]}"
    return [
        f"{percent:g} % of all encounters, at {where}, were played in leaps: drawn many at once, by the same laws "
        "(simulate --no-leaps plays each)."
    ]


def _slow(row: Mapping[str, Any]) -> str:
    if math.isnan(row["hours"]):
        return ""
    text = f"slowest: level {row['level']:g}, {duration(row['hours'])}"
    because = f", because {row['why']}" if row["why"] else ""
    if not row["times"] >= NOTABLE and not math.isnan(row["step_level"]):
        step = f"from level {row['step_level']:g} on levels take {row['step_times']:.1f} times as long"
        return f"{text}; {step}{because}"
    if not row["times"] >= NOTABLE:
        return f"{text}; no level is seen to stand out from its neighbours"
    drags = (
        "it" if row["drags_level"] == row["level"] else f"level {row['drags_level']:g}, {duration(row['drags_hours'])},"
    )
    return f"{text}; {drags} takes {row['times']:.1f} times what its neighbours suggest{because}"


def _income(result: SimulationResult, player: str) -> list[str]:
    income = result.played.profiles[player].totals.income
    # What who plays on at the cap gets says nothing.
    by_source = income[: result.design.track().max_level - result.design.track().start_level].sum(axis=0)
    if by_source.sum() <= 0:
        return []
    shares = dict(zip(result.design.sources, (by_source / by_source.sum()).tolist(), strict=True))
    most = sorted((name for name, share in shares.items() if share), key=lambda name: -shares[name])[:4]
    return [f"XP from: {', '.join(f'{name} {shares[name]:.0%}' for name in most)}"]


def _endings(result: SimulationResult) -> list[tuple[str, str]]:
    lines = []
    start, cap = result.design.track().start_level, result.design.track().max_level
    for player, profile in result.played.profiles.items():
        for reason, by_level in enumerate(profile.ended):
            if reason == CAP or not by_level.any():
                continue
            worst = start + int(by_level.argmax())
            where = f"most at level {worst}" if np.count_nonzero(by_level) > 1 else f"at level {worst}"
            if worst == cap:
                where += f", its cap, before that of {' and '.join(result.played.until)}"
            lines.append((player, f"{by_level.sum() / profile.players:.1%} {_ENDED[END_REASONS[reason]]}, {where}"))
    return lines


def _waste(result: SimulationResult) -> list[tuple[str, str]]:
    lines = []
    for player, profile in result.played.profiles.items():
        totals, count = profile.totals, profile.players
        wasted, lost = (float(sums[:-1].sum()) / count for sums in (totals.waste, totals.lost))
        if wasted or lost:
            lines.append((player, f"{wasted:,.0f} XP wasted and {lost:,.0f} XP lost a player"))
        dropped, regaining = (float(sums.sum()) / count for sums in (totals.dropped, totals.regained))
        if dropped > 0:
            text = f"{dropped:,.1f} levels lost to failures a player, and {duration(regaining)} to win them back"
            lines.append((player, text))
    return lines


def _quits(result: SimulationResult) -> list[tuple[str, str]]:
    """Return who would quit and where most; and a level that drives players away."""
    if not result.can_quit:
        return []
    from ramulus.simulation.still_playing import quit_peaks

    lines = []
    for player, profile in result.played.profiles.items():
        if profile.quits is None:
            continue
        shares = np.bincount(profile.quits.reason, minlength=len(QUIT_REASONS))[1:] / profile.players
        named = zip(QUIT_REASONS[1:], shares, strict=True)
        why = ", ".join(f"{share:.0%} {reason}" for reason, share in named if share)
        # Who ran out of time may quit later: what was seen is no more than what was played.
        seen = (
            "before the cap"
            if not profile.cut_off[result.design.main_track_name][:-1].any()
            else f"within {result.hours:g} h"
        )
        lines.append((player, f"{shares.sum():.0%} would quit {seen}{f' ({why})' if why else ''}"))
        lines += [(player, text) for text in _days_played(result, profile)]
        for peak in quit_peaks(profile, result.design.track().start_level)[:1]:
            text = f"at level {peak.level}, {peak.share:.0%} of those who come there run out of patience"
            lines.append((player, f"{text}, at its neighbours {peak.around:.0%}"))
    return lines


def _days_played(result: SimulationResult, profile: PlayedProfile) -> list[str]:
    """Return how many are still playing on a few days worth naming."""
    still = still_on_days(result.design, profile, result.hours)
    shown = [f"{still[day - 1] / profile.players:.0%} on day {day}" for day in DAYS_SHOWN if day <= len(still)]
    return [f"still playing: {', '.join(shown)}"] if shown else []


def _waits(result: SimulationResult) -> list[tuple[str, str]]:
    """Return the hours in which nothing was left to do that day."""
    lines = []
    for player, profile in result.played.profiles.items():
        waited = float(profile.totals.waited.sum()) / profile.players
        if waited > 0:
            lines.append((player, f"{duration(waited)} a player with nothing left to do that day"))
    return lines


def _skill_or_luck(result: SimulationResult) -> list[tuple[str, str]]:
    """Return where the differences between players of one kind come from, where they differ in more than luck."""
    if not result.keeps_players:
        return []
    lines = []
    for row in skill_or_luck_rows(result):
        player = result.design.profile(row["player"])
        if math.isnan(row["luck"]) or not (player.spread or result.varies(row["player"])):
            continue
        parts = [f"ability {row['ability']:.0%}", f"own speed {row['speed']:.0%}", f"luck {row['luck']:.0%}"]
        if abs(row["shared"]) >= NOTABLE_SHARED:
            parts.append(f"together {row['shared']:.0%}")
        about = f"hours to level {row['level']} differ by about {math.expm1(row['log_hours_sd']):.0%}"
        lines.append((row["player"], f"{about}; of that {', '.join(parts)}"))
    return lines


def _left_empty(result: SimulationResult, track: str | None) -> list[str]:
    """Return from which level on the hours within a level are not known, and what would show them."""
    found = [f"{player} from level {first}" for player, first in result.cut_off_from(track).items()]
    if not found:
        return []
    return [
        "Hours within a level are not known where more than a tenth of the players ran out of time before they had "
        f"left it ({', '.join(found)}); more than --hours {result.hours:g} shows more."
    ]
