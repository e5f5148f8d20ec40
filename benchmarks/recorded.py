"""How often `observed` cries wolf, and how often it finds what differs, over logs whose truth is known.

    python benchmarks/recorded.py alarms [LOGS]      # 200 logs a cell: false alarms, with what a log cuts off
    python benchmarks/recorded.py power [LOGS]       # what is found of one thing that is changed
    python benchmarks/recorded.py intervals [LOGS]   # how often intervals of medians and ratios hold the truth
    python benchmarks/recorded.py fits [LOGS] [NAME] # how often intervals of fitted numbers do, and what is refused
    python benchmarks/recorded.py hours [LOGS] [ROW] # the same where a log tells players, times and XP alone
    python benchmarks/recorded.py kinds [LOGS]       # how many kinds of players are told by their pauses
    python benchmarks/recorded.py goals [LOGS]       # how often intervals of goals on a log hold what simulated players come to

Logs are made up, with 0.1 % of rows lost and 0.1 % doubled, whole seconds and meals, by other draws than the forecast's.
"""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pandas as pd

import ramulus as rm
from ramulus.design.calendar import WEEKDAYS
from ramulus.design.goal import Goal
from ramulus.goals import Judged, Measured, judge, words_of
from ramulus.recorded.agreement import agreement
from ramulus.recorded.forecast import Forecast, Span, part_of
from ramulus.recorded.from_hours import HoursFit
from ramulus.recorded.goals_met import goals_met
from ramulus.recorded.kinds import kinds_of
from ramulus.recorded.rows import Batch
from ramulus.recorded.sample_files import hours_in
from ramulus.recorded.sampling import DAY, Habits, first_midnight, people, sampled
from ramulus.recorded.seen import Seen, seen_in
from ramulus.recorded.survival import Median, median_of, ratio_of

PAUSE = 1800.0
FORECAST = 1000
LEVELS = (5, 10, 15, 20)


@dataclass(frozen=True)
class Cell:
    """One kind of logs."""

    profile: str
    players: int
    days: int
    cutting: str


def design_of(cutting: str) -> rm.Design:
    """Return the demo with what cuts its players off: the log's end alone, leaving by day, or impatience."""
    data = rm.demo_design().to_dict()
    for player in data["players"].values():
        for key in ("stays", "patience_hours_per_level", "patience_spread", "quit_chance_per_play_day"):
            player.pop(key, None)
        if cutting == "leaving":
            player["stays"] = [[1, 0.9], [7, 0.6], [30, 0.25]]
        if cutting == "impatience":
            player |= {"patience_hours_per_level": 0.8, "patience_spread": 0.5}
    data.pop("goals", None)
    return rm.Design.from_dict(data)


def span_over(design: rm.Design, days: int) -> Span:
    """Return what a log of some days spans, from the design's day 1 on."""
    starts_on = WEEKDAYS.index(design.starts_on)
    return Span(first_midnight(starts_on), first_midnight(starts_on) + days * DAY, starts_on, PAUSE)


def recorded(played: rm.Design, cell: Cell, seed: int) -> list[Batch]:
    """Return a log: rows until players quit, or the log ends, some lost and some doubled."""
    habits, chance = Habits(meals=0.1), np.random.default_rng([seed, 1])
    found = []
    hours, numbers = hours_in(played, cell.profile, cell.days, habits), people(cell.players, cell.profile, seed)
    for some in sampled(played, cell.profile, numbers, seed, hours, habits):
        batch = some.batch
        stays = (some.clock <= some.quit_clock[batch.owner]) & (batch.rows.time < span_over(played, cell.days).ends)
        times = stays * (1 + (chance.random(len(stays)) < 0.001) - (chance.random(len(stays)) < 0.001))
        rows = batch.rows._replace(time=np.floor(batch.rows.time))
        at = np.repeat(np.arange(len(times)), times)
        doubled = Batch(
            rows.of(at), np.searchsorted(batch.owner[at], np.arange(batch.players + 1)), batch.keys, batch.profiles
        )
        found.append(part_of(doubled, np.ones(len(at), np.bool_)))
    return found


def held(played: rm.Design, foreseen: rm.Design, cell: Cell, seed: int) -> tuple[Seen, Seen, object]:
    """Return recorded players, those of the forecast that is cut alike, and whether they agree."""
    batches = recorded(played, cell, seed)
    span = span_over(foreseen, cell.days)
    forecast = Forecast(foreseen, cell.profile, FORECAST, seed + 50_000, span, 0)
    place = list(foreseen.players).index(cell.profile)
    cells = {place: forecast.cells()}
    seen = seen_in(foreseen, batches, 0, PAUSE, cells)
    cut = forecast.cut_like(seen, cells)
    return seen, cut, agreement(seen, cut, seed)


def alarms(logs: int) -> None:
    """Print the share of logs of the very design that are said to differ."""
    print("| cut off by | profile | players | differs | speed | within | encounters | a culprit is named |")
    print("|---|---|---|---|---|---|---|---|")
    for cutting, days in (("the log's end", 25), ("leaving", 40), ("impatience", 40)):
        design = design_of(cutting)
        for profile in ("newcomer", "adept"):
            for players in (50, 200, 1000):
                counts: Counter[str] = Counter()
                for seed in range(logs):
                    _, _, found = held(design, design, Cell(profile, players, days, cutting), 1000 + seed)
                    parts = {"p": found.p, "speed": found.speed, "within": found.within, "encounters": found.encounters}
                    counts.update(name for name, p in parts.items() if p < 0.05)
                    counts["named"] += bool(found.verdict == "differs" and found.culprits)
                shares = " | ".join(
                    f"{counts[name] / logs:.3f}" for name in ("p", "speed", "within", "encounters", "named")
                )
                print(f"| {cutting} | {profile} | {players} | {shares} |", flush=True)


CHANGES = {
    "bark_borer 3 % slower": (1.03, "bark_borer seconds"),
    "bark_borer 10 % slower": (1.10, "bark_borer seconds"),
    "a pause 5 s longer": (0.0, "pause"),
}


def changed(design: rm.Design, factor: float) -> rm.Design:
    """Return the design with one source so many times as slow; 0: with pauses 5 s longer."""
    data = design.to_dict()
    if factor:
        data["sources"]["bark_borer"]["seconds"] = f"{factor} * ({data['encounter']['seconds']})"
    else:
        data["players"]["newcomer"]["seconds_between"] += 5
    return rm.Design.from_dict(data)


def power(logs: int) -> None:
    """Print the share of logs of a changed design that are said to differ, and in which the change is named."""
    design = design_of("the log's end")
    print("| changed | players | said to differ | named first |\n|---|---|---|---|")
    for name, (factor, culprit) in CHANGES.items():
        played = changed(design, factor)
        for players in (50, 200, 1000):
            differs = named = 0
            for seed in range(logs):
                _, _, found = held(played, design, Cell("newcomer", players, 25, ""), 1000 + seed)
                differs += found.verdict == "differs"
                first = found.culprits[0] if found.culprits else None
                said = (
                    ""
                    if first is None
                    else "pause"
                    if first.what == "pause"
                    else f"{list(design.sources)[first.place]} {first.what}"
                )
                named += found.verdict == "differs" and said == culprit
            print(f"| {name} | {players} | {differs / logs:.3f} | {named / logs:.3f} |", flush=True)


def median_at(seen: Seen, level: int) -> Median:
    """Return the median of played seconds to a level."""
    here = np.isfinite(seen.arrival[:, level])
    return median_of(np.where(here, seen.arrival[:, level], seen.end), here)


def intervals(logs: int) -> None:
    """Print how often intervals hold the truth: that of a log of 20,000 players, cut off alike, and a ratio of 1."""
    print("| cut off by | players | median held | ratio held | half-width of the ratio |\n|---|---|---|---|---|")
    for cutting, days in (("the log's end", 25), ("leaving", 40)):
        design = design_of(cutting)
        many = seen_in(design, recorded(design, Cell("newcomer", 20_000, days, cutting), 7), 0, PAUSE)
        truth = {level: median_at(many, level).value for level in LEVELS}
        for players in (50, 200, 1000):
            held_median = held_ratio = looked = 0
            widths = []
            for seed in range(logs):
                seen, cut, _ = held(design, design, Cell("newcomer", players, days, cutting), 1000 + seed)
                for level, right in truth.items():
                    found = median_at(seen, level)
                    ratio = ratio_of(found, median_at(cut, level))
                    if np.isfinite(ratio.value):
                        looked += 1
                        held_median += not (found.low > right or found.high < right)
                        held_ratio += not (ratio.low > 1 or ratio.high < 1)
                        widths.append((ratio.high - ratio.low) / 2)
            shares = f"{held_median / looked:.3f} | {held_ratio / looked:.3f} | {np.median(widths):.3f}"
            print(f"| {cutting} | {players} | {shares} |", flush=True)


BROKEN = {
    "as it is": {},
    "a source 10 % slower": {"sources.bark_borer.seconds": "1.1 * (ceil(toughness / shear) * windup / accuracy + 6)"},
    "one row in a hundred lost": {"faults": 0.01},
    "half of the days with a meal": {"meals": 0.5},
    "a fifth are newcomers": {"others": 0.2},
}


def sample_broken(design: rm.Design, path: Path, change: dict[str, object], players: int, seed: int) -> None:
    """Write a log of steady players in which something is other than it is taken to be."""
    how = {key: value for key, value in change.items() if key in ("faults", "meals")}
    played = design.with_values({key: value for key, value in change.items() if key not in ("others", *how)})
    others = round(float(change.get("others", 0)) * players)
    mix = {"steady": players - others, "newcomer": others} if others else {"steady": players}
    rm.sample_log(played, path, players=mix, days=20, seed=seed, **{"faults": 0.001, **how})
    if others:
        rows = pd.read_parquet(path)
        rows["profile"] = "steady"
        rows.to_parquet(path)


def fits(logs: int, *names: str) -> None:
    """Print how often intervals of `fit` hold the truth, and how often the log is refused, as it is and broken."""
    design = design_of("the log's end")
    print(
        "| the log | players | refused | each number's interval held the truth, where it was not refused |\n|---|---|---|---|"
    )
    for name in names or BROKEN:
        change = BROKEN[name]
        for players in (50, 200, 1000):
            if players == 1000 and change:
                continue
            held_by: Counter[str] = Counter()
            told: Counter[str] = Counter()
            refused = 0
            with tempfile.TemporaryDirectory() as folder:
                for seed in range(logs):
                    path = Path(folder) / "log.parquet"
                    sample_broken(design, path, change, players, seed)
                    found = rm.fit(design, rm.read_log(path, design), seed=seed)
                    refused += found.refused is not None
                    if found.refused is None:
                        known = [one for one in found.estimates if np.isfinite(one.after)]
                        told.update(one.name.split("steady.")[-1] for one in known)
                        held_by.update(
                            one.name.split("steady.")[-1] for one in known if one.low <= one.before <= one.high
                        )
            shares = ", ".join(f"{number} {held_by[number] / count:.2f}" for number, count in sorted(told.items()))
            print(f"| {name} | {players} | {refused / logs:.2f} | {shares} |", flush=True)


OF_HOURS = (
    (Cell("newcomer", 100, 7, "the log's end"), {"seconds_between": 30, "spread": 0.2, "pursuit": 0.5}),
    (Cell("steady", 200, 10, "leaving"), {"seconds_between": 26, "spread": 0.15, "pursuit": 1.5}),
    (Cell("adept", 200, 10, "impatience"), {"seconds_between": 14, "spread": 0.12, "pursuit": 2}),
    (Cell("steady", 200, 10, "the log's end"), {"seconds_between": 24, "traits.accuracy.mean": 0.65}),
)


def hours(logs: int, first: str = "0") -> None:
    """Print how often intervals of numbers that are read off hours alone hold the truth, and how wide they are."""
    print(
        "| players | number | designed | true | held | half-width | mean off | not told |\n|---|---|---|---|---|---|---|---|"
    )
    for cell, truth in OF_HOURS[int(first) :]:
        design = design_of(cell.cutting)
        played = design.with_values({f"players.{cell.profile}.{key}": value for key, value in truth.items()})
        span, ends = span_over(design, cell.days), {key: [] for key in truth}
        for seed in range(logs):
            batches = recorded(played, cell, 2000 + seed)
            seen = seen_in(design, batches, 0, PAUSE)
            trait = "accuracy" if "traits.accuracy.mean" in truth else ""
            search = HoursFit(design, cell.profile, seen, span, 0, seed, trait)
            before, told = dict(search.before), search.found().numbers
            for key in truth:
                ends[key].append(told.get(key, (np.nan, np.nan, np.nan)))
        for key, value in truth.items():
            found, low, high = np.array(ends[key]).T
            known = np.isfinite(found)
            held = ((low <= value) & (value <= high))[known].mean()
            width, off = np.median((high - low)[known]) / 2 / value, (found[known].mean() - value) / value
            print(f"| {cell.players} of {cell.profile}, {cell.days} days, cut off by {cell.cutting} | {key} | {before[key]:g} | "
                  f"{value:g} | {held:.2f} | {width:.1%} | {off:+.1%} | {1 - known.mean():.2f} |", flush=True)  # fmt: skip


OF_KINDS = {
    "one": [(1.0, 20)],
    "two, two spreads apart": [(0.5, 20), (0.5, 20 * np.exp(0.2))],
    "two, four apart": [(0.6, 20), (0.4, 20 * np.exp(0.4))],
    "85 and 15 %, six apart": [(0.85, 20), (0.15, 20 * np.exp(0.6))],
    "three, six apart": [(0.5, 12), (0.3, 12 * np.exp(0.6)), (0.2, 12 * np.exp(1.2))],
}


def kinds(logs: int) -> None:
    """Print how many kinds are found of players whose pauses lie a tenth apart within a kind, and what intervals hold."""
    print("| kinds | players | found 1, 2, 3, more | share | pause | spread |\n|---|---|---|---|---|---|")
    for name, parts in OF_KINDS.items():
        for players in (50, 200, 1000):
            chance, counted, held = np.random.default_rng(players), Counter(), []
            for _ in range(logs):
                whose = chance.choice(len(parts), players, p=[share for share, _ in parts])
                middle = np.array([pause for _, pause in parts])[whose]
                found = kinds_of(middle * np.exp(chance.normal(0, 0.1, players))).kinds
                counted[min(len(found), 4)] += 1
                if len(found) == len(parts):
                    true = [(share, pause, 0.1) for share, pause in parts]
                    held += [[low <= right <= high for (_, low, high), right in zip(one[1:], those, strict=True)]
                             for one, those in zip(found, true, strict=True)]  # fmt: skip
            shares = " | ".join(f"{share:.2f}" for share in np.mean(held, axis=0)) if held else "– | – | –"
            counts = ", ".join(f"{counted[count] / logs:.2f}" for count in (1, 2, 3, 4))
            print(f"| {name} | {players} | {counts} | {shares} |", flush=True)


OF_GOALS = (
    {"level": 10, "hours": 1},
    {"level": 20, "hours": 1, "quantile": 0.9},
    {"from_level": 5, "to_level": 15, "hours": 1},
    {"level": 10, "days": 2},
    {"level": 20, "days": 6, "quantile": 0.9},
    {"level": 15, "ratio": 1, "compared_with": "adept"},
    {"longest_level_hours": 1, "from_level": 5, "to_level": 15},
    {"level": 12, "reached": 0.5, "by_hours": 2},
    {"level": 12, "reached": 0.5, "by_day": 3},
    {"still_playing": 0.5, "by_day": 10},
    {"still_playing": 0.5, "by_day": 25},
    {"still_playing": 0.5, "level": 15},
)


def goals(logs: int) -> None:
    """Print how often intervals of goals that are judged on a log hold what simulated players come to."""
    data = design_of("leaving").to_dict() | {"goals": [{"player": "steady", **one} for one in OF_GOALS]}
    for player in data["players"].values():
        player.pop("arrives", None)
    design = rm.Design.from_dict(data)
    played = {one.goal: one.measured.found for one in judge(rm.simulate(design, 20_000, hours=200))}
    cell = Cell("steady", 200, 60, "leaving")
    print("| goal | true | held | half-width | not known |\n|---|---|---|---|---|")
    found: dict[Goal, list[Measured]] = defaultdict(list)
    for seed in range(logs):
        for one in on_log(design, cell, 3000 + seed):
            found[one.goal].append(one.measured)
    for goal, some in found.items():
        true = played[goal]
        known = [one for one in some if np.isfinite(one.found)]
        held = np.mean([one.low <= true <= one.high for one in known]) if known else np.nan
        widths = [(one.high - one.low) / 2 for one in known if np.isfinite(one.high)]
        print(f"| {words_of(goal)} | {true:.3g} | {held:.2f} | {np.median(widths):.2g} | "
              f"{1 - len(known) / logs:.2f} |", flush=True)  # fmt: skip


def on_log(design: rm.Design, cell: Cell, seed: int) -> list[Judged]:
    """Return the goals judged on a log of a profile's players, and of as many adept ones."""
    seen = {}
    for number, profile in enumerate((cell.profile, "adept")):
        batches = recorded(design, replace(cell, profile=profile), 2 * seed + number)
        seen[profile] = seen_in(design, batches, 0, PAUSE)
    return goals_met(design, design.main_track_name, seen, span_over(design, cell.days))


if __name__ == "__main__":
    tables = {
        "alarms": alarms,
        "power": power,
        "intervals": intervals,
        "fits": fits,
        "hours": hours,
        "kinds": kinds,
        "goals": goals,
    }
    tables[sys.argv[1]](int(sys.argv[2]) if len(sys.argv) > 2 else 200, *sys.argv[3:])
