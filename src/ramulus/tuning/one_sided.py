"""Least squares of misses that move straight with the numbers, of which some count on one side only."""

from __future__ import annotations

import numpy as np

from ramulus.formula.functions import Array
from ramulus.tuning.aims import BOTH

FLAT = 1e-6  # Of the steepest direction: nothing is known along a flatter one.
MOST_TURNS = 12
HALVINGS = 30
GAINED = 1e-6  # Of the sum of squares: what a turn has to bring to be worth another one.


def counted(misses: Array, sides: Array) -> Array:
    """Return how far each miss is off: as it is, or 0 where it is one-sided and on its good side."""
    return np.where((sides == BOTH) | (sides * misses > 0), misses, 0.0)


def nearest_steps(misses: Array, slopes: Array, sides: Array) -> Array:
    """Return the steps that bring misses nearest to 0, in many problems at once, shape (problems, numbers).

    Newton's method for a convex sum of squares by parts: least squares of the misses that count where it stands, as
    far along that way as leads down, until no way does.

    Args:
        misses: how far off each is, on either side, shape (problems, misses).
        slopes: how it moves with each number, shape (problems, misses, numbers).
        sides: of each miss, BOTH or the side on which it counts, shape (misses,).
    """
    steps = np.zeros((len(misses), slopes.shape[2]))
    there = misses
    for _ in range(MOST_TURNS):
        off = counted(there, sides)
        inverse = np.linalg.pinv(slopes * ((sides == BOTH) | (off != 0))[:, :, None], rcond=FLAT)
        way = -np.einsum("pnm,pm->pn", inverse, off)
        moved = np.einsum("pmn,pn->pm", slopes, way)
        part = _lowest(there, moved, sides)
        steps, there = steps + part[:, None] * way, there + part[:, None] * moved
        if (_squares(off) - _squares(counted(there, sides)) <= GAINED * _squares(off)).all():
            break
    return steps


def _squares(off: Array) -> Array:
    return np.asarray((off**2).sum(axis=1))


def _lowest(misses: Array, moved: Array, sides: Array) -> Array:
    """Return which part of a way, from 0 to 1, ends lowest, shape (problems,): where it no longer leads down."""
    low, high = np.zeros(len(misses)), np.ones(len(misses))
    if not (sides != BOTH).any():
        return high
    part = high
    for _ in range(HALVINGS):
        down = (counted(misses + part[:, None] * moved, sides) * moved).sum(axis=1) <= 0
        low, high = np.where(down, part, low), np.where(down, high, part)
        part = (low + high) / 2
    return np.where(low == 1, 1.0, part)
