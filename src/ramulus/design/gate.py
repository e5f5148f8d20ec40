"""Gates: what holds a player at a level until something is done."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ramulus.design.base import MOST_COUNT, Level, Model, PlainName, _mistake


class Gate(Model):
    """A level that nobody leaves before all that is named here is so; once open it stays open."""

    track: PlainName | None = None
    """The track that it stands on (default: the main one)."""
    at_level: Level
    """The level that nobody leaves while it is shut."""
    successes: dict[PlainName, Annotated[int, Field(ge=1, le=MOST_COUNT)]] = {}
    """How many successes at which sources open it."""
    levels: dict[PlainName, Level] = {}
    """Which levels of which tracks, reached at some time, open it."""
    from_day: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    """The calendar day from which it may open; the first day is 1."""
    meanwhile: Literal["keep", "fill"] = "keep"
    """What XP does at the gate: it is kept for when it opens, or fills the bar and the rest is wasted."""

    @model_validator(mode="after")
    def _waits_for_something(self) -> Self:
        if not self.successes and not self.levels and self.from_day is None:
            raise _mistake("nothing opens it", "successes, levels or from_day", "incomplete-pair")
        return self

    @property
    def in_words(self) -> str:
        """What opens it: seed_errand 3 times, grafting 5, day 30."""
        said = [f"{source} {count} time{'s' * (count > 1)}" for source, count in self.successes.items()]
        said += [f"{track} {level}" for track, level in self.levels.items()]
        return ", ".join([*said, *([f"day {self.from_day}"] if self.from_day is not None else [])])
