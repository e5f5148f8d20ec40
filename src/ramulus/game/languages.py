"""The languages that a design is written in: their words, how they spell names and numbers, and their files."""

from __future__ import annotations

import keyword
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from ramulus.errors import UnknownNameError
from ramulus.game.expressions import Words

_PLAIN = {"min": "min", "max": "max", "abs": "abs"}
_OWN = {name: name for name in ("clip", "floor_div", "modulo")} | {"round": "half_away", "round_to": "nearest_to"}
_C_WORDS = (
    "alignas alignof and and_eq asm auto bitand bitor bool break case catch char class compl concept const "
    "const_cast constexpr continue decltype default delete do double dynamic_cast else enum explicit export "
    "extern false float for friend goto if inline int long mutable namespace new noexcept not not_eq nullptr "
    "operator or or_eq private protected public register reinterpret_cast requires return short signed sizeof "
    "static static_assert static_cast struct switch template this thread_local throw true try typedef typeid "
    "typename union unsigned using virtual void volatile wchar_t while xor xor_eq std detail"
)
_CSHARP_WORDS = (
    "abstract as base bool break byte case catch char checked class const continue decimal default delegate do "
    "double else enum event explicit extern false finally fixed float for foreach goto if implicit in int "
    "interface internal is lock long namespace new null object operator out override params private protected "
    "public readonly ref return sbyte sealed short sizeof stackalloc static string struct switch this throw "
    "true try typeof uint ulong unchecked unsafe ushort using virtual void volatile while System Leveling"
)
_JS_WORDS = (
    "arguments await break case catch class const continue debugger default delete do else enum eval export "
    "extends false finally for function if implements import in instanceof interface let new null package "
    "private protected public return static super switch this throw true try typeof var void while with yield"
)
_LUA_WORDS = (
    "and break do else elseif end false for function goto if in local nil not or repeat return then true until while"
)

# What stands beside names that the game tells, in the functions that say what an encounter awards.
_IN_AWARDS = (
    "source skill level drawn success told on player at gap source_level product bonus best add xp exact math clip "
    "modulo floor_div half_away nearest_to banded whole stat leveling level_of equals to_string get_type get_hash_code"
)


def snake(name: str) -> str:
    """Return a name with underscores."""
    return re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_").lower() or "design"


def camel(name: str) -> str:
    """Return a name with a capital inside each word but the first."""
    first, *rest = [part for part in snake(name).split("_") if part] or ["design"]
    return first + "".join(part.capitalize() for part in rest)


def pascal(name: str) -> str:
    """Return a name with a capital at each word."""
    word = camel(name)
    return word[0].upper() + word[1:]


def float_text(value: float) -> str:
    """Return a number that reads as a double everywhere."""
    return repr(float(value))


def short_text(value: float) -> str:
    """Return a number, a whole one without its point."""
    return str(int(value)) if float(value).is_integer() and abs(value) < 2**53 else repr(float(value))


def quoted(text: str, control: str = "\\u%04x") -> str:
    """Return a text in quotes; what does not print as an escape, where the language has one for it."""
    plain = text.replace("\\", "\\\\").replace('"', '\\"')
    most = 0xFFFF if "u" in control else 0x7F
    return '"' + "".join(one if one.isprintable() or ord(one) > most else control % ord(one) for one in plain) + '"'


@dataclass(frozen=True)
class Language:
    """One language.

    Attributes:
        name: as `--for` takes it.
        files: the files that are written, by template.
        words: how expressions are written.
        spell: how names of the design are spelt.
        reserved: what no name may be.
        quoted: how text is written.
    """

    name: str
    files: dict[str, str]
    words: Words
    spell: Callable[[str], str]
    reserved: frozenset[str]
    quoted: Callable[[str], str] = quoted

    def identifier(self, name: str) -> str:
        """Return a name that may stand in a program."""
        spelt = self.spell(name)
        spelt = f"n{spelt}" if spelt[0].isdigit() else spelt
        return f"{spelt}_" if spelt in self.reserved else spelt

    def told(self, name: str) -> str:
        """Return a name that the game tells of an encounter, and that hides none of what stands beside it."""
        spelt = self.identifier(name)
        return f"{spelt}_" if snake(name) in _IN_AWARDS.split() and not spelt.endswith("_") else spelt


PYTHON = Language(
    "python",
    {"leveling.py.jinja": "leveling.py", "harness.py.jinja": "harness.py"},
    Words(
        {**_PLAIN, **_OWN, "floor": "math.floor", "ceil": "math.ceil", "sqrt": "math.sqrt"},
        "and", "or", "not ", "!=", "{yes} if {test} else {no}", "1 if {test} else 0", short_text,
    ),
    snake, frozenset(keyword.kwlist),
)  # fmt: skip
JAVASCRIPT = Language(
    "javascript",
    {"leveling.mjs.jinja": "leveling.mjs", "leveling.d.mts.jinja": "leveling.d.mts",
     "harness.mjs.jinja": "harness.mjs"},
    Words(
        {name: f"Math.{name}" for name in ("min", "max", "abs", "floor", "ceil", "sqrt")}
        | {"clip": "clip", "round": "halfAway", "round_to": "nearestTo", "floor_div": "floorDiv", "modulo": "modulo"},
        "&&", "||", "!", "!==", "{test} ? {yes} : {no}", "{test} ? 1 : 0", short_text,
    ),
    camel, frozenset(_JS_WORDS.split()),
)  # fmt: skip
LUA = Language(
    "lua",
    {"leveling.lua.jinja": "leveling.lua", "harness.lua.jinja": "harness.lua"},
    Words(
        {name: f"math.{name}" for name in ("min", "max", "abs", "floor", "ceil", "sqrt")} | _OWN,
        "and", "or", "not ", "~=", "{test} and {yes} or {no}", "{test} and 1 or 0", short_text,
    ),
    snake, frozenset(_LUA_WORDS.split()), partial(quoted, control="\\%03d"),
)  # fmt: skip
CPP = Language(
    "cpp",
    {"leveling.hpp.jinja": "leveling.hpp", "harness.cpp.jinja": "harness.cpp"},
    Words(
        {"min": "std::min", "max": "std::max", "abs": "std::abs", "floor": "std::floor", "ceil": "std::ceil",
         "sqrt": "std::sqrt", **{name: f"detail::{own}" for name, own in _OWN.items()}},
        "&&", "||", "!", "!=", "{test} ? {yes} : {no}", "{test} ? 1.0 : 0.0", float_text, pairs=True,
    ),
    snake, frozenset(_C_WORDS.split()), partial(quoted, control="\\%03o"),
)  # fmt: skip
CSHARP = Language(
    "csharp",
    {"Leveling.cs.jinja": "Leveling.cs", "Harness.cs.jinja": "Harness.cs"},
    Words(
        {name: f"Math.{pascal(name)}" for name in ("min", "max", "abs", "floor", "sqrt")}
        | {"ceil": "Math.Ceiling", "clip": "Rounding.Clip", "round": "Rounding.HalfAway"}
        | {"round_to": "Rounding.NearestTo", "floor_div": "Rounding.FloorDiv", "modulo": "Rounding.Modulo"},
        "&&", "||", "!", "!=", "{test} ? {yes} : {no}", "{test} ? 1.0 : 0.0", float_text, pairs=True,
    ),
    pascal, frozenset(_CSHARP_WORDS.split()),
)  # fmt: skip
LANGUAGES = {language.name: language for language in (CSHARP, CPP, JAVASCRIPT, LUA, PYTHON)}


def language(name: str) -> Language:
    """Return a language by name.

    Raises:
        UnknownNameError: there is no such language.
    """
    if name not in LANGUAGES:
        raise UnknownNameError("language", name, LANGUAGES)
    return LANGUAGES[name]
