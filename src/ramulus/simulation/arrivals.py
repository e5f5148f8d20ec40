"""When levels were reached for the first time."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.jitted import part
from ramulus.simulation.world import Ints


@part
def note_arrivals(
    arrival: Array, encounters: NDArray[np.int32], clock: float, encounter: int, level: int, peaks: Ints, track: int
) -> None:
    """Write down when levels of a track were reached for the first time."""
    while peaks[track] < level:
        peaks[track] += 1
        arrival[peaks[track]] = clock
        encounters[peaks[track]] = encounter
