"""The mistakes that games make at a threshold: what each is called, what it does, and the way out."""

from __future__ import annotations

from typing import NamedTuple


class Mistake(NamedTuple):
    """One mistake.

    Attributes:
        code: its name.
        does: what a game with it does, after "it".
        way_out: what to do about it.
    """

    code: str
    does: str
    way_out: str


_LOOP = "go up in a loop: while XP reaches the cost, take the cost off and go on with the rest"
_ROUND = "keep the share that the design keeps, rounded as it says, in whole numbers"
_TABLE = "read the costs from levels.json; the cost of level L stands at L - start_level"
_CAP = "at the cap do what `at_cap` says: discard, fill or bank"
_GATE = "stop at a shut gate, and do with the XP there what `meanwhile` says: keep or fill"

MISTAKES = {
    mistake.code: mistake
    for mistake in (
        Mistake("excess-dropped", "drops what passes the threshold", _LOOP),
        Mistake("half-kept", "keeps half of what passes the threshold", _ROUND),
        Mistake("one-level-an-award", "raises one level an award at most", _LOOP),
        Mistake("any-for-one", "raises several levels by one award, where one is meant", "stop after one level-up"),
        Mistake("above-for-reached", "asks for more XP than the cost, where the cost is enough", "compare with >="),
        Mistake("reached-for-above", "takes XP equal to the cost as enough, where more is asked", "compare with >"),
        Mistake("cap-one-high", "goes on to a level past the cap", "stop at max_level"),
        Mistake("cap-one-low", "stops a level below the cap", "stop at max_level, not a level before"),
        Mistake("discards-at-cap", "throws XP at the cap away", _CAP),
        Mistake("fills-at-cap", "fills the last bar at the cap, and throws the rest away", _CAP),
        Mistake("banks-at-cap", "keeps counting XP at the cap", _CAP),
        Mistake("grows-past-cap", "does at the cap what it should when it gets there, and then keeps counting", _CAP),
        Mistake("table-shifted-up", "takes the cost of the level above", _TABLE),
        Mistake("table-shifted-down", "takes the cost of the level below", _TABLE),
        Mistake("old-cost-goes-on", "compares with the cost of the old level after a level-up", _LOOP),
        Mistake("new-cost-subtracted", "takes the cost of the new level off", "take the cost off, then go up"),
        Mistake("kept-rounded-down", "rounds what is kept down to whole XP", _ROUND),
        Mistake("kept-rounded-nearest", "rounds what is kept to the nearest", _ROUND),
        Mistake("kept-rounded-up", "rounds what is kept up", _ROUND),
        Mistake("kept-not-rounded", "does not round what is kept to whole XP", _ROUND),
        Mistake("carry-in-doubles", "takes the share that is kept in doubles", "take it in billionths: whole numbers"),
        Mistake("sums-of-32-bits", "adds up XP in 32 bits", "count XP in 64 bits"),
        Mistake("sums-in-single-precision", "adds up XP in single precision", "count XP in whole numbers"),
        Mistake("level-up-at-start", "raises a level-up when a character is made", "set level and XP without events"),
        Mistake("points-again", "grants points again for a level that was lost and won back", "keep the highest level"),
        Mistake("points-once-an-award", "grants the points of one level only, where an award raises several", _LOOP),
        Mistake("losses-ignored", "takes no losses", "take a loss off the XP inside the level"),
        Mistake("losses-below-zero", "lets XP fall below 0", "stop a loss at 0"),
        Mistake("levels-never-dropped", "never drops a level for a loss", "go down while the loss is not paid"),
        Mistake("booked-twice", "books an award twice that ends on the threshold", "add an award in one place"),
        Mistake("rest-lost", "loses the rest where an award raises several levels", _LOOP),
        Mistake("gates-ignored", "goes up past a gate that is shut", _GATE),
        Mistake("fills-at-gates", "throws away what passes the bar at a shut gate", _GATE),
        Mistake("keeps-at-gates", "keeps what passes the bar at a shut gate", _GATE),
        Mistake("save-without-xp", "saves the level and not the XP inside it", "save level and XP"),
    )
}  # fmt: skip
OF_ENCOUNTERS = {
    mistake.code: mistake
    for mistake in (
        Mistake("multipliers-rounded", "rounds after each multiplier", "multiply all factors first, and round once"),
        Mistake("multipliers-added", "adds its multipliers up", "multiply them: 1.5 and 1.2 are 1.8"),
        Mistake(
            "multipliers-ignored",
            "pays without multipliers",
            "multiply the XP drawn by what award_for multiplies it by",
        ),
        Mistake("factor-in-whole-numbers", "divides in whole numbers", "divide in doubles: 34 / 10 is 3.4"),
        Mistake("failure-paid-in-full", "pays a failure in full", "multiply by the share that a failure pays"),
        Mistake("failure-unpaid", "pays nothing for a failure", "multiply by the share that a failure pays"),
    )
}
OLDER_COST = "older-cost"
"""A cost of an older design: `older-cost-LEVEL` in vectors, where one unit more or less shows."""
