"""The forecast beside what players did, per profile: how fast, whether they agree, and where not."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass
from functools import cached_property
from html import escape
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.errors import refuse_other_than_design, refuse_other_than_log
from ramulus.goals import Judged, table_of
from ramulus.recorded.agreement import Agreement, Culprit, agreement, time_in_levels
from ramulus.recorded.forecast import Forecast, Span
from ramulus.recorded.goals_met import goals_met
from ramulus.recorded.log import Log
from ramulus.recorded.log_seen import seen_of_log, span_of_log
from ramulus.recorded.rows import UNKNOWN
from ramulus.recorded.sampling import HOUR
from ramulus.recorded.seen import Seen
from ramulus.recorded.survival import NOBODY_KNOWS, Median, median_of, ratio_of
from ramulus.results.simulate import by_share

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design

PLAYERS = 1000
FEWEST = 5  # Players of a group that is shown.
EVERYONE = "everyone"
BESIDE = ", beside the others"  # What a player does at all sources alike is no source's.


@dataclass(frozen=True, eq=False)
class OfProfile:
    """One profile's part: recorded players, the forecast as a whole and cut as the log is, and whether they agree."""

    name: str
    recorded: Seen
    whole: Seen
    cut: Seen
    agreement: Agreement


class Observed:
    """What came of holding a log against the forecast.

    Attributes:
        design: the design.
        log: the log.
        track: the track that levels are of.
        profiles: each profile's part, that of "everyone" last, who are of no profile that the log names.
        seed: of the forecast's draws.
        span: what the log spans.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> found = rm.observed(design, log)
        >>> found.agrees
        True
    """

    def __init__(self, design: Design, log: Log, track: str, profiles: list[OfProfile], seed: int, span: Span) -> None:
        self.design, self.log, self.track, self.profiles, self.seed = design, log, track, profiles, seed
        self.span = span

    def pace(self) -> pd.DataFrame:
        """Return how fast recorded players reached each level, beside the forecast.

        Returns:
            A row a profile and level: `player`, `level`, `players`, how many there are, `seen` to reach it and `ended`,
            whose log ended before; `hours_p50` with its 95 % interval, by Kaplan and Meier, in hours as a log can count
            them: within sittings; `forecast_p50`, of simulated players counted and cut off alike; `ratio`, how many
            times as long as forecast, with an interval that has both errors. What nobody can know is not a number;
            fewer than five players show none.
        """
        import pandas as pd

        return pd.DataFrame(self._pace, columns=_PACE)

    @cached_property
    def _pace(self) -> list[tuple[Any, ...]]:
        return [row for one in self.profiles for row in _pace_rows(one, self._start_level)]

    @property
    def _start_level(self) -> int:
        return self.design.track(self.track).start_level

    def in_level(self) -> pd.DataFrame:
        """Return how long recorded players stayed within each level, beside the forecast.

        Returns:
            A row a profile and level below the cap, with the columns of `pace`: `seen` finished it, `ended` were seen
            in it to the end of their log.
        """
        import pandas as pd

        rows = [row for one in self.profiles for row in _in_level_rows(one, self._start_level)]
        return pd.DataFrame(rows, columns=_PACE)

    def goals(self) -> pd.DataFrame:
        """Return whether recorded players met the design's goals, as `SimulationResult.goals` has them.

        Returns:
            Its columns, a row a goal of profiles and the track that were looked at. A log does not tell goals on wasted
            XP. Hours are those within sittings, with their first encounters; of days and of who still plays nothing is
            known in a log of fewer than 28 days.
        """
        return table_of(self.judged)

    @cached_property
    def judged(self) -> list[Judged]:
        """The design's goals, judged on the log."""
        return goals_met(self.design, self.track, {one.name: one.recorded for one in self.profiles}, self.span)

    def verdicts(self) -> pd.DataFrame:
        """Return whether recorded players and the forecast agree.

        Returns:
            A row a profile: `player`, `players`, `p`, `verdict` ("agrees", "differs", or "open" where too little is
            known), and `culprit`, what differs most beyond chance, in words.
        """
        import pandas as pd

        rows = [
            (one.name, len(one.recorded), one.agreement.p, one.agreement.verdict, self._culprit(one))
            for one in self.profiles
        ]
        return pd.DataFrame(rows, columns=["player", "players", "p", "verdict", "culprit"])

    def _culprit(self, one: OfProfile) -> str:
        if one.agreement.verdict != "differs":
            return ""
        if one.agreement.culprits:
            return culprit_in_words(self.design, one.agreement.culprits[0])
        if one.agreement.within < one.agreement.speed and one.agreement.worst_level >= 0:
            return f"time in level {one.agreement.worst_level + self._start_level}"
        return "speed over all"

    @property
    def agrees(self) -> bool:
        """Whether no profile differs."""
        return all(one.agreement.verdict != "differs" for one in self.profiles)

    def __repr__(self) -> str:
        who = ", ".join(f"{one.name} {one.agreement.verdict}" for one in self.profiles)
        return f"<Observed {self.design.title!r}: {who}>"

    def _repr_html_(self) -> str:
        head = f"<p>{escape(repr(self))}</p>"
        return head + str(self.verdicts().to_html(index=False)) + str(self.pace().to_html(index=False))


_PACE = [
    "player", "level", "players", "seen", "ended", "hours_p50", "hours_p50_low", "hours_p50_high", "forecast_p50",
    "ratio", "ratio_low", "ratio_high",
]  # fmt: skip


def _pace_rows(one: OfProfile, start_level: int) -> list[tuple[Any, ...]]:
    rows = []
    for level in range(1, one.recorded.arrival.shape[1]):
        known = ~one.recorded.midway
        arrival, end = one.recorded.arrival[known, level], one.recorded.end[known]
        here = np.isfinite(arrival)
        found = median_of(np.where(here, arrival, end), here) if known.sum() >= FEWEST else None
        there = np.isfinite(one.cut.arrival[:, level])
        foreseen = median_of(np.where(there, one.cut.arrival[:, level], one.cut.end), there)
        rows.append(_row(one, level + start_level, int(here.sum()), int((~here).sum()), found, foreseen))
    return rows


def _in_level_rows(one: OfProfile, start_level: int) -> list[tuple[Any, ...]]:
    (times, done), (foreseen, finished) = time_in_levels(one.recorded), time_in_levels(one.cut)
    rows = []
    for level in range(times.shape[1]):
        here, there = np.isfinite(times[:, level]), np.isfinite(foreseen[:, level])
        seen = int(done[here, level].sum())
        found = median_of(times[here, level], done[here, level]) if here.sum() >= FEWEST else None
        wanted = median_of(foreseen[there, level], finished[there, level])
        rows.append(_row(one, level + start_level, seen, int(here.sum()) - seen, found, wanted))
    return rows


def _row(one: OfProfile, level: int, seen: int, ended: int, found: Median | None, foreseen: Median) -> tuple[Any, ...]:
    found = found or NOBODY_KNOWS
    hours = [value / HOUR for value in found]
    return (one.name, level, len(one.recorded), seen, ended, *hours, foreseen.value / HOUR, *ratio_of(found, foreseen))


def culprit_in_words(design: Design, culprit: Culprit) -> str:
    """Return what differs, and by how much."""
    if culprit.what == "pause":
        return f"pauses are {culprit.effect:.2f} times as long as designed"
    source = list(design.sources)[culprit.place]
    if culprit.what == "success":
        more = "more" if culprit.effect > 0 else "less"
        return f"{source} succeeds {abs(culprit.effect) * 100:.1f} times in 100 {more} often than designed{BESIDE}"
    return f"{source} takes {culprit.effect:.3f} times as long as designed{BESIDE}"


def observed(
    design: Design, log: Log, *, track: str | None = None, players: int = PLAYERS, seed: int = 0,
    executor: Executor | None = None, progress: Callable[[float], object] | None = None,
) -> Observed:  # fmt: skip
    """Hold what players did against the forecast, per profile.

    Simulated players are recorded by the same rules: clocked within sittings, cut off where the log of a recorded one
    ends, and they quit by the design. Players whose profile the log does not name are held, as "everyone", against all
    profiles by their shares.

    Args:
        design: the design.
        log: the log.
        track: the track whose levels are looked at (default: the main one).
        players: how many of each profile the forecast plays.
        seed: the seed of its draws.
        executor: where the log is gone through, in as many parts as it works on at once (default: here).
        progress: is called with the share that is done now and then.

    Raises:
        DataError: the log cannot be read.
        DesignError: the design is at fault.
        UnknownNameError: there is no such track.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> rm.observed(design, log).verdicts()["verdict"].tolist()
        ['agrees']
    """
    refuse_other_than_design(design)
    refuse_other_than_log(log)
    name = design.main_track_name if track is None else track
    design.track(name)
    place, profiles = design.track_order.index(name), list(design.profiles)
    recorded, span = seen_of_log(design, log, place, executor=executor), span_of_log(log)
    found, cells = [], {}
    forecasts: dict[str, Forecast] = {}
    for index, profile in enumerate(profiles):
        if (recorded.profiles == index).any():
            forecasts[profile] = Forecast(design, profile, players, seed, span, place)
            if _tells_of_encounters(log):
                cells[index] = forecasts[profile].cells(of_successes="success" in log.columns)
        if progress is not None:
            progress(0.6 * (index + 1) / len(profiles))
    if cells:
        recorded = seen_of_log(design, log, place, cells, executor)
    for index, (profile, forecast) in enumerate(forecasts.items()):
        mine = recorded.of(recorded.profiles == profiles.index(profile))
        cut = forecast.cut_like(mine, cells or None)
        found.append(OfProfile(profile, mine, forecast.whole(), cut, agreement(mine, cut, seed)))
        if progress is not None:
            progress(0.6 + 0.4 * (index + 1) / len(forecasts))
    unlabelled = recorded.of(recorded.profiles == UNKNOWN)
    if len(unlabelled) >= FEWEST:
        found.append(_of_everyone(design, unlabelled, players, seed, span, place))
    return Observed(design, log, name, found, seed, span)


def _of_everyone(design: Design, recorded: Seen, players: int, seed: int, span: Span, place: int) -> OfProfile:
    """Return what becomes of players of no profile that the log names: all profiles are played, by their shares."""
    counts = by_share(design, players)
    forecasts = [Forecast(design, name, count, seed, span, place) for name, count in counts.items() if count]
    whole = Seen.joined([one.whole() for one in forecasts])
    cut = Seen.joined([one.cut_like(recorded) for one in forecasts])
    return OfProfile(EVERYONE, recorded, whole, cut, agreement(recorded, cut, seed))


def _tells_of_encounters(log: Log) -> bool:
    return "source" in log.columns and ("success" in log.columns or "seconds" in log.columns)
