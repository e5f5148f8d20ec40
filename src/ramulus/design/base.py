"""What every model of the design file is made of."""

from __future__ import annotations

import keyword
import math
from typing import Annotated, Any, Literal, Self

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    PlainSerializer,
    PlainValidator,
    WithJsonSchema,
    model_validator,
)
from pydantic_core import PydanticCustomError

from ramulus.errors import FormulaError, shortly
from ramulus.formula.functions import BUILT_IN_NAMES, FUNCTIONS
from ramulus.formula.parser import parse

MOST_XP = 2**53
MOST_COUNT = 1_000_000_000
MOST_AMOUNT = 10**100  # Of one award, so that a sum of millions of them is still far from what float64 ends at.


def _refuses(*_: Any, **__: Any) -> Any:
    raise TypeError("a design is frozen; Design.with_values gives a changed copy")


class FrozenDict(dict[Any, Any]):
    """A dict that stays as it is: what was tabulated from it would not follow a change."""

    __setitem__ = __delitem__ = __ior__ = clear = pop = popitem = setdefault = update = _refuses

    def __reduce__(self) -> Any:
        return FrozenDict, (dict(self),)


class FrozenList(list[Any]):
    """A list that stays as it is."""

    __setitem__ = __delitem__ = __iadd__ = __imul__ = append = clear = extend = insert = pop = remove = _refuses
    reverse = sort = _refuses

    def __reduce__(self) -> Any:
        return FrozenList, (list(self),)


class Model(BaseModel):
    """A table of the design file: frozen, and with no keys but the ones it names."""

    def __setattr__(self, name: str, value: Any) -> None:
        if not name.startswith("_"):
            _refuses()
        super().__setattr__(name, value)

    # Built on first use: most commands meet few of the kinds, and the whole design holds the rest anyway.
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, allow_inf_nan=False, defer_build=True)

    @model_validator(mode="after")
    def _freeze(self) -> Self:
        for name, value in self.__dict__.items():
            if type(value) is dict or type(value) is list:
                self.__dict__[name] = FrozenDict(value) if isinstance(value, dict) else FrozenList(value)
        return self


def _mistake(found: str, allowed: str, code: str = "invalid-value", nearest: str | None = None) -> Exception:
    context = {"found": found, "allowed": allowed, "code": code, "nearest": nearest or ""}
    return PydanticCustomError("ramulus", "{found}", context)


def _number(value: Any) -> float:
    # NumPy's numbers are numbers; they are known by what they can do, so that it need not be loaded here.
    if not isinstance(value, int | float) and hasattr(value, "dtype") and getattr(value, "ndim", None) == 0:
        value = value.item()
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise _mistake(f"{shortly(value)} is not a number", "a number")
    if (isinstance(value, int) and abs(value) > 2**1000) or not math.isfinite(value):
        raise _mistake(f"{shortly(value)} is not a finite number", "a finite number")
    return value


def _formula(value: Any) -> str:
    if not isinstance(value, str):
        raise _mistake(f"{shortly(value)} is not a formula", "a formula, as text in quotes")
    try:
        parse(value)
    except FormulaError as error:
        raise _mistake(error.found, error.allowed, error.code, error.nearest) from None
    return value


def _number_or_formula(value: Any) -> float | str:
    return _formula(value) if isinstance(value, str) else _number(value)


def _level_or_formula(value: Any) -> int | str:
    if isinstance(value, str):
        return _formula(value)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST_LEVEL:
        raise _mistake(f"{shortly(value)} is no level", f"a whole number 0 … {MOST_LEVEL}, or a formula of level")
    return value


def _at_least_zero(value: float) -> float:
    if value < 0:
        raise _mistake(f"{value!r} is below 0", "0 or more")
    return value


def _above_zero(value: float) -> float:
    if value <= 0:
        raise _mistake(f"{value!r} is not above 0", "above 0")
    return value


def _xp_amount(value: float) -> float:
    if not 0 <= value <= MOST_XP:
        raise _mistake(f"{shortly(value)} XP", f"0 … {MOST_XP} XP, which float64 holds exactly")
    return value


def _share(value: float) -> float:
    if not 0 <= value <= 1:
        raise _mistake(f"{value!r} is outside 0 … 1", "0 … 1")
    return value


def _plain_name(value: Any) -> str:
    text = str(value)
    if not (text.isascii() and text.isidentifier() and not text.startswith("_")):
        raise _mistake(f"the name {text!r}", "letters, digits and underscores, a letter first", "invalid-name")
    return text


_MEANINGS = {
    "level": "every formula that follows the level",
    "previous": "tracks.NAME.cost.next, where it is the cost before,",
    "xp": "tracks.NAME.cost.level_from_xp, where it is the total XP,",
    "base": "stats.NAME.formula, where it is the stat's own base,",
    "start_level": "stats.NAME.formula, where it is the level at the start,",
    **dict.fromkeys(("source_level", "gap", "skill_level"), "the formulas of encounters, sources and multipliers"),
    **dict.fromkeys(("leader_level", "party_size"), "the formulas of multipliers"),
}


def _formula_name(value: Any) -> str:
    name = _plain_name(value)
    if name in BUILT_IN_NAMES:
        hidden = f"the function {name}()" if name in (*FUNCTIONS, "sum", "range") else f"what Ramulus calls {name!r}"
        hidden = f"the word {name!r} of formulas" if keyword.iskeyword(name) else hidden
        hidden += f": {_MEANINGS[name]} would lose it" if name in _MEANINGS else ""
        raise _mistake(f"the name {name!r} would hide {hidden}", "any other name", "hidden-name")
    return name


_NUMBER_SCHEMA = WithJsonSchema({"type": "number"})
_AS_IT_IS = PlainSerializer(lambda value: value, return_type=Any)
Number = Annotated[float, PlainValidator(_number), _AS_IT_IS, _NUMBER_SCHEMA]
"""A finite number, kept as the author wrote it (a whole number stays one)."""
NotNegative = Annotated[Number, AfterValidator(_at_least_zero), WithJsonSchema({"type": "number", "minimum": 0})]
Positive = Annotated[Number, AfterValidator(_above_zero), WithJsonSchema({"type": "number", "exclusiveMinimum": 0})]
XpAmount = Annotated[
    Number, AfterValidator(_xp_amount), WithJsonSchema({"type": "number", "minimum": 0, "maximum": MOST_XP})
]
Share = Annotated[Number, AfterValidator(_share), WithJsonSchema({"type": "number", "minimum": 0, "maximum": 1})]
FormulaText = Annotated[str, PlainValidator(_formula), WithJsonSchema({"type": "string", "maxLength": 2000})]
NumberOrFormula = Annotated[
    float | str,
    PlainValidator(_number_or_formula),
    _AS_IT_IS,
    WithJsonSchema({"type": ["number", "string"], "maxLength": 2000}),
]
PlainName = Annotated[str, PlainValidator(_plain_name), WithJsonSchema({"type": "string"})]
"""The name of a track, source, player profile, …"""
FormulaName = Annotated[str, PlainValidator(_formula_name), WithJsonSchema({"type": "string"})]
"""The name of a number that formulas can use."""
MOST_LEVEL = 10_000_000
Level = Annotated[int, Field(ge=0, le=MOST_LEVEL)]
LevelOrFormula = Annotated[
    int | str, PlainValidator(_level_or_formula), _AS_IT_IS,
    WithJsonSchema({"type": ["integer", "string"], "minimum": 0, "maximum": MOST_LEVEL, "maxLength": 2000}),
]  # fmt: skip
"""A level, or a formula that gives one, rounded down."""
Rounding = Literal["down", "nearest", "up", "none"]
Beyond = Literal["error", "hold"]
RoundingTo = Annotated[int, Field(ge=1, le=MOST_COUNT)] | None
Between = Literal["straight", "smooth", "geometric", "step"]
Gives = Literal["cost", "total"]
Point = Annotated[list[Number], Field(min_length=2, max_length=2)]
Points = Annotated[list[Point], Field(min_length=1)]


def number_up_to(most: float, least: float = 0) -> WithJsonSchema:
    """Return the JSON Schema of a number between two ends."""
    return WithJsonSchema({"type": "number", "minimum": least, "maximum": most})


def ordered(model: Model, low_key: str, high_key: str, words: str, code: str = "invalid-value") -> None:
    """Refuse a model whose lower end is above its upper end; either may be missing."""
    low, high = getattr(model, low_key), getattr(model, high_key)
    if low is not None and high is not None and low > high:
        raise _mistake(f"{low_key} {low} {words} {high_key} {high}", f"{low_key} ≤ {high_key}", code)


def rounded_to(rounding: str, to: int | None) -> None:
    """Refuse a multiple to round to where nothing is rounded."""
    if to is not None and rounding == "none":
        allowed = 'together with rounding = "down", "nearest" or "up"'
        raise _mistake("rounding_to without rounding", allowed, "incomplete-pair")
