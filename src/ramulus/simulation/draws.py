"""Random draws that can be addressed: the same player, encounter and purpose always get the same number.

A draw is a hash of (player key, encounter number, slot) by the output function of SplitMix64 (Steele, Lea and Flood,
"Fast splittable pseudorandom number generators", 2014), which makes any element of its sequence on its own. Two
designs simulated with one seed so share their draws encounter by encounter, whatever either design uses up.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX_1 = np.uint64(0xBF58476D1CE4E5B9)
_MIX_2 = np.uint64(0x94D049BB133111EB)
_TIME_STREAM = np.uint64(0xD1B54A32D192ED03)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)
_STEP = 2.0**-53

SOURCE, SUCCESS, XP = 1, 2, 3
SLOTS = 4


@njit(cache=True, nogil=True, inline="always")
def mix(z: int) -> int:
    """Return the output function of SplitMix64."""
    z = (z ^ (z >> _S30)) * _MIX_1
    z = (z ^ (z >> _S27)) * _MIX_2
    return z ^ (z >> _S31)


@njit(cache=True, nogil=True, inline="always")
def to_uniform(bits: int) -> float:
    """Return 64 random bits as a float in [0, 1)."""
    return (bits >> _S11) * _STEP


@njit(cache=True, nogil=True, inline="always")
def uniform(key: int, encounter: int, slot: int) -> float:
    """Return the draw of one encounter for one purpose, in [0, 1)."""
    return to_uniform(mix(key + np.uint64(encounter * SLOTS + slot) * GOLDEN))


@njit(cache=True, nogil=True)
def gamma_of_mean_one(key: int, encounter: int, shape: float) -> float:
    """Return a gamma draw of mean 1 and coefficient of variation shape**-0.5, for one encounter.

    Marsaglia and Tsang, "A simple method for generating gamma variables", 2000; below shape 1 with their boost.
    Rejections draw on from a stream of the encounter's own.
    """
    state = mix((key ^ _TIME_STREAM) + np.uint64(encounter) * GOLDEN)
    boost = 1.0
    inner = shape
    if shape < 1.0:
        state += GOLDEN
        boost = (1.0 - to_uniform(mix(state))) ** (1.0 / shape)
        inner = shape + 1.0
    d = inner - 1.0 / 3.0
    c = 1.0 / math.sqrt(9.0 * d)
    while True:
        # A normal draw by Marsaglia's polar method.
        while True:
            state += GOLDEN
            a = 2.0 * to_uniform(mix(state)) - 1.0
            state += GOLDEN
            b = 2.0 * to_uniform(mix(state)) - 1.0
            r = a * a + b * b
            if 0.0 < r < 1.0:
                break
        x = a * math.sqrt(-2.0 * math.log(r) / r)
        v = 1.0 + c * x
        if v <= 0.0:
            continue
        v = v * v * v
        state += GOLDEN
        u = 1.0 - to_uniform(mix(state))
        if u < 1.0 - 0.0331 * x * x * x * x or math.log(u) < 0.5 * x * x + d * (1.0 - v + math.log(v)):
            return boost * d * v / shape
