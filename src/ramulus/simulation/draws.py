"""Random draws that can be addressed: the same player, encounter and purpose always get the same number.

A draw is a hash of (player's key, encounter number, slot) by the output function of SplitMix64 (Steele, Lea and Flood,
"Fast splittable pseudorandom number generators", 2014), which makes any element of its sequence on its own. A key
belongs to (seed, profile's name, player). So two designs simulated with one seed share their draws encounter by
encounter, whatever either design uses up and whichever other profiles it has.
"""

from __future__ import annotations

import hashlib
from statistics import NormalDist
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.jitted import part

GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX_1 = np.uint64(0xBF58476D1CE4E5B9)
_MIX_2 = np.uint64(0x94D049BB133111EB)
FACTOR, QUIT, PATIENCE, LEAP = (
    np.uint64(c) for c in (0xD1B54A32D192ED03, 0x8CB92BA72F3D8DD7, 0xABC98388FB8FAC03, 0x9FB21C651E98DF25)
)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)
_STEP = 2.0**-53

TIME, SOURCE, SUCCESS, XP = 0, 1, 2, 3
SLOTS = 4


@part
def mix(z: Any) -> Any:
    """Return the output function of SplitMix64, of one number or of many."""
    z = (z ^ (z >> _S30)) * _MIX_1
    z = (z ^ (z >> _S27)) * _MIX_2
    return z ^ (z >> _S31)


@part
def bits_of(key: np.uint64, encounter: int, slot: int) -> np.uint64:
    """Return the 64 random bits of one encounter for one purpose."""
    return mix(key + np.uint64(encounter * SLOTS + slot) * GOLDEN)


@part
def uniform(key: np.uint64, encounter: int, slot: int) -> float:
    """Return the draw of one encounter for one purpose, in [0, 1)."""
    return (bits_of(key, encounter, slot) >> _S11) * _STEP


def player_keys(seed: int, profile: str, numbers: NDArray[np.int64]) -> NDArray[np.uint64]:
    """Return the keys of some players of a profile by their numbers, from 0 on, shape (n,)."""
    name = hashlib.blake2b(f"{seed}\0{profile}".encode(), digest_size=8).digest()
    with np.errstate(over="ignore"):
        steps = (numbers.astype(np.uint64) + np.uint64(1)) * GOLDEN
        return np.asarray(mix(np.frombuffer(name, dtype=np.uint64) + steps))


def orders(name: str, count: int, size: int) -> NDArray[np.int64]:
    """Return random orders of the numbers 0 … size − 1 that belong to a name, shape (count, size)."""
    key = np.frombuffer(hashlib.blake2b(name.encode(), digest_size=8).digest(), dtype=np.uint64)
    with np.errstate(over="ignore"):
        steps = (np.arange(count * size, dtype=np.uint64) + np.uint64(1)) * GOLDEN
        return np.argsort(np.asarray(mix(key + steps)).reshape(count, size), axis=1)


def own_draws(keys: NDArray[np.uint64], purpose: np.uint64) -> Array:
    """Return one draw a player for a purpose, inside (0, 1), shape (n,)."""
    with np.errstate(over="ignore"):
        bits = np.asarray(mix(keys ^ purpose)) >> np.uint64(12)
    return np.asarray((bits.astype(np.float64) + 0.5) * 2.0**-52)


def own_factors(keys: NDArray[np.uint64], spread: float, purpose: np.uint64 = FACTOR) -> Array:
    """Return the players' own factors on something: log-normal with median 1 and sigma `spread`, shape (n,)."""
    if not spread:
        return np.ones(len(keys))
    normal = np.array([NormalDist().inv_cdf(draw) for draw in own_draws(keys, purpose).tolist()])
    return np.exp(spread * normal)
