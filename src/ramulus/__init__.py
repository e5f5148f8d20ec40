"""Ramulus: how fast do players level? The answer before the game exists.

A designer sets what each level costs, what an award does at a threshold, what multiplies experience and how stats
grow; then simulates players of different skill and sees how fast each kind reaches each level.

    import ramulus as rm
    design = rm.load_design("canopy.toml")
    rm.level_table(design)
    result = rm.simulate(design, players=2000, seed=7)
    result.pace()
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

# Public names and where they live. They are imported when first used, so that `ramulus --help` and small scripts do
# not wait for pandas, Matplotlib or Numba.
_HOMES = {
    "AwardChain": "analysis.chains",
    "AwardError": "errors",
    "AwardOutcome": "rules.outcomes",
    "Comparison": "analysis.comparing",
    "DataError": "errors",
    "Design": "design",
    "DesignError": "errors",
    "Explanation": "analysis.explain",
    "Finding": "analysis.checks",
    "FormulaError": "errors",
    "Ledger": "rules.ledger",
    "LedgerEvent": "rules.outcomes",
    "PartyRun": "analysis.party",
    "Problem": "errors",
    "Progress": "simulation.run",
    "RamulusError": "errors",
    "SavedLedgerError": "errors",
    "SimulationResult": "analysis.result",
    "SimulationStopped": "analysis.simulate",
    "UnknownNameError": "errors",
    "Tuning": "analysis.tuning",
    "by_share": "analysis.simulate",
    "check": "analysis.checks",
    "compare": "analysis.comparing",
    "compare_rules": "analysis.trace",
    "costs_for": "analysis.tuning",
    "demo_design": "design",
    "design_schema": "design",
    "effort_table": "analysis.effort",
    "explain": "analysis.explain",
    "gain_table": "analysis.gain",
    "LevelAt": "analysis.level_at",
    "level_at": "analysis.level_at",
    "level_table": "analysis.level_table",
    "load_design": "design",
    "play_party": "analysis.party",
    "report": "page",
    "sensitivity": "analysis.tuning",
    "simulate": "analysis.simulate",
    "sweep": "analysis.comparing",
    "trace": "analysis.trace",
    "trace_changes": "analysis.trace",
    "trace_skill": "analysis.trace",
    "trace_source": "analysis.trace",
    "tune": "analysis.tuning",
}
_MODULES = ("plots",)

__all__ = [*_HOMES, *_MODULES]  # pyright: ignore

if TYPE_CHECKING:
    from ramulus import plots as plots
    from ramulus.analysis.chains import AwardChain as AwardChain
    from ramulus.analysis.checks import Finding as Finding
    from ramulus.analysis.checks import check as check
    from ramulus.analysis.comparing import Comparison as Comparison
    from ramulus.analysis.comparing import compare as compare
    from ramulus.analysis.comparing import sweep as sweep
    from ramulus.analysis.effort import effort_table as effort_table
    from ramulus.analysis.explain import Explanation as Explanation
    from ramulus.analysis.explain import explain as explain
    from ramulus.analysis.gain import gain_table as gain_table
    from ramulus.analysis.level_at import LevelAt as LevelAt
    from ramulus.analysis.level_at import level_at as level_at
    from ramulus.analysis.level_table import level_table as level_table
    from ramulus.analysis.party import PartyRun as PartyRun
    from ramulus.analysis.party import play_party as play_party
    from ramulus.analysis.result import SimulationResult as SimulationResult
    from ramulus.analysis.simulate import SimulationStopped as SimulationStopped
    from ramulus.analysis.simulate import by_share as by_share
    from ramulus.analysis.simulate import simulate as simulate
    from ramulus.analysis.trace import compare_rules as compare_rules
    from ramulus.analysis.trace import trace as trace
    from ramulus.analysis.trace import trace_changes as trace_changes
    from ramulus.analysis.trace import trace_skill as trace_skill
    from ramulus.analysis.trace import trace_source as trace_source
    from ramulus.analysis.tuning import Tuning as Tuning
    from ramulus.analysis.tuning import costs_for as costs_for
    from ramulus.analysis.tuning import sensitivity as sensitivity
    from ramulus.analysis.tuning import tune as tune
    from ramulus.design import Design as Design
    from ramulus.design import demo_design as demo_design
    from ramulus.design import design_schema as design_schema
    from ramulus.design import load_design as load_design
    from ramulus.errors import AwardError as AwardError
    from ramulus.errors import DataError as DataError
    from ramulus.errors import DesignError as DesignError
    from ramulus.errors import FormulaError as FormulaError
    from ramulus.errors import Problem as Problem
    from ramulus.errors import RamulusError as RamulusError
    from ramulus.errors import SavedLedgerError as SavedLedgerError
    from ramulus.errors import UnknownNameError as UnknownNameError
    from ramulus.page import report as report
    from ramulus.rules.ledger import Ledger as Ledger
    from ramulus.rules.outcomes import AwardOutcome as AwardOutcome
    from ramulus.rules.outcomes import LedgerEvent as LedgerEvent
    from ramulus.simulation.run import Progress as Progress


def __getattr__(name: str) -> Any:
    if name in _MODULES:
        return importlib.import_module(f"ramulus.{name}")
    if name not in _HOMES:
        raise AttributeError(f"module 'ramulus' has no attribute {name!r}")
    value = getattr(importlib.import_module(f"ramulus.{_HOMES[name]}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted(__all__)
