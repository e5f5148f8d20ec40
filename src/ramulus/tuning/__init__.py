"""From wish to numbers: how much each number moves each goal, and which numbers, or costs, meet the wishes."""

from ramulus.tuning.costs_for import costs_for, pace_costs
from ramulus.tuning.paced_costs import PacedCosts
from ramulus.tuning.sensitivity import sensitivity
from ramulus.tuning.trials import TrialProgress
from ramulus.tuning.tuning import Tuning, tune

__all__ = ["PacedCosts", "TrialProgress", "Tuning", "costs_for", "pace_costs", "sensitivity", "tune"]
