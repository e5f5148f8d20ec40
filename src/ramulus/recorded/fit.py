"""Who the players are, in the numbers of a profile: read off a log, with intervals, and refused rather than wrong."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from html import escape
from typing import TYPE_CHECKING

from ramulus.errors import refuse_other_than_design, refuse_other_than_log
from ramulus.recorded.estimates import Estimate
from ramulus.recorded.kinds import Kind, Kinds
from ramulus.recorded.observed import Observed, observed
from ramulus.recorded.profile_fits import FORECAST, ProfileFits, with_estimates

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.recorded.log import Log

REFUSED_BELOW = 0.01
_OF_KINDS = ("share", "seconds_between", "spread")
_COLUMNS = ["name", "before", "after", "low", "high", "from", "determined"]


class Fit:
    """The numbers of profiles that a log tells.

    Attributes:
        design: the design with the numbers that the log pins down to be others; where it may be what the design says,
            that stays.
        estimates: every number that was looked at.
        refused: why this design cannot have made the log, or None.
        held: the fitted design held against the log.
        not_told: what the log cannot tell, and why, by place.
        found_kinds: kinds of the players whose profile the log does not name, by their pauses; None where it names all.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> rm.fit(design, log).refused is None
        True
    """

    def __init__(
        self,
        design: Design,
        estimates: list[Estimate],
        not_told: Mapping[str, str],
        held: Observed,
        refused: str | None,
        found_kinds: Kinds | None = None,
    ) -> None:
        self.design, self.estimates, self.not_told = design, estimates, dict(not_told)
        self.held, self.refused, self.found_kinds = held, refused, found_kinds

    def table(self) -> pd.DataFrame:
        """Return every number that was looked at.

        Returns:
            A row a number: `name`, its place; `before`, in the design; `after`, with its 95 % interval `low` and
            `high`; `from`, the columns that it is read off; `determined`, whether the log pins it down.
        """
        import pandas as pd

        return pd.DataFrame([tuple(one) for one in self.estimates], columns=_COLUMNS)

    def kinds(self) -> pd.DataFrame:
        """Return the kinds of players whose profile the log does not name.

        Returns:
            A row a kind, by rising pause: `kind`; `players`, about how many; `share`, `seconds_between` (s) and
            `spread`, each with its 95 % interval `…_low` and `…_high`; `nearest`, the profile of the nearest pause.
        """
        import pandas as pd

        columns = ["kind", "players", *(f"{key}{end}" for key in _OF_KINDS for end in ("", "_low", "_high")), "nearest"]
        rows = [
            (place, one.players, *one.share, *one.seconds_between, *one.spread, self._nearest(one))
            for place, one in enumerate(self.found_kinds.kinds if self.found_kinds else (), 1)
        ]
        return pd.DataFrame(rows, columns=columns)

    def _nearest(self, kind: Kind) -> str:
        pauses = {name: float(player.seconds_between) for name, player in self.design.profiles.items()}
        far = {name: abs(math.log(pause / kind.seconds_between[0])) for name, pause in pauses.items() if pause > 0}
        return min(far, key=lambda name: far[name], default="")

    def __repr__(self) -> str:
        word = (
            f"refused: {self.refused}" if self.refused else f"{sum(one.determined for one in self.estimates)} numbers"
        )
        return f"<Fit {self.design.title!r}: {word}>"

    def _repr_html_(self) -> str:
        return f"<p>{escape(repr(self))}</p>" + str(self.table().to_html(index=False))


def fit(
    design: Design, log: Log, *, traits: bool = False, seed: int = 0,
    progress: Callable[[float], object] | None = None,
) -> Fit:  # fmt: skip
    """Read the numbers of the profiles off a log.

    Pause and `spread` from players' own pauses, `variation` from times of one player at one source and level, a trait
    from each player's own likelihood, `pursuit` from what was met, hours and days from the calendar, `stays` by Kaplan
    and Meier, `quit_chance_per_play_day` from the days after which somebody was gone, `share` from counts. Where no
    time of an encounter was logged, pause, `spread` and `pursuit` are those with which simulated players, cut off as
    the log is, take as long in their levels; a trait stays as designed there, unless it is asked for. The fitted design
    is then held against the log: where it differs at p below .01, it is refused, and so it is where pauses tell of
    several kinds of players under one name.

    Args:
        design: the design; the profiles that its players are of.
        log: the log, with its profiles named.
        traits: whether the mean of a trait is to be looked for by hours too, where no time of an encounter was logged:
            it comes out known to a third or so, and the other numbers less well beside it.
        seed: of the forecasts that it is held against.
        progress: is called with the share that is done now and then.

    Raises:
        DataError: the log cannot be read.
        DesignError: the design is at fault.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> found = rm.fit(design, log)
        >>> found.table().columns[:4].tolist()
        ['name', 'before', 'after', 'low']
    """
    refuse_other_than_design(design)
    refuse_other_than_log(log)
    work = ProfileFits(design, log, seed, traits=traits)
    estimates: list[Estimate] = []
    named = [name for place, name in enumerate(design.profiles) if (work.habits.profiles == place).any()]
    for number, profile in enumerate(named):
        estimates += work.of_profile(profile)
        if progress is not None:
            progress(0.7 * (number + 1) / len(named))
    estimates += work.of_all(named)
    too_little = {one.name: "there is too little of it in this log" for one in estimates if math.isnan(one.after)}
    fitted, why_not = with_estimates(design, estimates)
    held = observed(fitted, log, players=FORECAST, seed=seed + 1)
    if not named:
        why_not = "the log says of no player which profile it is: whose the numbers are cannot be told"
    kinds = work.kinds()
    return Fit(fitted, estimates, work.not_told | too_little, held, why_not or work.why_not or _refused(held), kinds)


def _refused(held: Observed) -> str | None:
    """Return what the fitted design cannot have made, or None."""
    for one, culprit in zip(held.profiles, held.verdicts()["culprit"], strict=True):
        if one.agreement.p < REFUSED_BELOW:
            return f"this design cannot have made this log: {one.name}, {culprit}"
    return None
