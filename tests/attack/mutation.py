"""Designs, formulas and bytes as no author writes them."""

from __future__ import annotations

import copy
import math
import random
from collections.abc import Iterable
from typing import Any

ODD: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 2, 3.5, -0.0, 1e-320, 1e308, 10**30, 10**400, float("nan"), float("inf"), "", " ", "0", "level",
    "1 / 0", "level ** level", "0.if", "9 ** 9 ** 9", "__import__('os')", "x" * 3000, "=1+1", "a\x1b[31m", "\u202eabc", "\0", "null",
    "nothing * 2", "previous", "exp(level * 20)", "sqrt(level - 5)", {"low": 1}, {"one_of": []}, {"level": {}}, {"low": 0, "high": 2**53},
    "../../etc/passwd", "/dev/zero", "costs.csv", "none", [], [[]], [0], [1, 2, 3], [1e308] * 3, list(range(500)), {}, {"": 1},
    {"formula": "level"}, {"first": 1, "next": "previous"}, {"values": [5, 4]}, {"low": 2, "high": 1}, {"mean": 0, "sd": 1e300},
)  # fmt: skip
FACTORS = (-1, 0, 1e-9, 0.5, 2, 10, 1e3, 1e6, 1e15, 1e300)


def places(data: Any, before: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place of nested tables and lists."""
    inside = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    return [place for key, part in inside for place in ((*before, key), *places(part, (*before, key)))]


def mutated(data: dict[str, Any], dice: random.Random) -> dict[str, Any]:
    """A copy with one to four things wrong with its structure, its names or its numbers."""
    data = copy.deepcopy(data)
    for _ in range(dice.choice((1, 1, 1, 2, 4))):
        all_of_them = places(data)
        if not all_of_them:
            break
        place = dice.choice(all_of_them)
        holder = at(data, place[:-1])
        dice.choice(_WAYS)(data, holder, place[-1], dice)
    return data


def at(data: Any, place: tuple[Any, ...]) -> Any:
    for key in place:
        data = data[key]
    return data


def _gone(_: Any, holder: Any, key: Any, __: random.Random) -> None:
    del holder[key]


def _odd(_: Any, holder: Any, key: Any, dice: random.Random) -> None:
    holder[key] = copy.deepcopy(dice.choice(ODD))


def _scaled(_: Any, holder: Any, key: Any, dice: random.Random) -> None:
    if isinstance(holder[key], int | float) and not isinstance(holder[key], bool):
        factor = dice.choice(FACTORS)
        holder[key] = int(holder[key] * factor) if isinstance(holder[key], int) else holder[key] * factor


def _from_elsewhere(data: Any, holder: Any, key: Any, dice: random.Random) -> None:
    holder[key] = copy.deepcopy(at(data, dice.choice(places(data))))


def _renamed(_: Any, holder: Any, key: Any, dice: random.Random) -> None:
    if isinstance(holder, dict):
        name = dice.choice(
            (key[:-1], key + "s", key[::-1], key.upper(), "level", "", "a.b", "é", "lambda", "constants")
        )
        holder[name] = holder.pop(key)


def _twice(_: Any, holder: Any, key: Any, dice: random.Random) -> None:
    if isinstance(holder, list):
        holder.extend(copy.deepcopy(holder[key]) for _ in range(dice.choice((1, 2, 200))))
    else:
        holder[f"{key}_2"] = copy.deepcopy(holder[key])


def _text_mangled(_: Any, holder: Any, key: Any, dice: random.Random) -> None:
    if isinstance(holder[key], str) and holder[key]:
        cut = dice.randrange(len(holder[key]))
        holder[key] = (
            holder[key][:cut]
            + dice.choice(("", "(", ")", " ", "*", "/ 0", "level", "é", "'", "\n"))
            + holder[key][cut + 1 :]
        )


_WAYS = (_gone, _odd, _odd, _scaled, _scaled, _from_elsewhere, _renamed, _twice, _text_mangled)


def damaged(data: bytes, dice: random.Random) -> bytes:
    """Bytes cut off, flipped, doubled, or of another kind."""
    how = dice.randrange(6)
    if how == 0:
        return data[: dice.randrange(len(data) + 1)]
    if how == 1:
        return data[dice.randrange(len(data) + 1) :]
    if how == 2:
        start = dice.randrange(len(data) + 1)
        return data[:start] + data[start : start + 300] * dice.choice((2, 50)) + data[start:]
    if how == 3:
        return dice.randbytes(dice.choice((0, 1, 4, 100, 5000)))
    changed = bytearray(data)
    for _ in range(dice.choice((1, 1, 3, 30))):
        if changed:
            changed[dice.randrange(len(changed))] = dice.choice((0, 10, 34, 44, 91, 123, 127, 255, dice.randrange(256)))
    return bytes(changed)


def _half_away(x: float) -> float:
    return math.copysign(math.floor(abs(x) + 0.5), x) if abs(x) < 2**51 else x


def _fold(items: Iterable[float]) -> float:
    total = 0.0
    for item in items:
        total += item
    return total


PYTHON: dict[str, Any] = {
    "floor": lambda x: float(math.floor(x)), "ceil": lambda x: float(math.ceil(x)), "round": _half_away, "sqrt": math.sqrt,
    "abs": abs, "min": min, "max": max, "sum": _fold, "clip": lambda x, low, high: min(max(x, low), high),
    "range": lambda a, b: map(float, range(int(a), int(b))),
}  # fmt: skip


def by_python(text: str, level: float, a: float) -> float:
    """What Python makes of a formula; not a number where it refuses to."""
    try:
        return float(eval(text, {"__builtins__": {}, **PYTHON, "level": level, "a": a}))
    except (ZeroDivisionError, OverflowError, ValueError):
        return math.nan


def formula(dice: random.Random, depth: int = 4) -> str:
    """A formula whose value Python computes with the very same rounding of each step."""
    if depth == 0 or dice.random() < 0.2:
        return dice.choice(("0.0", "1.0", "2.0", "3.0", "0.5", "0.1", "7.0", "1e-3", "250.0", "level", "level", "a"))
    x, y, z = (formula(dice, depth - 1) for _ in range(3))
    return dice.choice(
        (
            f"({x} {dice.choice(['+', '-', '*', '/', '//', '%'])} {y})", f"{dice.choice(['floor', 'ceil', 'round', 'abs'])}({x})",
            f"{dice.choice(['min', 'max'])}({x}, {y})", f"sqrt(abs({x}))", f"-{x}", f"({x} if {y} < {z} else {y})",
            f"({x} {dice.choice(['<', '<=', '==', '!='])} {y} {dice.choice(['>', '>='])} {z})", f"({x} and {y})", f"({x} or {y})",
            f"(not {x})", f"clip({x}, -3.0, 40.0)", f"sum({x} + i * {y} for i in range(1, level))", f"max(i - {x} for i in range(0, 4))",
            f"sum(i * {x} for i in range(level, level + 3))",
        )
    )  # fmt: skip
