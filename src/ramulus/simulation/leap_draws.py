"""What a leap draws: counts by the binomial law and sums of times by the gamma law, out of a stream of its own.

Both are drawn by rejection, which is exact at any size: binomial counts by the transformed rejection of Hörmann ("The
generation of binomial random variates", 1993), those of few by inversion (Kachitvichyanukul and Schmeiser, "Binomial
random variate generation", 1988); gamma times by Marsaglia and Tsang ("A simple method for generating gamma
variables", 2000) over normal numbers by Marsaglia's polar method.
"""

from __future__ import annotations

import math

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.draws import GOLDEN, mix
from ramulus.simulation.jitted import part

_S12 = np.uint64(12)
_FEW = 10.0  # Expected counts below which inversion is faster.
_HALF_LOG_2_PI = 0.5 * math.log(2 * math.pi)


@part
def next_draw(stream: Array) -> float:
    """Return the next draw of a stream, inside (0, 1); the stream is an item of 64 bits, shape (1,)."""
    stream[0] += GOLDEN
    return float(((mix(stream[0]) >> _S12) + 0.5) * 2.0**-52)


@part
def binomial(stream: Array, trials: int, chance: float) -> int:
    """Return how many of some trials succeed."""
    if trials <= 0 or chance <= 0.0:
        return 0
    if chance >= 1.0:
        return trials
    rare = min(chance, 1.0 - chance)
    found = _few_of(stream, trials, rare) if trials * rare < _FEW else _many_of(stream, trials, rare)
    return found if rare == chance else trials - found


@part
def _few_of(stream: Array, trials: int, chance: float) -> int:
    """Return how many trials succeed where few do: the draw is held against one probability after the other."""
    odds = chance / (1.0 - chance)
    none = math.exp(trials * math.log1p(-chance))
    while True:
        draw, found, probability = next_draw(stream), 0, none
        while draw > probability and found < trials:
            draw -= probability
            found += 1
            probability *= odds * (trials - found + 1) / found
        if draw <= probability:
            return found  # Else rounding has left a draw past the last of them.


@part
def _many_of(stream: Array, trials: int, chance: float) -> int:
    """Return how many trials succeed where ten and more do; chance is at most a half."""
    spread = math.sqrt(trials * chance * (1.0 - chance))
    b = 1.15 + 2.53 * spread
    a = -0.0873 + 0.0248 * b + 0.01 * chance
    inside = 0.92 - 4.2 / b
    alpha = (2.83 + 5.1 / b) * spread
    mode = math.floor((trials + 1) * chance)
    while True:
        across, up = next_draw(stream) - 0.5, next_draw(stream)
        from_end = 0.5 - abs(across)
        found = math.floor((2.0 * a / from_end + b) * across + trials * chance + 0.5)
        if from_end >= 0.07 and up <= inside:
            return int(found)
        if 0 <= found <= trials:
            height = math.log(up * alpha / (a / (from_end * from_end) + b))
            if height <= _log_ratio(trials, chance, mode, found):
                return int(found)


@part
def _log_ratio(trials: int, chance: float, mode: int, found: int) -> float:
    """Return the log of the chance of a count over that of the most likely one, by ratios: nothing large cancels."""
    odds = chance / (1.0 - chance)
    return (
        (mode + 0.5) * math.log((mode + 1.0) / (odds * (trials - mode + 1.0)))
        + (trials + 1.0) * math.log((trials - mode + 1.0) / (trials - found + 1.0))
        + (found + 0.5) * math.log(odds * (trials - found + 1.0) / (found + 1.0))
        + _beyond_stirling(mode) + _beyond_stirling(trials - mode)
        - _beyond_stirling(found) - _beyond_stirling(trials - found)
    )  # fmt: skip


@part
def _beyond_stirling(k: int) -> float:
    """Return what Stirling's formula leaves out of log k!."""
    above = k + 1.0
    if k < 10:
        return math.lgamma(above) - (k + 0.5) * math.log(above) + above - _HALF_LOG_2_PI
    square = above * above
    return (1 / 12 - (1 / 360 - 1 / 1260 / square) / square) / above


@part
def _normal(stream: Array) -> float:
    while True:
        x, y = 2.0 * next_draw(stream) - 1.0, 2.0 * next_draw(stream) - 1.0
        square = x * x + y * y
        if 0.0 < square < 1.0:
            return x * math.sqrt(-2.0 * math.log(square) / square)


@part
def gamma(stream: Array, shape: float) -> float:
    """Return a gamma distributed number of some shape above 0, and scale 1."""
    factor, at = 1.0, shape
    if shape < 1.0:
        factor, at = next_draw(stream) ** (1.0 / shape), shape + 1.0
    d = at - 1.0 / 3.0
    c = 1.0 / math.sqrt(9.0 * d)
    while True:
        x = _normal(stream)
        cube = (1.0 + c * x) ** 3
        if cube > 0.0 and math.log(next_draw(stream)) < 0.5 * x * x + d - d * cube + d * math.log(cube):
            return factor * d * cube
