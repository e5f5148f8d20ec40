"""The section of sensitivity."""

from __future__ import annotations

from ramulus import plots
from ramulus.page.context import Context, figure
from ramulus.page.parts import Section, table_of
from ramulus.words.sensitivity import HEADS, sensitivity_rows
from ramulus.words.writers import Column


def sensitivity(context: Context) -> Section | None:
    """How much each number moves each goal, where that was asked for."""
    moved = context.sensitivity
    if moved is None:
        return None

    def words() -> str:
        said = []
        for (player, goal), rows in moved.groupby(["player", "goal"], sort=False):
            most = rows.loc[rows["change"].abs().fillna(0.0).idxmax()]
            said.append(f"{player}, {goal}: most by {most['name'].removeprefix('constants.')}")
        return f"Which number moves which goal. {'; '.join(said)}."

    heads = {"player": Column("player"), "goal": Column("goal"), **HEADS}
    drawn = figure(
        "sensitivity", "Which number moves what", words, plots.sensitivity, moved,
        numbers=lambda: table_of(sensitivity_rows(moved), heads, "Each number and goal"),
    )  # fmt: skip
    return Section("sensitivity", "Sensitivity", (drawn,))
