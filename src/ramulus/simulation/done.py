"""What was done, inside a kernel: XP of a day and a week by track, and the bands of rules that look at it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.design.multiplier import COUNTED, SUCCESSES, SUCCESSES_TODAY, XP_TODAY
from ramulus.formula.functions import Array
from ramulus.rules.counted import combinations, counted_rules, in_each_combination, lengths_of
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import Company, hold_at_any_hour
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.jitted import part

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.profile_tables import ProfileTables

Ints = NDArray[np.int64]

OF_XP_TODAY, OF_XP_THIS_WEEK, OF_SUCCESSES_TODAY, OF_SUCCESSES = range(4)
NO_END = 2**62
MOST_CELLS = 20_000_000


class Done(NamedTuple):
    """Rules that look at what was done: R rules, N bands of all, K combinations of them; T tracks.

    A are classes of ability. Of a party A are its kinds of members, each in every size of company.

    Attributes:
        kind: what each looks at, as COUNTED, shape (R,).
        first: where the bands of each start, and one past the last, shape (R + 1,).
        ends: the most that is still in a band: XP in units of each track, or successes, shape (T, N).
        stride: how far apart its bands stand among the combinations, shape (R,).
        combinations: how many there are.
        worth: XP of an encounter where players choose by it, shape (A, K, L, C); no levels where a table of pay does.
        practice: XP that a failure (0) and a success (1) award to what is practised, shape (A, K, 2, L, P); likewise.
        spent: mean seconds of it, shape (A, L, C); no levels likewise.
        skill_worth: what one XP of a skill is worth to them.
    """

    kind: Ints
    first: Ints
    ends: Ints
    stride: Ints
    combinations: int
    worth: Array
    practice: Array
    spent: Array
    skill_worth: float


def make_done(design: Design, parts: list[Parts], skill_worth: float, kinds: int) -> Done:
    """Return the rules of a design that look at what was done.

    Args:
        design: the design.
        parts: what encounters pay, where players choose by what hangs on it; else none.
        skill_worth: what one XP of a skill is worth to them.
        kinds: for how many kinds of players tables are made.

    Raises:
        DesignError: their bands make too many combinations.
    """
    rules, lengths = counted_rules(design), lengths_of(design)
    refuse_many(design, kinds)
    stride = [int(np.prod(lengths[index + 1 :], initial=1)) for index in range(len(lengths))]
    ends = [end for index in rules for end, _ in design.multipliers[index].bands or []]
    looks_at = [COUNTED.index(design.multipliers[index].counts or "") for index in rules]
    each = np.repeat(looks_at, [length - 1 for length in lengths]) if rules else np.zeros(0)
    return Done(
        kind=np.array(looks_at, dtype=np.int64),
        first=np.concatenate([[0], np.cumsum([length - 1 for length in lengths])]).astype(np.int64),
        ends=np.array([_in_units(design, name, ends, each) for name in design.track_order], dtype=np.int64),
        stride=np.array(stride, dtype=np.int64),
        combinations=combinations(design),
        worth=np.stack([part.worth for part in parts]) if parts else np.zeros((1, 1, 0, 0)),
        practice=np.stack([part.practice for part in parts]) if parts else np.zeros((1, 1, 2, 0, 0)),
        spent=np.stack([part.spent for part in parts]) if parts else np.zeros((1, 0, 0)),
        skill_worth=skill_worth,
    )


class Parts(NamedTuple):
    """What the encounters of some players pay, as in `Done`, without its first axis."""

    worth: Array
    practice: Array
    spent: Array


def parts_of(design: Design, profile: ProfileTables, leading: int | None = None, *, splits: bool = False) -> Parts:
    """Return what encounters pay players alone, or whoever leads a party of some members."""
    share, states = float(design.encounters.failure.xp_share), hold_at_any_hour(design)
    every = list(in_each_combination(design, states))
    if leading is None:
        awarding, worth = profile.alone, [profile.worth(on) for on in every]
    else:
        awarding = profile.awarding(Company(size=leading))
        worth = [profile.worth_leading(on, leading, splits=splits) for on in every]
    practice = [[awarding.skill_award(on, share), awarding.skill_award(on)] for on in every]
    return Parts(np.stack(worth), np.array(practice), profile.spent)


def _in_units(design: Design, track: str, ends: list[float], kinds: Array) -> list[int]:
    """Return the ends of bands as the most that is inside: XP in the units of a track, successes as they are."""
    scale = tabulated(design).tracks[track].scale
    counts_xp = kinds <= OF_XP_THIS_WEEK
    whole = [math.floor(end * (scale if is_xp else 1)) for end, is_xp in zip(ends, counts_xp, strict=True)]
    return [max(min(end, NO_END), -1) for end in whole]


def refuse_many(design: Design, kinds: int) -> None:
    """Refuse rules whose bands make tables that would not fit.

    Raises:
        DesignError: they would.
    """
    levels, columns = tabulated(design).columns.shape
    cells = combinations(design) * kinds * levels * columns
    if combinations(design) > 1 and cells > MOST_CELLS:
        index = counted_rules(design)[0]
        found = (
            f"the bands of rules that look at what was done make {combinations(design):,} combinations, {cells:,} cells"
        )
        raise fault(f"multipliers[{index}].bands", found, f"at most {MOST_CELLS:,}", "design-too-large")


def counts_days(design: Design) -> bool:
    """Return whether a rule looks at what was done in a day or a week."""
    return any(design.multipliers[index].counts != SUCCESSES for index in counted_rules(design))


def counts_successes(design: Design) -> bool:
    """Return whether a rule looks at successes."""
    return any(design.multipliers[index].counts in (SUCCESSES, SUCCESSES_TODAY) for index in counted_rules(design))


@part
def combination(done: Done, used: Ints, earned: Ints, source: int, track: int) -> int:
    """Return the combination of bands that an award of a source to a track stands in.

    Args:
        done: the rules.
        used: successes so far at each source: ever, today, this week.
        earned: units awarded so far to each track: today, this week.
        source, track: whose award, to which track.
    """
    found = 0
    for rule in range(len(done.kind)):
        kind = done.kind[rule]
        successes = used[1 if kind == OF_SUCCESSES_TODAY else 0, source]
        count = earned[kind, track] if kind <= OF_XP_THIS_WEEK else successes
        first, last = done.first[rule], done.first[rule + 1]
        band = 0
        while first + band < last and count > done.ends[track, first + band]:
            band += 1
        found += band * done.stride[rule]
    return found


assert (COUNTED[OF_XP_TODAY], COUNTED[OF_SUCCESSES_TODAY]) == (XP_TODAY, SUCCESSES_TODAY)


@part
def note_earned(earned: Ints, next_earned: Ints, track: int, units: int) -> bool:
    """Count units awarded to a track; return whether a rule that looks at them stands in another band now."""
    earned[0, track] += units
    earned[1, track] += units
    return bool(earned[0, track] > next_earned[0, track] or earned[1, track] > next_earned[1, track])


@part
def done_at(done: Done, at: int) -> Done:
    """Return the rules with what encounters pay one kind of players alone."""
    at = min(at, len(done.worth) - 1)
    return Done(
        done.kind, done.first, done.ends, done.stride, done.combinations, done.worth[at : at + 1],
        done.practice[at : at + 1], done.spent[at : at + 1], done.skill_worth,
    )  # fmt: skip


@part
def next_end(done: Done, kind: int, track: int, count: int) -> int:
    """Return the most XP or successes of a kind with which every rule still stands in the band that it stands in."""
    found = NO_END
    for rule in range(len(done.kind)):
        if done.kind[rule] == kind:
            for band in range(done.first[rule], done.first[rule + 1]):
                if count <= done.ends[track, band] < found:
                    found = done.ends[track, band]
    return found
