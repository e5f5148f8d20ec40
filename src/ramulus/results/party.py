"""Parties: members who share every encounter, the weak ones catching up with the leader."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import refuse_other_than_design
from ramulus.results.pace import QUANTILES
from ramulus.rules.xp_units import in_xp
from ramulus.simulation.in_flight import Progress
from ramulus.simulation.parties import PlayedParties, play_parties

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


class PartyRun:
    """How parties went, encounter by encounter.

    Attributes:
        design: the design.
        played: what was counted, in numbers.
        seed: the seed.

    Examples:
        >>> import ramulus as rm
        >>> run = rm.play_party(rm.demo_design(), encounters=40, parties=20)
        >>> run.caught_up().columns.tolist()
        ['party', 'even_after', 'even_hours', 'close_after', 'close_hours']
    """

    def __init__(self, design: Design, played: PlayedParties, seed: int) -> None:
        self.design, self.played, self.seed = design, played, seed

    @property
    def members(self) -> tuple[str, ...]:
        """The members' names."""
        return self.played.members

    @property
    def parties(self) -> int:
        """How many parties were played."""
        return self.played.parties

    def levels(self) -> pd.DataFrame:
        """Return the members' levels over all parties.

        Returns:
            A row an encounter (0 is the start) and member: `encounter`, `member`, `hours_p50`, the median of played
            hours by then, and `level_p10`, `level_p50`, `level_p90`. A party that has ended stays as it was.
        """
        import pandas as pd

        levels = _quantiles(self.played.levels)
        hours = _quantiles(self.played.hours)[50]
        steps, members = levels[50].shape
        columns = {
            "encounter": np.repeat(np.arange(steps), members),
            "member": np.tile(np.array(self.members, dtype=object), steps),
            "hours_p50": np.repeat(hours, members),
        }
        return pd.DataFrame({**columns, **{f"level_p{q}": levels[q].ravel() for q in QUANTILES}})

    def caught_up(self) -> pd.DataFrame:
        """Return when each party's members have caught up.

        Returns:
            A row a party: `party`; `even_after` encounters all members are first on one level, and `even_hours` at
            how many played hours; `close_after` and `close_hours`, the same for levels within one of each other. Not
            a number where it never came to that.
        """
        import pandas as pd

        width = np.ptp(self.played.levels, axis=2)
        table: dict[str, NDArray[np.float64] | NDArray[np.int64]] = {"party": np.arange(self.parties)}
        for name, within in (("even", 0), ("close", 1)):
            ever = (width <= within).any(axis=1)
            first = (width <= within).argmax(axis=1)
            table[f"{name}_after"] = np.where(ever, first, np.nan)
            table[f"{name}_hours"] = np.where(ever, self.played.hours[np.arange(self.parties), first], np.nan)
        return pd.DataFrame(table)

    def quits(self) -> pd.DataFrame:
        """Return the members who quit, over all parties.

        Returns:
            A row a member: `member`, `share` of the parties in which it quit before they ended, `by_day` and
            `impatient`, the shares by reason, and `encounters_p50` and `hours_p50`, the median of those who quit.
        """
        import pandas as pd

        log, rows = self.played.log, []
        for index, member in enumerate(self.members):
            gone = log.quit[:, index] >= 0
            impatient = log.impatient[:, index] & gone
            after, hours = np.sort(log.quit[gone, index]), np.sort(log.quit_clock[gone, index]) / 3600
            middle = (len(after) - 1) // 2
            medians = (float(after[middle]), float(hours[middle])) if len(after) else (np.nan, np.nan)
            rows.append((member, gone.mean(), (gone & ~impatient).mean(), impatient.mean(), *medians))
        columns = ["member", "share", "by_day", "impatient", "encounters_p50", "hours_p50"]
        return pd.DataFrame(rows, columns=columns)

    def awards(self, party: int = 0) -> pd.DataFrame:
        """Return everything that one party was awarded.

        Returns:
            A row an encounter and member, those of the start first: `encounter`, `hours`, `source` and `leader` (empty
            at the start), `member`, `award` in XP, `cut`, XP taken off to hold the member below the leader, `level`
            and `xp` afterwards.
        """
        import pandas as pd

        played, log = self.played, self.played.log
        rows = slice(0, int(log.played[party]) + 1)
        level = log.level[party, rows]
        steps, members = level.shape
        sources = np.array([*played.sources, ""], dtype=object)[log.source[party, rows]]
        leaders = np.array([*played.members, ""], dtype=object)[log.leader[party, rows]]
        return pd.DataFrame({
            "encounter": np.repeat(np.arange(steps), members),
            "hours": np.repeat(log.clock[party, rows] / 3600, members),
            "source": np.repeat(sources, members),
            "leader": np.repeat(leaders, members),
            "member": np.tile(np.array(self.members, dtype=object), steps),
            "award": in_xp(log.award[party, rows].ravel(), played.scale),
            "cut": in_xp(log.cut[party, rows].ravel(), played.scale),
            "level": level.ravel().astype(np.int64) + played.start_level,
            "xp": in_xp(log.xp[party, rows].ravel(), played.scale),
        })  # fmt: skip

    def overtakings(self) -> list[tuple[str, str, int, int]]:
        """Return the members who passed the leader by an award that the leader's level had raised.

        Returns:
            For each such member: its name, the leader's, its level and after how many encounters, the soonest of all
            parties.
        """
        log, found = self.played.log, []
        leader = np.maximum(log.leader, 0)[:, :, None]
        lead_level = np.take_along_axis(log.level, leader, axis=2)
        lead_xp = np.take_along_axis(log.xp, leader, axis=2)
        ahead = (log.level > lead_level) | ((log.level == lead_level) & (log.xp > lead_xp))
        passed = ahead & (log.boost - log.cut > 0) & (log.award > 0)
        for index, member in enumerate(self.members):
            party, encounter = np.nonzero(passed[:, :, index])
            if len(party):
                first = int(encounter.argmin())
                where = (party[first], encounter[first])
                level = int(log.level[where][index]) + self.played.start_level
                found.append((member, self.members[int(log.leader[where])], level, int(where[1])))
        return found

    def __repr__(self) -> str:
        return f"<PartyRun {self.design.title!r}: {', '.join(self.members)}; {self.parties} parties, seed {self.seed}>"

    def _repr_html_(self) -> str:
        return str(self.levels().to_html(index=False, float_format="{:.3g}".format))


def _quantiles(values: NDArray[np.int64] | NDArray[np.float64]) -> dict[int, NDArray[np.float64]]:
    """Return p10, p50 and p90 over parties: the smallest value that at least the share is at or below."""
    ordered = np.sort(values, axis=0)
    ranks = {q: max(int(np.ceil(len(values) * q / 100 - 1e-9)), 1) for q in QUANTILES}
    return {q: ordered[rank - 1] for q, rank in ranks.items()}


def play_party(
    design: Design, encounters: int = 200, *, parties: int = 400, seed: int = 0, until_even: bool = False,
    executor: Executor | None = None, progress: Callable[[Progress], object] | None = None,
) -> PartyRun:  # fmt: skip
    """Play the design's party many times through shared encounters.

    Args:
        design: the design; it needs a party, sources and the time of an encounter.
        encounters: how many encounters at most.
        parties: how many parties to play.
        seed: the seed of every random draw.
        until_even: stop a party when all its members have the same level.
        executor: where parties are played (default: threads, one a processor).
        progress: is called with a `Progress` of parties now and then.

    Raises:
        MissingPartError: a part is missing.
        DesignError: the design is at fault.
        RamulusError: the sizes are not allowed.

    Examples:
        >>> import ramulus as rm
        >>> run = rm.play_party(rm.demo_design(), encounters=40, parties=20)
        >>> run.levels()["level_p50"].iloc[:2].tolist()
        [12, 1]
    """
    refuse_other_than_design(design)
    played = play_parties(
        design, encounters, parties, seed, until_even=until_even, executor=executor, progress=progress
    )
    return PartyRun(design, played, seed)
