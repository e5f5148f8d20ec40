"""What authors write out of habit from spreadsheets, mathematics or other languages, and what it is here."""

from __future__ import annotations

import re
from collections.abc import Callable

from ramulus.formula.functions import FUNCTIONS

_SIGNS = {
    "×": "*", "·": "*", "÷": "/", "−": "-", "–": "-", "≤": "<=", "≥": ">=", "≠": "!=", "²": " ** 2", "³": " ** 3",
    "&&": " and ", "||": " or ", "<>": "!=", "^": " ** ", "\u00a0": " ",
}  # fmt: skip
_PERCENT = re.compile(r"(\d+(?:\.\d+)?)\s*%(?=\s*(?:$|[-+*/),<>=]))")
_DECIMAL_COMMA = re.compile(r"(\d),(\d)")
_SINGLE_EQUALS = re.compile(r"(?<![<>=!])=(?!=)")
_CHOICE = re.compile(r"^([^?:]+)\?([^?:]+):([^?:]+)$")
_MISSING_TIMES = re.compile(
    r"(?<![\w.])(\d+(?:\.\d+)?)\s*(?!(?:if|else|and|or|not|for|in)\b)(?![eE][-+]?\d)(?=[A-Za-z_(])"
)
# How many arguments a call has, and what it is here. To round to other digits than whole ones has no such form.
_CALLS: dict[str, tuple[int, str]] = {
    "if": (3, "({1} if {0} else {2})"),
    "power": (2, "({0}) ** ({1})"),
    "pow": (2, "({0}) ** ({1})"),
    "mod": (2, "(({0}) % ({1}))"),
    "ln": (1, "log({0})"),
    "log": (1, "log10({0})"),  # Of ten in a spreadsheet, where capitals come from; natural here.
    "int": (1, "floor({0})"),
    "trunc": (1, "floor({0})"),
    "rounddown": (1, "floor({0})"),
    "roundup": (1, "ceil({0})"),
    "ceiling": (1, "ceil({0})"),
}


_WHOLE = {"rounddown": ["0"], "roundup": ["0"], "trunc": ["0"], "ceiling": ["1"]}


def meant(text: str, is_formula: Callable[[str], bool]) -> str | None:
    """Return the formula that an author may have meant by a text that is none, or None.

    Args:
        text: what the author wrote.
        is_formula: tells whether a text is a formula; nothing is suggested that is not.
    """
    changed = text.strip().removeprefix("=").strip()
    for sign, instead in _SIGNS.items():
        changed = changed.replace(sign, instead)
    changed = _PERCENT.sub(lambda found: f"{float(found[1]) / 100:g}", changed)
    changed = _CHOICE.sub(r"\2 if \1 else \3", changed)
    for name in dict.fromkeys(["log", "ln", *_CALLS, *FUNCTIONS]):
        changed = _with_call(changed, name)
    for last in (lambda t: t, _with_times, _with_equals, _with_point, lambda t: _with_times(_with_point(t))):
        found = _tidy(_unwrapped(last(changed)))
        if found != text.strip() and is_formula(found):
            return found
    return None


def _with_times(text: str) -> str:
    return _MISSING_TIMES.sub(r"\1 * ", text)


def _with_equals(text: str) -> str:
    return _SINGLE_EQUALS.sub(" == ", text)


def _with_point(text: str) -> str:
    return _DECIMAL_COMMA.sub(r"\1.\2", text)


def _tidy(text: str) -> str:
    return re.sub(r"\s+", " ", re.sub(r"(?<![\w.])\(([\w.]+)\)", r"\1", text)).strip()


def _with_call(text: str, name: str) -> str:
    """Return a text whose calls of a function, in any case, are written as they are here."""
    found = re.search(rf"(?<![\w.]){name}\s*\(", text, flags=re.IGNORECASE)
    if found is None or (name in FUNCTIONS and found[0].startswith(name)):
        return text
    arguments, end = _arguments(text, found.end())
    if arguments is None:
        return text
    if name not in _CALLS:
        written = f"{name}({', '.join(arguments)})"
    else:
        wanted, form = _CALLS[name]
        arguments = [_with_call(argument, name) for argument in arguments]
        if len(arguments) != wanted and arguments[wanted:] != _WHOLE.get(name):
            return text
        written = form.format(*arguments)
    return text[: found.start()] + written + _with_call(text[end:], name)


def _unwrapped(text: str) -> str:
    """Return a text without parentheses around all of it."""
    return text[1:-1] if text.startswith("(") and _arguments(text, 1)[1] == len(text) else text


def _arguments(text: str, start: int) -> tuple[list[str] | None, int]:
    """Return what stands between the commas of a call, and where the call ends."""
    depth, parts, first = 1, [], start
    for place in range(start, len(text)):
        depth += {"(": 1, ")": -1}.get(text[place], 0)
        if depth == 0 or (depth == 1 and text[place] in ",;"):
            parts.append(text[first:place].strip())
            first = place + 1
        if depth == 0:
            return parts, place + 1
    return None, start
