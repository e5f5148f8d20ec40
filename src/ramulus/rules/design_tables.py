"""What holds for a whole design, tabulated: tracks, stats, ranks, sources as columns, and what XP is drawn from."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from ramulus.formula.functions import Array
from ramulus.rules.columns import Columns, columns_of, practice_of
from ramulus.rules.counted import Rules
from ramulus.rules.encounter_tables import Scene, make_scene
from ramulus.rules.lazily import Lazily
from ramulus.rules.losses import Ints, losses_of
from ramulus.rules.multipliers import always_on
from ramulus.rules.points import upgrade_ranks
from ramulus.rules.stats import StatCurve, stat_curves
from ramulus.rules.track_tables import TrackTables
from ramulus.rules.xp_laws import XpLaw, law_of

if TYPE_CHECKING:
    from ramulus.design import Design


class DesignTables:
    """What holds for the whole design, in numbers.

    Attributes:
        design: the design.
        tracks: tables of each track, by name.
    """

    def __init__(self, design: Design) -> None:
        self.design = design
        self.tracks: Lazily[str, TrackTables] = Lazily(lambda name: TrackTables(design, name))
        self._ranks: Lazily[str, dict[str, Array]] = Lazily(
            lambda player: upgrade_ranks(design, player, self.main.granted)
        )
        self._stats: Lazily[str | None, dict[str, StatCurve]] = Lazily(
            lambda player: stat_curves(design, {} if player is None else self.ranks(player))
        )

    @property
    def main(self) -> TrackTables:
        """The tables of the main track."""
        return self.tracks[self.design.main_track_name]

    def track(self, name: str | None = None) -> TrackTables:
        """Return the tables of a track (default: the main one).

        Raises:
            UnknownNameError: there is no such track.
        """
        return self.tracks[name or self.design.main_track_name]

    def ranks(self, player: str) -> dict[str, Array]:
        """Return the ranks of each upgrade that a profile holds, over the main track's levels."""
        return self._ranks[player]

    def stats(self, player: str | None = None) -> dict[str, StatCurve]:
        """Return every stat over the levels of its track, with the upgrades of a profile (default: none bought)."""
        return self._stats[player]

    @cached_property
    def columns(self) -> Columns:
        """The sources, and the skill levels that they depend on, as columns."""
        return columns_of(self.design)

    @cached_property
    def practice(self) -> Columns:
        """What sources practise, and the levels of each skill, as columns."""
        return practice_of(self.design)

    @cached_property
    def laws(self) -> list[XpLaw]:
        """What each source's XP is drawn from."""
        return self.laws_over(self.columns)

    def laws_over(self, columns: Columns) -> list[XpLaw]:
        """Return the laws over some columns, whose sources may be as somebody else meets them."""
        levels, source_level = columns.levels, columns.source_level[:, columns.first_column]
        return [
            law_of(source.xp, self.design, name, levels, source_level[:, index])
            for index, (name, source) in enumerate(self.design.sources.items())
        ]

    @cached_property
    def lost(self) -> Ints:
        """What a failure takes at each level of the main track, in its units, shape (L,)."""
        return losses_of(self.design, self.main)

    @cached_property
    def always_on(self) -> Rules:
        """The multipliers that hold at any hour."""
        return always_on(self.design)

    def scene(self, profile: str, ability_class: int) -> Scene:
        """Return the names that formulas see, for a profile's players of one ability over levels and columns."""
        return make_scene(self.design, profile, self.columns, self.stats(profile), ability_class)

    def practice_scene(self, profile: str, ability_class: int) -> Scene:
        """Return `scene` over the columns of what is practised."""
        return make_scene(self.design, profile, self.practice, self.stats(profile), ability_class)
