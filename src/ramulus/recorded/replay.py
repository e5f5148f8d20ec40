"""Recorded awards through the ledger: whether a game does what the design says, and what it does instead."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from functools import partial
from html import escape
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import DataError, refuse_other_than_design, refuse_other_than_log
from ramulus.game.idle import idle_mistakes
from ramulus.game.mistakes import MISTAKES
from ramulus.game.pack import TrackPack
from ramulus.game.packing import track_pack
from ramulus.recorded.award_rows import OfSource, Tables, looked_at
from ramulus.recorded.gathering import Gathered, gathered
from ramulus.recorded.log import Log
from ramulus.recorded.parts import over_parts
from ramulus.recorded.patched import Explained, patched
from ramulus.recorded.steps import Judge, Steps, as_designed, in_words, steps_in
from ramulus.recorded.taking import states_after
from ramulus.recorded.tried import AS_DESIGNED, OfTrack, Rule, more_than_chance
from ramulus.recorded.unseen import judged_unseen, unseen_in
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design

LOOKED_AT = 2_500  # Steps that differ, and as many that do not, on which rule sets are tried.
SECOND = 5  # Awards that a second mistake must explain beyond the first.
PAIRS_ON = 600
Tried = dict[tuple[str, ...], Explained]


class Replay:
    """What came of taking a log through the ledger.

    Attributes:
        design: the design.
        log: the log.
        tracks: each track's part.
        awards_by_source: what awards should have been, where the log has sources and successes.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> found = rm.replay(design, log)
        >>> found
        <Replay 'Canopy Wardens': warden: as designed, grafting: as designed>
    """

    def __init__(self, design: Design, log: Log, tracks: list[OfTrack], by_source: list[OfSource]) -> None:
        self.design, self.log, self.tracks, self.by_source = design, log, tracks, by_source

    def rules(self) -> pd.DataFrame:
        """Return the rule sets that were tried, the design's first.

        Returns:
            A row a track and rule: `track`, `rule` ("as designed", or the codes of mistakes), `players` who have an
            award that it does not explain, `awards`, how many there are, `explained`, how many of them come out as
            logged, and `first_difference` from the design, in words. Of rules other than the design's, `explained` is
            scaled up from 2,500 awards that differ and as many that do not, and `players` are those among them.
        """
        import pandas as pd

        rows = [
            (one.name, rule.name, rule.players, one.awards, rule.explained, one.first if not rule.mistakes else "")
            for one in self.tracks for rule in one.rules
        ]  # fmt: skip
        return pd.DataFrame(rows, columns=["track", "rule", "players", "awards", "explained", "first_difference"])

    def awards(self) -> pd.DataFrame:
        """Return what sources paid, beside what the design says they could at the level held.

        Returns:
            A row a source: `source`, `awards`, `as_designed`, the share of them that multipliers can make, `xp`, the
            mean logged, `low` and `high`, the means of the least and the most that the design makes of them.
        """
        import pandas as pd

        rows = [(one.source, one.awards, one.fine / max(one.awards, 1), *one.means) for one in self.by_source]
        return pd.DataFrame(rows, columns=["source", "awards", "as_designed", "xp", "low", "high"])

    @property
    def agrees(self) -> bool:
        """Whether the game does what the design says."""
        return not any(one.differs for one in self.tracks) and all(one.agrees for one in self.by_source)

    def __repr__(self) -> str:
        rules = ", ".join(f"{one.name}: {one.others[0].name if one.others else AS_DESIGNED}" for one in self.tracks)
        return f"<Replay {self.design.title!r}: {rules}>"

    def _repr_html_(self) -> str:
        return f"<p>{escape(repr(self))}</p>" + str(self.rules().to_html(index=False))


def replay(
    design: Design, log: Log, *, executor: Executor | None = None, progress: Callable[[float], object] | None = None
) -> Replay:  # fmt: skip
    """Take every player's awards through the ledger.

    Each award is judged from the logged state before it, so that a row that is lost or comes twice costs one award and
    not the player. Where the log has levels and no XP inside them, XP is carried along.

    Args:
        design: the design.
        log: the log.
        executor: where awards are judged, in as many parts of the log as it works on at once (default: here).
        progress: is called with the share that is done now and then.

    Raises:
        DataError: the log cannot be read, or tells neither levels nor XP in all.
        DesignError: the design is at fault.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> rm.replay(design, log).agrees
        True
    """
    refuse_other_than_design(design)
    refuse_other_than_log(log)
    if "level" not in log.columns:
        raise DataError(f"{log.origin.said}: replay needs the level after each award; there is no column 'level'")
    found = []
    for place, name in enumerate(design.track_order):
        found.append(_of_track(design, log, place, name, executor))
        if progress is not None:
            progress(0.8 * (place + 1) / len(design.track_order))
    tables = Tables.of(design)
    by_source = looked_at(design, log, tables) if "source" in log.columns and tables is not None else []
    return Replay(design, log, [one for one in found if one.awards], by_source)


def _of_track(design: Design, log: Log, place: int, name: str, executor: Executor | None) -> OfTrack:
    pack = track_pack(tabulated(design).track(name))
    one = OfTrack(name, levels_only=not {"xp_in_level", "total_xp"} & set(log.columns))
    if one.levels_only:
        return judged_unseen(one, pack, unseen_in(design, log.batches(), place, LOOKED_AT * 5))
    parts = over_parts(log, partial(gathered, design, place, LOOKED_AT), executor)
    found = Gathered.joined(parts, LOOKED_AT) if parts else None
    if found is None or not found.awards:
        return one
    one.awards, one.from_outside, one.differing = found.awards, found.from_outside, len(found.wrong.units)
    one.players, one.differing_players = len(found.players), len(np.unique(found.wrong.player))
    _tell(one, pack, found.wrong, found.right)
    if more_than_chance(one.differing, one.awards) and log.settings.level_is == "after":
        one.reads_before = _vanishes_before(design, log, place, one)
    return one


def _thinned(steps: Steps, most: int) -> Steps:
    return steps.of(np.arange(len(steps.units))[:: max(len(steps.units) // most, 1)])


def _tell(one: OfTrack, pack: TrackPack, wrong: Steps, right: Steps) -> None:
    """Note which rule sets explain most, the design's first, and the first difference."""
    one.rules = [Rule((), one.awards - one.differing, one.differing_players)]
    if not one.differing:
        return
    order = np.argsort(wrong.time, kind="stable")
    one.first = in_words(pack, wrong.of(order[:1]))
    seen = _thinned(wrong.of(order), LOOKED_AT)  # From all of the log: a rule may have changed on the way.
    scale, kept = one.differing / len(seen.units), (one.awards - one.differing) / max(len(right.units), 1)
    idle = idle_mistakes(pack)
    singles: list[tuple[str, ...]] = [(code,) for code in MISTAKES if code not in idle]
    of_seen, of_right = Judge(pack, seen), Judge(pack, right)
    tried: Tried = {}

    def score_of(codes: tuple[str, ...]) -> float:
        if codes not in tried:
            tried[codes] = (of_seen.explains(codes), of_right.explains(codes))
        return _score(tried[codes], scale, kept)

    best = max(singles, key=score_of)
    much = score_of(best) > one.awards - one.differing + 0.5 * one.differing
    if much and score_of(best) < one.awards:
        pairs = [(*first, *second) for first, second in combinations(singles, 2) if best in (first, second)]
        if max(map(score_of, pairs)) < score_of(best) + SECOND:
            for codes in pairs:
                tried.pop(codes)
    # One that explains most may still stand in for two others.
    if not much or more_than_chance(one.awards - max(map(score_of, tried)), one.awards):
        for codes in _pairs_that_fit(pack, singles, _thinned(seen, PAIRS_ON), _thinned(right, PAIRS_ON)):
            score_of(codes)
    one.rules += _kept(one, tried, seen, scale, kept)
    one.patch = patched(one.rules[0].explained, one.awards, tried, seen, right, scale, kept)


def _pairs_that_fit(
    pack: TrackPack, singles: list[tuple[str, ...]], wrong: Steps, right: Steps
) -> Iterator[tuple[str, ...]]:  # fmt: skip
    """Yield the pairs of mistakes that explain most of some awards, and break none."""
    of_right, of_wrong = Judge(pack, right), Judge(pack, wrong)
    for one, two in combinations(singles, 2):
        codes = (*one, *two)
        if of_right.explains_all(codes) and of_wrong.explains_most(codes):
            yield codes


def _score(pair: Explained, scale: float, kept: float) -> float:
    """Return how many awards a rule set explains: of those that differ, and of those that do not."""
    return float(pair[0].sum() * scale + pair[1].sum() * kept)


def _kept(one: OfTrack, tried: Tried, seen: Steps, scale: float, kept: float) -> list[Rule]:
    """Return the rule sets that explain as many awards as the best, fewest mistakes first; none that is worse."""
    scores = {codes: _score(pair, scale, kept) for codes, pair in tried.items()}
    best = max(scores.values(), default=0.0)
    if best <= one.rules[0].explained:
        return []
    slack = max(1.0, 0.02 * (one.awards - best))
    near = [codes for codes, score in scores.items() if score >= best - slack]
    near.sort(key=lambda codes: (len(codes), -scores[codes]))
    fewest = len(near[0])
    return [
        Rule(codes, round(scores[codes]), len(np.unique(seen.player[~tried[codes][0]])))
        for codes in near if len(codes) == fewest
    ]  # fmt: skip


def _vanishes_before(design: Design, log: Log, place: int, one: OfTrack) -> bool:
    """Return whether nearly all differences vanish where levels are read as before each award."""
    left = 0
    for batch in log.batches():
        shifted = batch._replace(rows=states_after(batch.rows, batch.starts))
        steps = steps_in(design, shifted, place)
        left += int((~as_designed(design, steps, place)).sum())
    return left < 0.1 * one.differing
