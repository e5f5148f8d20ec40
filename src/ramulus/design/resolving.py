"""Formulas of constants alone: constants from constants, and formulas where a number alone is asked for."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args, get_origin

from pydantic import BaseModel
from pydantic_core import PydanticCustomError

from ramulus.design.annotations import bare, model_of, takes_text
from ramulus.design.stated_formulas import Location, place_of
from ramulus.errors import FormulaError, Problem, nearest_name
from ramulus.formula.parser import parse


class Resolved:
    """Data with numbers in place of the formulas of constants.

    Attributes:
        data: the data.
        formulas: the text of each formula that was replaced, by its location.
        problems: formulas that could not be, with their locations.
    """

    def __init__(self, data: dict[str, Any], model: type[BaseModel]) -> None:
        self.formulas: dict[Location, str] = {}
        self.problems: list[tuple[Location, Problem]] = []
        self.constants = self._constants(data.get("constants"))
        found = {key: part for key, part in data.items() if key != "constants"}
        self.data = self._walk(found, model, ())
        if "constants" in data:
            self.data["constants"] = self._with_numbers(data["constants"])

    # --- constants ---------------------------------------------------------------------------------------------

    def _constants(self, stated: Any) -> dict[str, float]:
        """Return the constants that are numbers, or come to one."""
        if not isinstance(stated, Mapping):
            return {}
        numbers = {name: value for name, value in stated.items() if _is_number(value)}
        texts = {name: value for name, value in stated.items() if isinstance(value, str)}
        waiting = dict(texts)
        while waiting:
            ready = [name for name, text in waiting.items() if _names_of(text) <= numbers.keys()]
            if not ready:
                break
            for name in ready:
                value = self._value(("constants", name), waiting.pop(name), numbers)
                numbers[name] = 0.0 if value is None else value
        for name, text in waiting.items():
            self._wait(name, text, stated)
        return numbers

    def _wait(self, name: str, text: str, stated: Mapping[str, Any]) -> None:
        """Note why a constant comes to no number: it reads itself, in a circle, or what is no constant."""
        location: Location = ("constants", name)
        self.formulas[location] = text
        unknown = [other for other in _names_of(text) if other not in stated]
        if unknown:
            self.problems.append((location, _unknown("constants." + name, unknown[0], stated)))
        elif name in _read_by(name, stated):
            found = f"{text!r} reads itself, by {', '.join(sorted(_names_of(text)))}"
            problem = Problem(f"constants.{name}", found, "constants that lead to numbers", code="constant-circle")
            self.problems.append((location, problem))

    def _with_numbers(self, stated: Any) -> Any:
        if not isinstance(stated, Mapping):
            return stated
        return {
            name: self.constants.get(name, 0.0) if isinstance(value, str) else value for name, value in stated.items()
        }

    # --- numbers -----------------------------------------------------------------------------------------------

    def _walk(self, value: Any, annotation: Any, at: Location) -> Any:
        """Return a value with numbers in place of formulas, where its annotation takes a number and no text."""
        if isinstance(value, str):
            return self._number(value, annotation, at)
        if isinstance(value, Mapping):
            return {
                key: self._walk(part, _below(annotation, value, key), (*at, str(key))) for key, part in value.items()
            }
        if isinstance(value, list):
            inner = get_args(bare(annotation))
            return [self._walk(part, inner[0] if inner else Any, (*at, index)) for index, part in enumerate(value)]
        return value

    def _number(self, text: str, annotation: Any, at: Location) -> Any:
        what = bare(annotation)
        if what not in (int, float) or takes_text(annotation) or not _is_formula(text):
            return text
        value = self._value(at, text, self.constants)
        if value is None:
            return text
        return int(value) if what is int and float(value).is_integer() else value

    def _value(self, at: Location, text: str, names: Mapping[str, float]) -> float | None:
        self.formulas[at] = text
        place = place_of(at)
        try:
            unknown = [name for name in parse(text).names if name not in names]
            if unknown:
                raise FormulaError("", code="unknown-name")
            from ramulus.formula.evaluation import evaluate

            value = float(evaluate(parse(text), dict(names)))
        except FormulaError as error:
            problem = _unknown(place, unknown[0], names) if error.code == "unknown-name" else error.at(place)
            self.problems.append((at, problem))
            return None
        return int(value) if value.is_integer() else value


def _is_number(value: Any) -> bool:
    return not isinstance(value, bool | str | list | dict) and isinstance(value, int | float)


def _is_formula(text: str) -> bool:
    """Return whether a text can be read as a formula; what cannot is wrong as the number that it is not."""
    try:
        parse(text)
    except FormulaError:
        return False
    return True


def _names_of(text: str) -> set[str]:
    try:
        return set(parse(text).names)
    except FormulaError:
        return set()


def _read_by(name: str, stated: Mapping[str, Any]) -> set[str]:
    """Return all constants that a constant reads, directly or through others."""
    found: set[str] = set()
    to_read = [name]
    while to_read:
        text = stated.get(to_read.pop())
        for other in _names_of(text) - found if isinstance(text, str) else ():
            found.add(other)
            to_read.append(other)
    return found


def _unknown(place: str, name: str, known: Mapping[str, Any]) -> Problem:
    listed = ", ".join(known) or "none"
    found = f"the name {name!r} is no constant, and here is a number, or a formula of constants"
    return Problem(place, found, f"constants: {listed}", nearest_name(name, known), "unknown-name")


def _below(annotation: Any, data: Mapping[str, Any], key: str) -> Any:
    """Return the annotation of a key of a table."""
    try:
        model = model_of(annotation, data)
    except PydanticCustomError:  # It is of no kind, which is said when it is validated.
        return Any
    if model is not None:
        field = model.model_fields.get(str(key))
        return Any if field is None else field.annotation
    inner = get_args(bare(annotation))
    return inner[-1] if get_origin(bare(annotation)) is dict and inner else Any
