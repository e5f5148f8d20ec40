"""Runs of awards to ask a game for, a line of JSON each, and the answers that come back."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ramulus.design import read_named
from ramulus.errors import DataError
from ramulus.game.mistaken import AWARD, Game, State, Step
from ramulus.game.pack import Pack, TrackPack
from ramulus.game.vector_runs import built, searched
from ramulus.game.vectors import vectors_of

FURTHER = 40
SHOWN = 3
HALF = 0.5
MOST_BYTES = 100_000_000


@dataclass(frozen=True)
class Request:
    """One run of a fresh character.

    Attributes:
        number: its id.
        track: the track.
        steps: awards, losses and reloads, in units; an encounter is a table of its own.
    """

    number: int
    track: TrackPack
    steps: tuple[Step, ...]
    encounter: dict[str, Any] | None = None

    @property
    def line(self) -> str:
        """The request as a line: keys in this order, no blanks, plain digits."""
        steps: list[dict[str, Any]] = [{kind: units} for kind, units in self.steps]
        steps += [] if self.encounter is None else [self.encounter]
        scale = {"scale": self.track.scale} if self.track.scale != 1 else {}
        return json.dumps({"id": self.number, **scale, "track": self.track.name, "do": steps}, separators=(",", ":"))


@dataclass(frozen=True)
class Answer:
    """What a game tells of one run: a table a state, or why it tells nothing."""

    number: int
    states: tuple[dict[str, Any], ...]
    cannot: str = ""
    design: str = ""


@dataclass
class Heard:
    """All that came back: answers by number, and lines that were none."""

    answers: dict[int, Answer] = field(default_factory=dict)
    chatter: int = 0
    examples: list[str] = field(default_factory=list)

    def hear(self, line: str) -> Answer | None:
        """Return the answer in a line; None where it is the game's own talk."""
        text = line.strip().lstrip("\ufeff")
        if not text.startswith("{"):
            if text:
                self.chatter += 1
                self.examples = [*self.examples, text[:100]][:SHOWN]
            return None
        answer = _answer(text)
        self.answers[answer.number] = answer
        return answer


def _answer(text: str) -> Answer:
    try:
        data = json.loads(text)
        number, cannot = data["id"], str(data.get("cannot", ""))
        states = tuple(data.get("states", ()))
        fine = isinstance(number, int) and all(isinstance(state, dict) for state in states)
        if not fine or not (states or cannot):
            raise ValueError("no states")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise DataError(
            f"an answer that is none: {text[:100]} ({error}); "
            'allowed: {"id":7,"states":[{"level":1,"xp":0}]}, one state more than steps'
        ) from None
    return Answer(number, states, cannot, str(data.get("design", "")))


def lines_of(path: Path) -> Iterator[str]:
    """Yield the lines of a file of answers.

    Raises:
        DataError: it cannot be read, or is not UTF-8.
    """
    content = read_named(path, MOST_BYTES)
    if content.startswith((b"\xff\xfe", b"\xfe\xff")) or b"\0" in content[:200]:
        raise DataError(f"{path}: the answers are UTF-16; allowed: UTF-8")
    try:
        yield from content.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise DataError(f"{path}: the answers are not UTF-8 ({error.reason} at byte {error.start:,})") from None


def requests_of(pack: Pack) -> list[Request]:
    """Return the runs that every game is asked for: the vectors of each track, then others near thresholds."""
    found: list[Request] = []
    for track in pack.tracks:
        runs: list[tuple[Step, ...]] = [one.steps for one in vectors_of(track).chosen]
        runs += [one.steps for one in vectors_of(track, level_only=True).chosen]
        runs += built(track)
        runs += [run for run, _ in zip(searched(track), range(FURTHER), strict=False)]
        found += [Request(len(found) + place, track, run) for place, run in enumerate(dict.fromkeys(runs)) if run]
    return [Request(number, request.track, request.steps) for number, request in enumerate(found)]


def negative_requests(pack: Pack, first: int) -> list[Request]:
    """Return awards below 0, which no game should take; they come last."""
    return [Request(first + place, track, ((AWARD, 1), (AWARD, -1))) for place, track in enumerate(pack.tracks)]


# --- comparing ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Difference:
    """The first step at which a game is elsewhere; `step` 0 is the fresh character, `found` what the game told."""

    request: Request
    step: int
    key: str
    found: dict[str, Any]
    right: State


def difference(request: Request, answer: Answer) -> Difference | None:
    """Return where an answer first differs from what is right; None where it does not.

    Raises:
        DataError: it has another number of states than the run.
    """
    if answer.cannot:
        return None
    return differs(request, answer, Game(request.track).does(request.steps), wasted=True)


def differs(request: Request, answer: Answer, right: list[State], *, wasted: bool = False) -> Difference | None:
    """Return where an answer first differs from some states; what it does not tell is not judged.

    Args:
        request, answer: what was asked, and what came back.
        right: the states.
        wasted: whether wasted XP is looked at, too: nobody knows how a game that makes mistakes counts it.
    """
    if len(answer.states) != len(right):
        raise DataError(
            f"{len(answer.states)} states in the answer to run {request.number} of {len(request.steps)} steps; "
            f"allowed: {len(right)}, the fresh character first"
        )
    for step, (found, state) in enumerate(zip(answer.states, right, strict=True)):
        key = _differing_key(request.track, found, state)
        if not key and wasted and "wasted" in found and not _near(found["wasted"], state.wasted):
            key = "wasted"
        if key:
            return Difference(request, step, key, found, state)
    return None


def explains(request: Request, answer: Answer, states: list[State]) -> bool:
    """Return whether a game that stands in some states would have given an answer."""
    return bool(answer.cannot) or differs(request, answer, states) is None


def _differing_key(track: TrackPack, found: dict[str, Any], right: State) -> str:
    if found.get("level", right.level) != right.level:
        return "level"
    if "xp" in found and not _near(found["xp"], right.xp):
        return "xp"
    total = right.xp + sum(track.costs[: right.level - track.start_level])
    if "total_xp" in found and not _near(found["total_xp"], total):
        return "total_xp"
    if "points" in found and not (_is_number(found["points"]) and abs(found["points"] - right.points) <= 1e-6):
        return "points"
    if "events" in found:
        events = found["events"] if isinstance(found["events"], list) else []
        ups = [event for event in events if isinstance(event, list) and event[:1] == ["level_up"]]
        if len(ups) != right.level_ups:
            return "events"
    return ""


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _near(found: Any, right: float) -> bool:
    return _is_number(found) and abs(found - right) < HALF


def is_told(answers: Iterable[Answer]) -> set[str]:
    """Return what a game tells of a state."""
    return {key for answer in answers for state in answer.states for key in state}
