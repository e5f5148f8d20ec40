"""From wish to numbers: how much each number moves each goal, and which numbers, or costs, meet the wishes."""

from ramulus.analysis.tuning.costs_for import PacedCosts, costs_for, pace_costs
from ramulus.analysis.tuning.sensitivity import sensitivity
from ramulus.analysis.tuning.trials import TrialProgress
from ramulus.analysis.tuning.tuning import Tuning, tune

__all__ = ["PacedCosts", "TrialProgress", "Tuning", "costs_for", "pace_costs", "sensitivity", "tune"]
