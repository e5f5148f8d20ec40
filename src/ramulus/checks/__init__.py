"""What is wrong or suspicious in a design, with reasons and ways out."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.awards import check_awards
from ramulus.checks.costs import check_costs
from ramulus.checks.edges import check_edges
from ramulus.checks.encounters import check_encounters
from ramulus.checks.finding import Finding, Findings, from_problem, guarded, in_one, without_accepted
from ramulus.checks.gates import check_gates
from ramulus.checks.income import check_income
from ramulus.checks.late_events import check_late_events
from ramulus.checks.multipliers import FACTOR_CEILING, check_multipliers
from ramulus.checks.names import check_names
from ramulus.checks.parties import check_party
from ramulus.checks.players import check_players
from ramulus.checks.pools import check_pools
from ramulus.checks.reach import check_reach
from ramulus.checks.stats import check_stats
from ramulus.errors import refuse_other_than_design

if TYPE_CHECKING:
    from ramulus.design import Design

__all__ = ["FACTOR_CEILING", "Finding", "Findings", "check", "from_problem"]

_ORDER = {"error": 0, "warning": 1, "note": 2}


def check(design: Design, *, factor_ceiling: float = FACTOR_CEILING) -> Findings:
    """Return what is wrong or suspicious in a design, errors first.

    Args:
        design: the design.
        factor_ceiling: stacked multipliers above this are found.

    Returns:
        The findings; none where all is well. ``docs/findings.md`` lists their codes.

    Examples:
        >>> import ramulus as rm
        >>> [finding.code for finding in rm.check(rm.demo_design()) if finding.code == "cost-wall"]
        ['cost-wall']
    """

    def multipliers(design: Design) -> Iterator[Finding]:
        return check_multipliers(design, factor_ceiling)

    refuse_other_than_design(design)
    # Most of the time goes into what does not depend on the ceiling; a page asks for it more than once.
    found = [*design.derived(_found), *guarded(multipliers, design)]
    some = in_one(found)
    return without_accepted(sorted(some, key=lambda finding: _ORDER[finding.severity]), design)


def _found(design: Design) -> tuple[Finding, ...]:
    """Return what all checks find that have nothing to be told."""
    checks = (
        check_costs, check_edges, check_stats, check_awards, check_names, check_encounters, check_reach, check_income,
        check_gates, check_pools, check_late_events, check_players, check_party,
    )  # fmt: skip
    return tuple(finding for one in checks for finding in guarded(one, design))
