"""Which levels drag, in words for figures."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from ramulus.plots.labels import shortened

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult

MOST_NAMED = 2
STANDS_OUT = 1.5  # Times the mean of its neighbours.


class Drag(NamedTuple):
    """A level that is long beside its neighbours: which, its median hours where it is longest, and words."""

    level: int
    hours: float
    words: str


def drags_of(result: SimulationResult, track: str | None = None) -> list[Drag]:
    """Return the levels that stand out for some profile, each once."""
    slowest, found = result.slowest(track).set_index("player"), []
    for level, rows in slowest[slowest["times"] > STANDS_OUT].groupby("drags_level"):
        times = rows["times"]
        much = f"{times.min():.1f}" if times.max() - times.min() < 0.05 else f"{times.min():.1f} to {times.max():.1f}"
        named = (
            ", ".join(map(str, rows.index)) if len(rows) <= MOST_NAMED else f"{len(rows)} of {len(slowest)} profiles"
        )
        whom = "" if len(rows) == len(slowest) else f" ({shortened(named, 30)})"
        words = f"level {level:g} takes {much} times as long as its neighbours{whom}"
        found.append(Drag(int(str(level).split(".")[0]), float(rows["drags_hours"].max()), words))
    return found
