"""Goals judged by what was played: wished, found, how far off, and whether that is more than chance."""

from ramulus.goals import longest_level, pace, shares  # noqa: F401 — each kind of goal makes itself known there.
from ramulus.goals.judging import MET, MISSED, OPEN, SHARES, Judged, goals_table, horizon_for, judge, limits, table_of
from ramulus.goals.kinds import measure, words_of
from ramulus.goals.longest_level import first_over
from ramulus.goals.measuring import Measured

__all__ = [
    "MET",
    "MISSED",
    "OPEN",
    "SHARES",
    "Judged",
    "Measured",
    "first_over",
    "goals_table",
    "horizon_for",
    "judge",
    "limits",
    "measure",
    "table_of",
    "words_of",
]
