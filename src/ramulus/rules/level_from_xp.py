"""A level read off total XP: the smallest whole XP that gives each level."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from ramulus.formula import Step, evaluate, number_text, parse
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.working import Working, of_formula

HIGHEST_XP = float(2**53)


def least_xp(place: str, text: str, levels: Array, start: int, constants: Mapping[str, float]) -> Array:
    """Return the smallest whole XP that gives each level, by doubling and bisection over all levels at once.

    Args:
        place: where the formula stands, for errors.
        text: a formula of `xp`.
        levels: the levels wanted, rising, shape (n,).
        start: the start level, below which no level falls.
        constants: the other names the formula may use.

    Raises:
        DesignError: the formula fails, never reaches a level, or falls somewhere.
    """

    def exact_level(xp: Array) -> Array:
        return np.broadcast_to(evaluate_at(place, text, {**constants, "xp": xp}), xp.shape)

    def level_at(xp: Array) -> Array:
        return np.maximum(np.floor(exact_level(xp)), start)

    low, high = _bracket(level_at, levels, place)
    while (high - low > 1).any():
        middle = np.floor((low + high) / 2)
        reached = level_at(middle) >= levels
        high, low = np.where(reached, middle, high), np.where(reached, low, middle)
    _refuse_falls(exact_level, _looked_at(high), place)
    return high


def _bracket(level_at: Callable[[Array], Array], wanted: Array, place: str) -> tuple[Array, Array]:
    """Return XP that gives less than each level (-1: none does) and XP that gives it, a doubling apart."""
    ladder = np.concatenate([[0.0], 2.0 ** np.arange(54)])
    levels = np.maximum.accumulate(level_at(ladder))
    step = np.searchsorted(levels, wanted)
    if (step == len(ladder)).any():
        first = wanted[step == len(ladder)][0]
        found = f"level {first:g} is never reached up to {HIGHEST_XP:.0f} XP"
        raise fault(place, found, "a formula that reaches max_level", "cap-never-reached")
    return np.where(step > 0, ladder[step - 1], -1.0), ladder[step]


def _looked_at(high: Array) -> Array:
    """XP values to look for a fall at: around and between the levels found, and evenly over the whole."""
    between = np.floor(high[:-1] + np.diff(high) / 2)
    evenly = np.floor(np.linspace(0, high[-1], 4097))
    return np.unique(np.concatenate([high, np.maximum(high - 1, 0), between, evenly]))


def _refuse_falls(exact_level: Callable[[Array], Array], xp: Array, place: str) -> None:
    value = exact_level(xp)
    # Rounding noise in the last bits is no fall.
    falls = np.nonzero(np.diff(value) < -1e-9 * np.maximum(np.abs(value[:-1]), 1))[0]
    if len(falls):
        i = int(falls[0])
        found = f"it falls from {value[i]:.6g} at {xp[i]:.0f} XP to {value[i + 1]:.6g} at {xp[i + 1]:.0f} XP"
        raise fault(place, found, "a formula that never falls", "level-from-xp-falls")


def level_from_xp(text: str, xp: Array, start: int, constants: Mapping[str, float]) -> Array:
    """Return the level that a `level_from_xp` formula gives for total XP earned."""
    return np.maximum(np.floor(evaluate(parse(text), {**constants, "xp": xp})), start)


def working_of_least_xp(text: str, total: float, level: int, start: int, constants: Mapping[str, float]) -> Working:
    """Return why some XP is the smallest for a level: the level there, and at one XP less."""
    found = of_formula(text, {**constants, "xp": total})
    lines = [_level_step(total, found.value, start, "")]
    xp = number_text(total)
    if total >= 1:
        less = of_formula(text, {**constants, "xp": total - 1}).value
        lines.append(_level_step(total - 1, less, start, f"so {xp} is the smallest whole XP for level {level}"))
    return found.then(*lines, Step("total", xp, total, "the smallest whole XP"))


def _level_step(xp: float, exact: float, start: int, note: str) -> Step:
    put_in = f"max(floor({number_text(exact)}), {start})"
    return Step(f"level at {number_text(xp)} XP", put_in, float(max(np.floor(exact), start)), note or "rounded down")
