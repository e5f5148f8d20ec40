"""The search for numbers that meet the goals, in a thread of its own: how far it is, what it found, and its end."""

from __future__ import annotations

import asyncio
import math
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any

from ramulus.errors import DataError, RamulusError
from ramulus.tuning import tune

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.tuning.trials import TrialProgress
    from ramulus.tuning.tuning import Tuning


class StoppedError(Exception):
    """The search is not wanted any more."""


class Tuner:
    """One search at a time.

    Args:
        players: of each profile that has a goal.
        seed: of every draw.
        tell: is called, from any thread, when there is something new to be told.

    Attributes:
        at_work: is held while a search goes on.
    """

    def __init__(self, players: int, seed: int, tell: Callable[[], None]) -> None:
        self._players, self._seed, self._tell = max(players, 15), seed, tell
        self.at_work = threading.Lock()
        self._stop = threading.Event()
        self._going: str | None = None
        self._found: dict[str, Any] | None = None

    def told(self) -> dict[str, Any] | None:
        """Return how far a search is, or what the last one found; None where there was none."""
        return {"going": self._going} if self._going is not None else self._found

    def stop(self) -> None:
        """End the search after the run that is being played."""
        self._stop.set()

    async def find(self, design: Design, names: list[str], loop: asyncio.AbstractEventLoop) -> dict[str, float]:
        """Return the numbers that were found, by place; none where the search was ended.

        Raises:
            RamulusError: a search goes on, there are no goals, or no number stands there.
        """
        if self._going is not None:
            raise DataError("numbers are being looked for already")
        self._going, self._found = "playing", None
        self._stop.clear()
        self._tell()
        hand = ThreadPoolExecutor(1, thread_name_prefix="tuner")
        try:
            tuning = await loop.run_in_executor(hand, self._search, design, names)
            self._found = _told(tuning)
            return {name: float(value) for name, value in tuning.changed.items()}
        except StoppedError:
            self._found = {"stopped": True}
            return {}
        except RamulusError as error:
            self._found = {"refused": str(error).splitlines()[0]}
            raise
        finally:
            self._going = None
            hand.shutdown(wait=False)
            self._tell()

    def _search(self, design: Design, names: list[str]) -> Tuning:
        def beat(at: TrialProgress) -> None:
            if self._stop.is_set():
                raise StoppedError
            of = "" if at.runs is None else f" of {at.runs}"
            self._going = f"{at.doing}, {at.runs_done}{of} runs"
            self._tell()

        with self.at_work:
            return tune(design, names, players=self._players, seed=self._seed, progress=beat)


def _told(tuning: Tuning) -> dict[str, Any]:
    values = [{name: _plain(value) for name, value in row.items()} for row in tuning.values.to_dict(orient="records")]
    rows = tuning.goals.to_dict(orient="records")
    goals = [{name: _plain(row[name]) for name in ("goal", "player", "verdict_before", "verdict")} for row in rows]
    return {"values": values, "goals": goals, "notes": list(tuning.notes)}


def _plain(value: Any) -> Any:
    """Return a cell as JSON takes it."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    return bool(value) if type(value).__name__ == "bool_" else value
