"""What encounters paid, beside what the design's multipliers could make of them at the level held."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError
from ramulus.formula.functions import Array
from ramulus.recorded.following import follow
from ramulus.recorded.rows import Ints
from ramulus.rules.counted import Rules, in_each_combination
from ramulus.rules.multipliers import hold_at_any_hour
from ramulus.rules.pay import paid
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.world import make_tracks

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.recorded.log import Log

MOST_TIMED = 6  # Rules that come and go, of which every set is tried.
MOST_KEPT = 4_000
NEARLY_ALL = 0.98
EXPLAINS = 0.95


@dataclass(frozen=True, eq=False)
class Tables:
    """The least and the most XP that a failure (0) and a success (1) pay, by profile, shape (P, 2, L, S) each."""

    low: Array
    high: Array

    @classmethod
    def of(cls, design: Design) -> Tables | None:
        """Return a design's; None where a store of time away makes awards that no table holds."""
        if design.away_bonus is not None or not design.sources or design.encounter is None:
            return None
        ends = [_of_profile(design, name) for name in design.profiles]
        return cls(np.stack([low for low, _ in ends]), np.stack([high for _, high in ends]))


def _of_profile(design: Design, profile: str) -> tuple[Array, Array]:
    tables = tabulated(design)
    one, columns, share = tables.profile(profile), tables.columns, float(design.encounters.failure.xp_share)
    shape = (2, len(columns.levels), len(design.sources))
    low, high = np.full(shape, np.inf), np.full(shape, -np.inf)
    least, most = (columns.spread([getattr(law, name) for law in tables.laws]) for name in ("low", "highest"))
    with np.errstate(invalid="ignore"):
        for on in _sets_of_rules(design):
            product = one.alone.product(on)
            for won, part in ((0, share), (1, None)):
                few, many = paid(design.awards, least, product, part), paid(design.awards, most, product, part)
                for source in range(len(design.sources)):
                    mine = columns.of([source])
                    low[won, :, source] = np.fmin(low[won, :, source], np.nanmin(few[:, mine], axis=1, initial=np.inf))
                    high[won, :, source] = np.fmax(
                        high[won, :, source], np.nanmax(many[:, mine], axis=1, initial=-np.inf)
                    )
    return low, high


def _sets_of_rules(design: Design) -> Iterator[Rules]:
    """Yield the sets of multipliers that may be on: each set of those that come and go, where they are few."""
    always = hold_at_any_hour(design)
    timed = [index for index, rule in enumerate(design.multipliers) if rule.timed]
    sizes = range(len(timed) + 1) if len(timed) <= MOST_TIMED else (0, 1, len(timed))
    for size in sizes:
        for some in itertools.combinations(timed, size):
            yield from in_each_combination(design, always | frozenset(some))


class Encounters(NamedTuple):
    """Encounters by place of profile, success, level and source, with the XP that they paid."""

    profile: Ints
    won: Ints
    level: Ints
    source: Ints
    xp: Array

    def of(self, which: NDArray[np.bool_]) -> Encounters:
        """Return some of them."""
        return Encounters(*(column[which] for column in self))

    def within(self, tables: Tables, half: float) -> NDArray[np.bool_]:
        """Return which of them some multipliers can make."""
        place = (self.profile, self.won, self.level, self.source)
        return (self.xp >= tables.low[place] - half) & (self.xp <= tables.high[place] + half)


@dataclass
class OfSource:
    """One source: its awards, how many the design can make, and sums of XP logged, of the least and of the most.

    Attributes:
        without: a multiplier without which nearly all of the others come out, or "".
    """

    source: str
    awards: int = 0
    fine: int = 0
    xp: float = 0.0
    low: float = 0.0
    high: float = 0.0
    without: str = ""

    @property
    def means(self) -> tuple[float, float, float]:
        """Means of what was logged, of the least, and of the most."""
        count = max(self.awards, 1)
        return self.xp / count, self.low / count, self.high / count

    @property
    def agrees(self) -> bool:
        """Whether the design makes nearly all of its awards."""
        return self.fine >= NEARLY_ALL * self.awards


def looked_at(design: Design, log: Log, tables: Tables) -> list[OfSource]:
    """Return what each source paid, beside what the design can make of it."""
    found = {place: OfSource(name) for place, name in enumerate(design.sources)}
    scale = int(design.derived(make_tracks).scale[0])
    half = 0.5 / scale
    strange: list[Encounters] = []
    for batch in log.batches():
        rows, at = batch.rows, batch.encounters
        at = at[rows.success[at] >= 0]
        level = follow(design, batch, log.longest_pause).before[at].astype(np.int64)
        profile = np.maximum(batch.profiles, 0)[batch.owner[at]].astype(np.int64)
        some = Encounters(
            profile, rows.success[at].astype(np.int64), level, rows.source[at].astype(np.int64), rows.units[at] / scale
        )
        fine = some.within(tables, half)
        place = (some.profile, some.won, some.level, some.source)
        for source, one in found.items():
            mine = some.source == source
            one.awards += int(mine.sum())
            one.fine += int(fine[mine].sum())
            one.xp += float(some.xp[mine].sum())
            one.low += float(tables.low[place][mine].sum())
            one.high += float(tables.high[place][mine].sum())
        if sum(len(part.xp) for part in strange) < MOST_KEPT:
            strange.append(some.of(~fine))
    _explain(design, [one for one in found.values() if not one.agrees], strange, half)
    return [one for one in found.values() if one.awards]


def _explain(design: Design, some: list[OfSource], strange: list[Encounters], half: float) -> None:
    """Note the multiplier that a game leaves out, where that explains what it paid."""
    if not some:
        return
    rows = Encounters(*(np.concatenate(columns) for columns in zip(*strange, strict=True)))
    names = list(design.sources)
    data = design.to_dict()
    for index, rule in enumerate(design.multipliers):
        left = [one for place, one in enumerate(data["multipliers"]) if place != index]
        try:
            tables = Tables.of(type(design).from_dict({**data, "multipliers": left}, file=design.file))
        except RamulusError:
            continue
        if tables is None:
            return
        for one in some:
            mine = rows.of(rows.source == names.index(one.source))
            if len(mine.xp) and not one.without and mine.within(tables, half).mean() >= EXPLAINS:
                one.without = rule.name
