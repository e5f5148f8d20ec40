"""Players who are played for checks: some of each profile, once for all that look at them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedProfile

PLAYED, HOURS, MOST_ENCOUNTERS = 600, 200.0, 20_000


class Trials:
    """Some players of each profile that a check asks for."""

    def __init__(self, design: Design) -> None:
        self._design = design
        self._played: dict[str, PlayedProfile | None] = {}

    def of(self, name: str) -> PlayedProfile | None:
        """Return what players of a profile came to; None where what keeps them from play is found by other checks."""
        if name not in self._played:
            self._played[name] = self._play(name)
        return self._played[name]

    def _play(self, name: str) -> PlayedProfile | None:
        from ramulus.results.simulate import SimulationStopped, simulate

        try:
            return simulate(self._design, {name: PLAYED}, HOURS, most_encounters=MOST_ENCOUNTERS).profile(name)
        except SimulationStopped:
            raise  # Who interrupted it wants no findings.
        except RamulusError:
            return None
