"""Figures from designs, tables and results: each takes `ax=` or figure options and returns the Axes."""

from ramulus.plots.awards import awards
from ramulus.plots.compare import compare
from ramulus.plots.costs import costs
from ramulus.plots.effort import effort
from ramulus.plots.gain import gain
from ramulus.plots.income import income
from ramulus.plots.levels_over_time import levels_over_time
from ramulus.plots.observed import observed
from ramulus.plots.pace import pace
from ramulus.plots.party import party
from ramulus.plots.reached import reached
from ramulus.plots.retention import retention
from ramulus.plots.sensitivity import sensitivity
from ramulus.plots.skill_or_luck import skill_or_luck
from ramulus.plots.stats import stats
from ramulus.plots.sweep import sweep
from ramulus.plots.time_in_level import time_in_level
from ramulus.plots.wanted import told
from ramulus.plots.xp_by_source import xp_by_source

__all__ = [
    "awards",
    "compare",
    "costs",
    "effort",
    "gain",
    "income",
    "levels_over_time",
    "observed",
    "pace",
    "party",
    "reached",
    "retention",
    "sensitivity",
    "skill_or_luck",
    "stats",
    "sweep",
    "time_in_level",
    "xp_by_source",
]

for _name in __all__:
    globals()[_name] = told(globals()[_name])
