"""Everything that Ramulus raises on purpose, in one small tree.

Each error carries what a reader needs to mend it: the place, what was found, what is allowed there, and the
nearest allowed name where a name was mistyped.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass


@dataclass(frozen=True)
class Problem:
    """One mistake in a design.

    Attributes:
        place: where it stands, as a dotted path such as ``tracks.warden.cost.formula``.
        found: what is wrong there, in words.
        allowed: what may stand there instead ("" when the message says it all).
        nearest: the allowed name closest to a mistyped one, or None.
        code: a stable short name of the kind of mistake, as listed in ``docs/findings.md``.
        file: the file it stands in, where that is another one than that of the design; else None.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.demo_design().with_values({"tracks.warden.max_level": 0})
        ... except rm.DesignError as error:
        ...     print(error.problems[0].place)
        tracks.warden
    """

    place: str
    found: str
    allowed: str = ""
    nearest: str | None = None
    code: str = "invalid-value"
    file: str | None = None

    def __str__(self) -> str:
        parts = [f"{self.place}: {self.found}" if self.place else self.found]
        if self.allowed:
            parts.append(f"allowed: {self.allowed}")
        if self.nearest:
            parts.append(f"did you mean {self.nearest!r}?")
        return "; ".join(parts)


class RamulusError(Exception):
    """The base of every error that Ramulus raises on purpose.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.simulate(rm.demo_design(), players=0)
        ... except rm.RamulusError as error:
        ...     print(error)
        no players to play; allowed: 1 or more
    """


class FormulaError(RamulusError):
    """A formula cannot be read, or gives no finite number.

    Attributes:
        found: what is wrong, in words.
        allowed: what may stand there instead.
        nearest: the nearest allowed name, or None.
        code: the stable short name of the kind of mistake.

    Examples:
        >>> import ramulus as rm
        >>> from ramulus.formula.parser import parse
        >>> try:
        ...     parse("2 **")
        ... except rm.FormulaError as error:
        ...     print(error)
        '2 **' is not an expression (invalid syntax)
    """

    def __init__(
        self, found: str, *, allowed: str = "", nearest: str | None = None, code: str = "formula-syntax"
    ) -> None:
        self.found, self.allowed, self.nearest, self.code = found, allowed, nearest, code
        super().__init__(str(Problem("", found, allowed, nearest, code)))

    def at(self, place: str) -> Problem:
        """Return the same mistake with the place in the design where the formula stands."""
        return Problem(place, self.found, self.allowed, self.nearest, self.code)


class DesignError(RamulusError):
    """A design is at fault: all of its mistakes at once.

    Attributes:
        problems: the mistakes, in the order of the file.
        file: the file's name, or what else tells the design from others; None where there is no other.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.demo_design().with_values({"tracks.warden.max_level": 0})
        ... except rm.DesignError as error:
        ...     print(error)
        tracks.warden: max_level 0 is not above start_level 1; allowed: max_level > start_level
    """

    def __init__(self, problems: Iterable[Problem], file: str | None = None) -> None:
        self.problems = tuple(problems)
        self.file = file
        super().__init__(self.problems, file)  # Errors cross process borders when a simulation runs on a pool.

    def __str__(self) -> str:
        lines = []
        for problem in self.problems:
            file = problem.file or self.file
            lines.append(f"{file}: {problem}" if file else str(problem))
        return "\n".join(lines)


class MissingPartError(DesignError):
    """A command or call needs a part of the design that is not there; ``example`` is the smallest one."""

    def __init__(self, part: str, needed_for: str, example: str, meant: str = "") -> None:
        self.part, self.needed_for, self.example, self.meant = part, needed_for, example, meant
        hint = f"; did you mean it by {meant}?" if meant else ""
        found = f"missing, and {needed_for} needs it{hint}; the smallest example:\n\n{example.rstrip()}\n"
        super().__init__([Problem(part, found, code="missing-part")])

    def __reduce__(self) -> tuple[type[MissingPartError], tuple[str, str, str, str], dict[str, object]]:
        return MissingPartError, (self.part, self.needed_for, self.example, self.meant), vars(self)


class UnknownNameError(RamulusError):
    """A name was asked for that the design does not have.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.demo_design().track("wardn")
        ... except rm.UnknownNameError as error:
        ...     print(error)
        no track is called 'wardn'; there are: warden, grafting; did you mean 'warden'?
    """

    def __init__(self, kind: str, name: str, known: Iterable[str], why: str = "") -> None:
        self.kind, self.name, self.known, self.why = kind, name, tuple(known), why
        if why:
            super().__init__(f"no {kind} is called {name!r}: {why}")
            return
        listed = ", ".join(self.known) or "none at all"
        near = nearest_name(name, self.known)
        hint = f"; did you mean {near!r}?" if near else ""
        super().__init__(f"no {kind} is called {name!r}; there are: {listed}{hint}")

    def __reduce__(self) -> tuple[type[UnknownNameError], tuple[str, str, tuple[str, ...], str]]:
        return UnknownNameError, (self.kind, self.name, self.known, self.why)


class AwardError(RamulusError, ValueError):
    """An award, loss or payment that no ledger can book; the ledger is unchanged.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.Ledger(rm.demo_design()).award(float("nan"))
        ... except rm.AwardError as error:
        ...     print(error)
        an award of nan; allowed: a finite number of 0 or more, at most 1e+100
    """


class SavedLedgerError(RamulusError):
    """A saved ledger does not belong to this design, or is damaged.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.Ledger.from_dict(rm.demo_design(), {"level": -1})
        ... except rm.SavedLedgerError as error:
        ...     print(error)
        a damaged saved ledger, or one of a track that the design does not have
    """


class DataError(RamulusError):
    """A data file (a cost table, a list of awards, a table to write) is at fault.

    Examples:
        >>> import ramulus as rm
        >>> try:
        ...     rm.demo_design().save("canopy.xyz")
        ... except rm.DataError as error:
        ...     print(error)
        canopy.xyz: a design cannot be written as .xyz; allowed: .toml, .json
    """


class EndingError(DataError):
    """A file to write has an ending that does not go with what is to be written."""

    exit_status = 2  # Whoever named the file is at fault, not what would stand in it.


@contextmanager
def naming(design: str) -> Iterator[None]:
    """Name the design, by its file or otherwise, in an error that was found on evaluating it and does not say whose."""
    try:
        yield
    except DesignError as error:
        error.file = error.file or design
        raise


def refuse_other_than_design(given: object) -> None:
    """Refuse what is no design, in words: a path is what people first try.

    Raises:
        RamulusError: it is none.
    """
    _refuse_without("derived", given, "a design, as load_design(path) reads it")


def refuse_other_than_log(given: object) -> None:
    """Refuse what is no log, likewise.

    Raises:
        RamulusError: it is none.
    """
    _refuse_without("reading", given, "a log, as read_log(path, design) reads it")


def _refuse_without(attribute: str, given: object, allowed: str) -> None:
    if not hasattr(given, attribute):
        kind = "a path" if isinstance(given, str) or hasattr(given, "__fspath__") else f"a {type(given).__name__}"
        raise RamulusError(f"{kind} was given ({shortly(given)}); allowed: {allowed}")


def refuse_single_name(given: object, what: str) -> None:
    """Refuse a text where names are asked for: its letters would be taken for them.

    Raises:
        RamulusError: it is one.
    """
    if isinstance(given, str):
        raise RamulusError(f"{what} is the text {shortly(given)}; allowed: a list of names, such as [{shortly(given)}]")


def refuse_unnamed(given: object, what: str, example: str) -> None:
    """Refuse what is no mapping where things are asked for by name.

    Raises:
        RamulusError: it is none.
    """
    if not isinstance(given, Mapping):
        raise RamulusError(f"{what} is a {type(given).__name__}; allowed: by name, such as {example}")


def shortly(value: object, most: int = 40) -> str:
    """Return a value as an error shows it: cut where it is long."""
    try:
        text = repr(value)
    except ValueError:  # Python writes no whole number of more than some thousands of digits.
        return "a number of thousands of digits"
    return text if len(text) <= most else text[: most - 1] + "…"


def nearest_name(name: str, allowed: Iterable[str], cutoff: float = 0.6) -> str | None:
    """Return the allowed name most like `name`, or None when none is close."""
    matches = difflib.get_close_matches(name, list(allowed), n=1, cutoff=cutoff)
    return matches[0] if matches else None
