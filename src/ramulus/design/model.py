"""Everything that one design file says, and how to look things up in it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, PrivateAttr

from ramulus.design.away import AwayBonus
from ramulus.design.base import FormulaName, Model, Number, PlainName
from ramulus.design.calendar import Calendar, Weekday
from ramulus.design.encounter import Awards, Encounter
from ramulus.design.gate import Gate
from ramulus.design.goal import SomeGoal
from ramulus.design.multiplier import Multiplier
from ramulus.design.player import Party, Player
from ramulus.design.recorded import RecordedPlay
from ramulus.design.source import Source
from ramulus.design.stat import Stat, Upgrade
from ramulus.design.stated_formulas import names_read, overlaid
from ramulus.design.track import Track
from ramulus.errors import MissingPartError, UnknownNameError

UNNAMED_PROFILE = "players"
_T = TypeVar("_T")


class Accepted(Model):
    """A finding that the author has seen and accepts."""

    code: Annotated[str, Field(min_length=1)]
    """The finding's code, as `check` says it."""
    place: Annotated[str, Field(min_length=1)]
    """Its place, as `check` says it."""
    why: Annotated[str, Field(min_length=1)]
    """Why it is accepted."""


class DesignModel(Model):
    """The tables of a design file."""

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
    away_bonus: AwayBonus | None = None
    """XP that gathers on days away, and is paid out on top of awards."""
    gates: list[Gate] = []
    """Levels that nobody leaves before something is done."""
    calendar: Calendar | None = None
    """Where calendar days are counted from."""
    players: dict[PlainName, Player] = {}
    """Kinds of player."""
    party: Party | None = None
    """Players who share every encounter."""
    goals: list[SomeGoal] = []
    """Where the pace should be."""
    recorded: RecordedPlay | None = None
    """How a log of awards that real players got is read."""
    accept: list[Accepted] = []
    """Findings of `check` that the author has seen and accepts."""
    _formulas: dict[tuple[int | str, ...], str] = PrivateAttr(default_factory=dict)

    def to_dict(self, *, defaults: bool = False, numbers: bool = False) -> dict[str, Any]:
        """Return the design as plain data; what the author left out stays out, or with `defaults` stands as it is.

        Formulas of constants alone stay formulas, or with `numbers` (and with `defaults`) are the numbers they give.
        """
        if defaults:
            return {**self.model_dump(mode="json"), "encounter": self.encounters.model_dump(mode="json")}
        data = self.model_dump(mode="json", exclude_unset=True, exclude_none=True)
        return overlaid(data, self._formulas) if self._formulas and not numbers else data

    def _keep_formulas(self, formulas: Mapping[tuple[int | str, ...], str]) -> None:
        """Keep the formulas of constants that stand where the design has numbers."""
        self._formulas = dict(formulas)

    @property
    def constant_formulas(self) -> dict[str, str]:
        """The formulas of constants alone, by place: of constants, and where a number alone is asked for."""
        return dict(names_read(self._formulas))

    @property
    def main_track_name(self) -> str:
        """The name of the main track."""
        return self.main_track or next(iter(self.tracks))

    @property
    def track_order(self) -> list[str]:
        """The tracks' names: the main one, then the skills in the order of the file."""
        return [self.main_track_name, *(name for name in self.tracks if name != self.main_track_name)]

    @property
    def encounters(self) -> Encounter:
        """The rules of encounters, by default where the author gives none."""
        return self.encounter or Encounter()

    @property
    def starts_on(self) -> Weekday:
        """The weekday of day 1."""
        return (self.calendar or Calendar()).starts_on

    def track(self, name: str | None = None) -> Track:
        """Return a track by name, or the main one.

        Raises:
            UnknownNameError: there is no such track.
        """
        return lookup("track", self.tracks, name or self.main_track_name)

    @property
    def profiles(self) -> dict[str, Player]:
        """The player profiles by name; where the author names none, one that plays as it comes."""
        return self.players or {UNNAMED_PROFILE: Player()}

    def profile(self, name: str | None = None) -> Player:
        """Return one of `profiles` by name, or the first one.

        Raises:
            UnknownNameError: there is no such profile.
        """
        return lookup("player profile", self.profiles, name or next(iter(self.profiles)))

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


def lookup(kind: str, known: Mapping[str, _T], name: str) -> _T:
    """Return `known[name]`, or raise an UnknownNameError that lists the names there are."""
    if name not in known:
        raise UnknownNameError(kind, name, known)
    return known[name]


SMALLEST_KEYS = {
    "format": "format = 1",
    "title": 'title = "Canopy Wardens"',
    "tracks": '[tracks.warden] with max_level = 40 and cost.formula = "100 * level"',
    "max_level": "max_level = 40",
    "cost": 'cost.formula = "100 * level"',
    "next": 'next = "previous * 1.1"',
    "from_level": "from_level = 10",
    "stat": 'stat = "shear"',
    "level": "level = 1",
    "xp": "xp = 10",
    "low": "low = 9",
    "high": "high = 13",
    "name": 'name = "outgrown"',
    "player": 'player = "steady"',
    "members": '[party.members.wren] with player = "steady"',
    "hours": "hours = 2.5",
}
"""The smallest form of each key that may be required."""

_SMALLEST = {
    "players": "[players.steady]\nhours_per_day = 1.5",
    "sources": "[sources.bark_borer]\nlevel = 1\nxp = 12\nseconds = 30",
    "encounter": '[encounter]\nseconds = "20 + 2 * source_level"',
    "party": '[party.members.wren]\nplayer = "steady"\n[party.members.lark]\nplayer = "steady"',
    "goals": '[[goals]]\nplayer = "steady"\nlevel = 10\nhours = 5.0',
    "multipliers": '[[multipliers]]\nname = "outgrown"\nfactor = "clip(1 - 0.08 * gap, 0.04, 1)"',
    "stats": "[stats.resilience]\nbase = 80\nper_level = 12",
}
