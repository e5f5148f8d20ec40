"""Varying times: gamma draws by the inverse of their distribution function, from a table.

One uniform number gives one time, so that two designs played with the same draws stay in step, and rejection's loops
are spared. The quantile function is cut into cells that halve in width toward both ends, 128 a halving, and is a cubic
through value and slope at the ends of each. Its error is measured in the tests and stated in ``docs/numbers.md``.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.jitted import part

_HALVINGS = 52  # The least distance from an end that a draw of 52 bits can have is 2**-53.
_PER_HALVING = 128
_CELLS = _HALVINGS * _PER_HALVING
_SHIFT = np.uint64(52 - 7)
_INSIDE = np.uint64(2 ** (52 - 7) - 1)
_LOWEST = np.uint64((1023 - 53) * _PER_HALVING)
_WIDTH = 2.0 ** -(52 - 7)
_S12 = np.uint64(12)


@lru_cache(maxsize=8)
def time_table(shape: float) -> Array:
    """Return the table of gamma times of mean 1 and a given shape; without variation (shape 0) an empty one.

    Args:
        shape: one over the squared coefficient of variation.

    Returns:
        Cubic coefficients of each cell, shape (cells, 4): those below the median, then those above it, counted from
        the ends inward.
    """
    if not shape:
        return np.zeros((0, 4))
    from scipy.special import gammainccinv, gammaincinv

    cells = np.arange(_CELLS)
    starts = 2.0 ** (cells // _PER_HALVING - 53) * (1 + cells % _PER_HALVING / _PER_HALVING)
    knots = np.append(starts, 0.5)
    below, above = gammaincinv(shape, knots), gammainccinv(shape, knots)
    return np.concatenate([_cubics(shape, knots, below, 1.0), _cubics(shape, knots, above, -1.0)])


def _cubics(shape: float, knots: Array, times: Array, sign: float) -> Array:
    """Return the cubic Hermite coefficients between knots, from the values and the inverse of the density."""
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        log_density = (shape - 1) * np.log(times) - times - math.lgamma(shape)
        slope = sign * np.exp(-log_density)
    slope = np.where(times > 0, slope, 0.0)  # Where a time is too small for float64, it is 0 and stays there.
    width = np.diff(knots)
    start, rise = times[:-1], np.diff(times)
    first, last = width * slope[:-1], width * slope[1:]
    cubics = np.stack([start, first, 3 * rise - 2 * first - last, first + last - 2 * rise], axis=1)
    return np.ascontiguousarray(cubics / shape)


@part
def time_at(table: Array, bits: np.uint64) -> float:
    """Return the time, over its mean, that 64 random bits give."""
    middle = ((bits >> _S12) + 0.5) * 2.0**-52
    above = middle >= 0.5
    tail = 1.0 - middle if above else middle
    # The exponent and the first bits of a float64 number count the cells that halve toward 0.
    place = np.float64(tail).view(np.uint64)
    cell = np.int64((place >> _SHIFT) - _LOWEST) + (_CELLS if above else 0)
    t = (place & _INSIDE) * _WIDTH
    return table[cell, 0] + t * (table[cell, 1] + t * (table[cell, 2] + t * table[cell, 3]))
