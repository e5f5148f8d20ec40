"""The formula language: read, evaluate over arrays, step a recurrence, show the working."""

from ramulus.formula.evaluation import check_names, evaluate
from ramulus.formula.functions import BUILT_IN_NAMES, FUNCTIONS, round_half_away
from ramulus.formula.parser import Formula, parse
from ramulus.formula.stepping import run_steps
from ramulus.formula.variants import reordered
from ramulus.formula.working import Step, number_text, work_through

__all__ = [
    "BUILT_IN_NAMES",
    "FUNCTIONS",
    "Formula",
    "Step",
    "check_names",
    "evaluate",
    "number_text",
    "parse",
    "reordered",
    "round_half_away",
    "run_steps",
    "work_through",
]
