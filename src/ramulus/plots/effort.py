"""The figure of effort: a heat map of any effort column."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ramulus.errors import RamulusError, UnknownNameError
from ramulus.plots.heat import heat_map
from ramulus.plots.labels import finish, shortened
from ramulus.plots.style import new_axes, project_style
from ramulus.rules.ability import in_words
from ramulus.tables.effort import effort_table

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.design import Design

_COLUMNS = {
    "chance": ("chance of being the next encounter, %", "%"),
    "seconds": ("seconds an attempt", ".0f"),
    "success": ("chance of success, %", "%"),
    "award": ("XP on success, mean", ".0f"),
    "xp_per_hour": ("XP per hour", ".0f"),
}


def effort(
    design: Design,
    column: str = "xp_per_hour",
    ax: Axes | None = None,
    *,
    player: str | None = None,
    ability: float = 0.5,
    **figure_options: Any,
) -> Axes:
    """Draw one column of the effort table over levels and sources.

    Args:
        design: the design.
        column: any column of `effort_table`, the design's own shown columns included.
        ax: the axes to draw on (default: those of a new figure).
        player: the profile (default: the first).
        ability: where its players stand among their like, 0 … 1, where traits vary.
        figure_options: are passed to the new figure.

    Returns:
        The axes. Empty cells: the source is closed at that level.

    Raises:
        UnknownNameError: there is no such column.

    Examples:
        >>> import ramulus as rm
        >>> axes = rm.plots.effort(rm.demo_design(), player="steady")
    """
    who = player or next(iter(design.profiles))
    table = effort_table(design, who, ability=ability)
    said = in_words(design.profile(who), ability)
    known = [name for name in table.columns if name not in ("player", "level", "source")]
    if column not in known:
        raise UnknownNameError("effort column", column, known)
    if table[column].isna().all():
        raise RamulusError(f"{column!r} has no number at any level for {who}")
    unit, style = _COLUMNS.get(column, (column, ".3g"))
    with project_style():
        axes = new_axes(ax, **figure_options)
        heat_map(axes, table, column, unit, style)
        axes.set_title(f"{unit[0].upper() + unit[1:]}, by level and source ({shortened(who, 24)}{said})")
        left_out = ["timed multipliers off", *unlimited(design), "empty: closed at that level"]
        finish(axes, " · ".join([shortened(design.title, 50), who + said, *left_out]))
    return axes


def unlimited(design: Design) -> list[str]:
    """Return what to say where sources are shown as if their uses never ran out."""
    limited = any(any(source.limits) for source in design.sources.values())
    return ["as if no uses ran out"] if limited else []
