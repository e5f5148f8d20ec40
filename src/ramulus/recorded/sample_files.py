"""A log as a game would write it, made up from a design: to try everything before there is a game."""

from __future__ import annotations

import importlib.util
import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from ramulus.design import refuse_strange_ending, written_whole
from ramulus.design.calendar import WEEKDAYS
from ramulus.errors import DataError, RamulusError, refuse_other_than_design
from ramulus.recorded.query import design_hash
from ramulus.recorded.rows import UNKNOWN, Batch
from ramulus.recorded.sampling import DAY, Habits, first_midnight, people, sampled
from ramulus.results.simulate import by_share
from ramulus.rules.schedule import MICROS, schedules_of
from ramulus.simulation.world import make_tracks

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design

ENDINGS = (".parquet", ".csv", ".jsonl")


@dataclass(frozen=True)
class Made:
    """How many awards and players a log that was made up has."""

    awards: int
    players: int


def sample_log(
    design: Design, path: str | os.PathLike[str] | None = None, *, players: int | Mapping[str, int] = 500,
    days: int = 60, seed: int = 0, faults: float = 0.0, meals: float = 0.1, labelled: bool = True,
    progress: Any = None,
) -> pd.DataFrame | Made:  # fmt: skip
    """Make up a log as a game would write it, played from a design.

    Who would quit is gone from then on, the end of the log cuts off all others, and times are whole seconds. Abilities
    and weeks are drawn, as people have them; the first players of a simulation take them in turn.

    Args:
        design: the design.
        path: where to write it, as Parquet, CSV or JSON Lines by its ending; None: return it.
        players: how many of the population by the profiles' shares, or a number for each profile by name.
        days: how many calendar days the log is long.
        seed: the seed of every draw.
        faults: the share of rows that is lost, and the share that comes twice, as in real logs: 0.001, say.
        meals: the share of play days that a pause of 40 to 80 minutes breaks.
        labelled: whether rows say of which profile their player is.
        progress: is called with the share that is done now and then.

    Returns:
        The rows, or, where they are written, how many there are.

    Raises:
        DataError: the ending is no log's, or the file cannot be written.
        DesignError: the design is at fault.

    Examples:
        >>> import ramulus as rm
        >>> rows = rm.sample_log(rm.demo_design(), players={"steady": 5}, days=3)
        >>> rows.columns[:4].tolist()
        ['player', 'time', 'profile', 'track']
    """
    import pandas as pd

    refuse_other_than_design(design)
    if days < 1 or not 0 <= faults < 1 or not 0 <= meals <= 1:
        raise RamulusError(f"{days} days, faults {faults:g}, meals {meals:g}; allowed: 1 day or more, 0 … 1 for shares")
    counts = _counts(design, players)
    tables = _tables(design, counts, days, seed, faults, meals, labelled, progress)
    if path is None:
        return pd.concat(list(tables), ignore_index=True)
    ending = refuse_strange_ending(Path(path), "log", ENDINGS)
    return _written(tables, Path(path), ending)


def _tables(
    design: Design, counts: Mapping[str, int], days: int, seed: int, faults: float, meals: float, labelled: bool,
    progress: Any,
) -> Iterator[pd.DataFrame]:  # fmt: skip
    """Yield the log, some players at a time."""
    name, done, habits = design_hash(design), 0, Habits(meals)
    chance = np.random.default_rng([seed, 0x106])
    for profile, count in counts.items():
        hours = hours_in(design, profile, days, habits)
        for some in sampled(design, profile, people(count, profile, seed), seed, hours, habits):
            batch = some.batch
            stays = some.clock <= np.repeat(some.quit_clock, np.diff(batch.starts))
            stays &= batch.rows.time < first_midnight(WEEKDAYS.index(design.starts_on)) + days * DAY
            table = _table(design, batch, profile if labelled else "", name)[stays]
            done += batch.players
            if progress is not None:
                progress(done / sum(counts.values()))
            yield _with_faults(table, faults, chance)


def hours_in(design: Design, profile: str, days: int, habits: Habits) -> float:
    """Return the most hours that players of a profile play in some calendar days."""
    schedules = schedules_of(design, design.profile(profile))
    if not schedules:
        return days * habits.hours_a_day
    most = max(int(one.play_days_until(np.asarray(days + 7))) for one in schedules)
    return most * schedules[0].day / MICROS / 3600


def _table(design: Design, batch: Batch, profile: str, name: str) -> pd.DataFrame:
    """Return rows under the names that a log has by default."""
    import pandas as pd

    rows, tracks = batch.rows, design.derived(make_tracks)
    scale = tracks.scale[rows.track]
    starts = np.array([design.track(track).start_level for track in design.track_order])
    told = rows.level != UNKNOWN
    ids = np.array([f"{int(key) & 0xFFFFFFFFFFFF:012x}" for key in batch.keys], dtype=object)
    columns: dict[str, Any] = {
        "player": np.repeat(ids, np.diff(batch.starts)),
        "time": pd.to_datetime(np.floor(rows.time), unit="s", utc=True),
    }
    if profile:
        columns["profile"] = pd.Categorical.from_codes(np.zeros(len(rows.time), np.int8), [profile]).astype(str)
    if len(design.track_order) > 1:
        columns["track"] = np.array(design.track_order, dtype=object)[rows.track]
    columns |= {
        "source": np.array(list(design.sources), dtype=object)[rows.source],
        "success": rows.success == 1,
        "xp": rows.units / scale,
        "level": pd.array(np.where(told, rows.level + starts[rows.track], 0), dtype="Int64"),
        "xp_in_level": np.where(told, rows.xp / scale, np.nan),
        "seconds": np.round(rows.seconds, 1),
    }
    columns["level"][~told] = pd.NA
    if (scale == 1).all():
        columns["xp"] = rows.units
        columns["xp_in_level"] = pd.array(np.where(told, rows.xp, 0), dtype="Int64")
        columns["xp_in_level"][~told] = pd.NA
    if name:
        columns["design"] = name
    return pd.DataFrame(columns)


def _with_faults(table: pd.DataFrame, share: float, chance: np.random.Generator) -> pd.DataFrame:
    """Return rows of which some are lost, and some come twice."""
    if not share:
        return table
    times = np.ones(len(table), np.int64)
    drawn = chance.random(len(table))
    times[drawn < share] = 0
    times[drawn > 1 - share] = 2
    return table.iloc[np.repeat(np.arange(len(table)), times)]


def _written(tables: Iterator[pd.DataFrame], path: Path, ending: str) -> Made:
    awards, players = 0, 0
    try:
        with written_whole(path) as part:
            kinds: dict[str, type[_Writer]] = {".parquet": _Parquet, ".csv": _Csv, ".jsonl": _Lines}
            writer = kinds[ending](part)
            try:
                for table in tables:
                    awards += len(table)
                    players += table["player"].nunique()
                    writer.write(table)
            finally:
                writer.close()
    except OSError as error:
        raise DataError(f"{path}: cannot be written ({error.strerror or error})") from None
    return Made(awards, players)


class _Writer(Protocol):
    def __init__(self, path: Path) -> None: ...

    def write(self, table: pd.DataFrame) -> None: ...

    def close(self) -> None: ...


class _Parquet:
    def __init__(self, path: Path) -> None:
        if importlib.util.find_spec("pyarrow") is None:
            raise DataError("a Parquet file needs Arrow; python -m pip install 'ramulus[recorded]', or write .csv")
        self._path = path
        self._writer: Any = None

    def write(self, table: pd.DataFrame) -> None:
        import pyarrow as pa
        import pyarrow.parquet as pq

        rows = pa.Table.from_pandas(table, preserve_index=False)
        if self._writer is None:
            self._writer = pq.ParquetWriter(self._path, rows.schema, compression="zstd")
        self._writer.write_table(rows)

    def close(self) -> None:
        if self._writer is not None:
            self._writer.close()


class _Csv:
    def __init__(self, path: Path) -> None:
        self._file = path.open("w", encoding="utf-8", newline="")
        self._head = True

    def write(self, table: pd.DataFrame) -> None:
        table.to_csv(self._file, index=False, header=self._head, date_format="%Y-%m-%dT%H:%M:%SZ", lineterminator="\n")
        self._head = False

    def close(self) -> None:
        self._file.close()


class _Lines:
    def __init__(self, path: Path) -> None:
        self._file = path.open("w", encoding="utf-8", newline="")

    def write(self, table: pd.DataFrame) -> None:
        told = table.assign(time=table["time"].dt.strftime("%Y-%m-%dT%H:%M:%SZ"))
        self._file.write(told.to_json(orient="records", lines=True))

    def close(self) -> None:
        self._file.close()


def _counts(design: Design, players: int | Mapping[str, int]) -> Mapping[str, int]:
    if not isinstance(players, int):
        return dict(players)
    return by_share(design, players) if design.players else dict.fromkeys(design.profiles, players)
