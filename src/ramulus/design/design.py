"""The design: everything that one file says."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, TypeVar

from pydantic import Field, PrivateAttr

from ramulus.design.base import FormulaName, Model, Number, PlainName
from ramulus.design.encounter import Awards, Encounter
from ramulus.design.multiplier import Multiplier
from ramulus.design.player import Goal, Party, Player
from ramulus.design.source import Source
from ramulus.design.stat import Stat, Upgrade
from ramulus.design.track import Track
from ramulus.errors import MissingPartError, UnknownNameError

if TYPE_CHECKING:
    import os

FORMAT = 1
_T = TypeVar("_T")


class Design(Model):
    """A whole design. Frozen: `with_values` gives a changed copy."""

    format: Literal[1]
    """The version of this format."""
    title: Annotated[str, Field(min_length=1)]
    """What the design is called in tables and figures."""
    constants: dict[FormulaName, Number] = {}
    """Numbers to tune, usable by name in every formula."""
    tracks: Annotated[dict[PlainName, Track], Field(min_length=1)]
    """What gains experience, by name."""
    main_track: PlainName | None = None
    """The main track (default: the first)."""
    stats: dict[FormulaName, Stat] = {}
    """Numbers of the character that grow with level."""
    upgrades: dict[PlainName, Upgrade] = {}
    """What points buy."""
    sources: dict[PlainName, Source] = {}
    """What awards XP."""
    encounter: Encounter | None = None
    """How long an attempt at a source takes and how likely it succeeds."""
    awards: Awards = Awards()
    """How multiplied XP becomes an award."""
    multipliers: list[Multiplier] = []
    """What scales awards, in order."""
    players: dict[PlainName, Player] = {}
    """Kinds of player."""
    party: Party | None = None
    """Players who share every encounter."""
    goals: list[Goal] = []
    """Where the pace should be."""

    _file: Path | None = PrivateAttr(default=None)
    _text: str | None = PrivateAttr(default=None)

    @classmethod
    def from_dict(cls, data: Mapping[str, Any], *, file: str | os.PathLike[str] | None = None) -> Design:
        """Make a design from plain data in the shape of the design file.

        Args:
            data: tables, lists, text and numbers, as `tomllib` or `json` read them.
            file: where the data came from; relative file names in it are looked up beside it.

        Raises:
            DesignError: the data is no design; the error holds every mistake.
        """
        from ramulus.design.problems import validated

        return validated(dict(data), Path(file) if file is not None else None)

    def to_dict(self) -> dict[str, Any]:
        """Return the design as plain data; what the author left out stays out."""
        return self.model_dump(mode="json", exclude_unset=True)

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the design, as TOML or JSON by the file's ending, whole or not at all.

        A design read from TOML keeps its author's comments and order.

        Raises:
            DataError: the ending is neither .toml nor .json, or the file cannot be written.
        """
        from ramulus.design.saving import save_design

        save_design(self, Path(path))

    def with_values(self, values: Mapping[str, Any]) -> Design:
        """Return a copy with some values changed; this one stays as it is.

        Args:
            values: new values by dotted place, such as ``{"constants.steepness": 1.4}``.

        Raises:
            UnknownNameError: a place does not exist.
            DesignError: a value is not allowed at its place.

        Examples:
            >>> import ramulus as rm
            >>> softer = rm.demo_design().with_values({"constants.steepness": 1.2})
            >>> softer.constants["steepness"]
            1.2
        """
        from ramulus.design.places import with_values

        return with_values(self, values)

    @property
    def main_track_name(self) -> str:
        """The name of the main track."""
        return self.main_track or next(iter(self.tracks))

    @property
    def file(self) -> Path | None:
        """The file the design was read from, or None."""
        return self._file

    def track(self, name: str | None = None) -> Track:
        """Return a track by name, or the main one.

        Raises:
            UnknownNameError: there is no such track.
        """
        return lookup("track", self.tracks, name or self.main_track_name)

    def player(self, name: str | None = None) -> Player:
        """Return a player profile by name, or the first one.

        Raises:
            UnknownNameError: there is no such profile.
            MissingPartError: the design has no player profiles.
        """
        self.require("players", "this")
        return lookup("player profile", self.players, name or next(iter(self.players)))

    def source(self, name: str) -> Source:
        """Return a source by name.

        Raises:
            UnknownNameError: there is no such source.
        """
        return lookup("source", self.sources, name)

    def require(self, part: str, needed_for: str) -> None:
        """Raise a MissingPartError, with the smallest example, when a part of the design is missing."""
        if not getattr(self, part):
            raise MissingPartError(part, needed_for, _SMALLEST[part])

    def _attached(self, file: Path | None, text: str | None) -> Self:
        self._file, self._text = file, text
        return self

    def __eq__(self, other: object) -> bool:
        # Where a design came from is no part of what it says.
        return isinstance(other, Design) and self.model_dump() == other.model_dump()

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        tracks = ", ".join(f"{name} {track.start_level}–{track.max_level}" for name, track in self.tracks.items())
        return f"<Design {self.title!r}: {tracks}; {len(self.sources)} sources, {len(self.players)} profiles>"

    __str__ = __repr__

    def _repr_html_(self) -> str:
        from html import escape

        rows = {
            "tracks": ", ".join(f"{name} ({t.start_level}–{t.max_level})" for name, t in self.tracks.items()),
            "constants": ", ".join(f"{name} = {value}" for name, value in self.constants.items()),
            "stats": ", ".join(self.stats),
            "sources": ", ".join(self.sources),
            "multipliers": ", ".join(rule.name for rule in self.multipliers),
            "player profiles": ", ".join(self.players),
        }
        body = "".join(f"<tr><th>{head}</th><td>{escape(text)}</td></tr>" for head, text in rows.items() if text)
        return f"<table><caption>{escape(self.title)}</caption>{body}</table>"


def lookup(kind: str, known: Mapping[str, _T], name: str) -> _T:
    """Return `known[name]`, or raise an UnknownNameError that lists the names there are."""
    if name not in known:
        raise UnknownNameError(kind, name, known)
    return known[name]


_SMALLEST = {
    "players": "[players.steady]\nhours_per_day = 1.5",
    "sources": "[sources.bark_borer]\nlevel = 1\nxp = 12\nseconds = 30",
    "encounter": '[encounter]\nseconds = "20 + 2 * source_level"',
    "party": '[party.members.wren]\nplayer = "steady"\n[party.members.lark]\nplayer = "steady"',
    "goals": '[[goals]]\nplayer = "steady"\nlevel = 10\nhours = 5.0',
    "multipliers": '[[multipliers]]\nname = "outgrown"\nfactor = "clip(1 - 0.08 * gap, 0.04, 1)"',
    "stats": "[stats.resilience]\nbase = 80\nper_level = 12",
}
