"""From tables to the arrays that the kernel plays over."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.costs import cost_curve
from ramulus.rules.evaluating import fault
from ramulus.rules.tables import Tables, make_tables
from ramulus.rules.windows import Timeline, timeline
from ramulus.rules.xp_units import MOST_UNITS, units_per_xp
from ramulus.simulation.booking import TrackRules, track_rules
from ramulus.simulation.kernel import ROUNDING_CODES, Settings, World

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player


@dataclass(frozen=True, eq=False)
class Stage:
    """Everything that one profile is played with; plain arrays, so it crosses process borders.

    Attributes:
        profile: the profile's name ("" where the design has none).
        spread: sigma of the players' own factor on time.
        world: its tables.
        rules: the tracks, the main one first.
        settings: the numbers of the encounter and of the run.
    """

    profile: str
    spread: float
    world: World
    rules: TrackRules
    settings: Settings


def track_names(design: Design) -> list[str]:
    """Return the tracks in the kernel's order: the main one, then the skills in file order."""
    main = design.main_track_name
    return [main, *(name for name in design.tracks if name != main)]


def make_stages(design: Design, hours: float, most_encounters: int) -> list[Stage]:
    """Tabulate a design for the kernel, a stage a profile."""
    from ramulus.design.player import Player

    tables = make_tables(design)
    rules = track_rules(design, track_names(design))
    stages = []
    for index, profile in enumerate(tables.grid.profiles):
        player = design.players[profile] if profile else Player()
        when = timeline(design, player, hours)
        world = _world(tables, index, when)
        stages.append(Stage(profile, player.spread, world, rules, _settings(design, player, hours, most_encounters)))
    return stages


def _settings(design: Design, player: Player, hours: float, most_encounters: int) -> Settings:
    from ramulus.design.encounter import Encounter

    encounter = design.encounter or Encounter()
    failure = encounter.failure
    return Settings(
        shape=1.0 / float(encounter.variation) ** 2 if encounter.variation else 0.0,
        extra_seconds=float(failure.extra_seconds),
        xp_share=float(failure.xp_share),
        loss=float(failure.loss),
        seconds_between=float(player.seconds_between),
        rounding=ROUNDING_CODES[design.awards.rounding],
        least_award=float(design.awards.least_award),
        horizon=float(hours) * 3600.0,
        most_encounters=int(most_encounters),
    )


def _refuse_large(tables: Tables, factor: Array) -> None:
    """Refuse awards and totals that the kernel could not count exactly."""
    scale = units_per_xp(cost_curve(tables.design))
    total = float(cost_curve(tables.design).totals[-1])
    if total * scale > MOST_UNITS:
        place = f"tracks.{tables.design.main_track_name}.cost"
        raise fault(place, f"{total:.6g} XP in all", f"at most {MOST_UNITS:,} XP in a simulation", "total-beyond-exact")
    award = tables.encounter.xp.highest[:, tables.grid.source_of] * factor.max(axis=0)
    award = np.where(tables.grid.open, award, 0.0)
    if award.max() * scale > MOST_UNITS:
        level, column = (int(i) for i in np.unravel_index(int(award.argmax()), award.shape))
        source = tables.grid.sources[int(tables.grid.source_of[column])]
        found = f"an award of {award.max():.6g} XP at level {tables.grid.levels[level]:g}"
        raise fault(f"sources.{source}.xp", found, f"at most {MOST_UNITS // scale:,} XP", "total-beyond-exact")


def _world(tables: Tables, profile: int, when: Timeline) -> World:
    design, grid, encounter = tables.design, tables.grid, tables.encounter
    names = track_names(design)
    sources = list(design.sources.values())
    xp = encounter.xp
    factor = np.stack([np.ascontiguousarray(tables.product(state)[profile]) for state in when.states])
    _refuse_large(tables, factor)
    skill_xp = [encounter.skill_xp * tables.skill_product(state)[profile] for state in when.states]
    return World(
        first_column=grid.first_column,
        practises=np.array([names.index(s.skill) if s.skill else -1 for s in sources], dtype=np.int64),
        reads=np.array([names.index(track) if track else -1 for track in grid.skill_track], dtype=np.int64),
        limit=np.array([source.limit or 0 for source in sources], dtype=np.int64),
        seconds=np.ascontiguousarray(encounter.seconds[profile]),
        success=np.ascontiguousarray(encounter.success[profile]),
        weight=np.ascontiguousarray(encounter.weight[profile]),
        xp_kind=xp.kind,
        xp_low=xp.low,
        xp_high=xp.high,
        xp_fixed=xp.fixed,
        first_outcome=xp.first.astype(np.int64),
        outcome=np.asarray(xp.outcome, dtype=np.float64),
        up_to=np.asarray(xp.up_to, dtype=np.float64),
        factor=factor,
        skill_xp=np.stack(skill_xp),
        borders=when.borders,
        state=when.state,
    )
