"""Figures from designs, tables and results: each takes `ax=` or figure options and returns the Axes."""

from ramulus.plots.awards import awards
from ramulus.plots.compare import compare
from ramulus.plots.costs import costs
from ramulus.plots.effort import effort, income
from ramulus.plots.gain import gain
from ramulus.plots.pace import pace
from ramulus.plots.party import party
from ramulus.plots.retention import retention
from ramulus.plots.sensitivity import sensitivity
from ramulus.plots.skill_or_luck import skill_or_luck
from ramulus.plots.stats import stats
from ramulus.plots.sweep import sweep

__all__ = [
    "awards",
    "compare",
    "costs",
    "effort",
    "gain",
    "income",
    "pace",
    "party",
    "retention",
    "sensitivity",
    "skill_or_luck",
    "stats",
    "sweep",
]
