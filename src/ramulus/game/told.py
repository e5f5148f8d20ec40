"""What came of holding a game against a design, in sentences."""

from __future__ import annotations

from collections.abc import Iterator

from ramulus.game.conformity import Conformity
from ramulus.game.diagnosis import Explanation
from ramulus.game.mistaken import LOSE, OPEN, RELOAD
from ramulus.game.mistakes import MISTAKES, OF_ENCOUNTERS
from ramulus.game.requests import Difference
from ramulus.rules.xp_units import from_units

_SHOWN = 5
_KEYS = {"xp": "XP", "total_xp": "XP in all", "level": "the level", "points": "points", "wasted": "wasted XP"}


def sentences(found: Conformity) -> Iterator[str]:
    """Yield what came of it, a sentence a line; the first says whether the game conforms."""
    judged = f"{found.runs} runs, {found.steps:,} steps"
    if found.difference is None and found.unanswered:
        yield f"nothing differs in what was answered: {judged} agree ({_told(found)})"
    elif found.difference is None and not found.conforms:
        yield f"levels and XP are what the design says, and not all else is: {judged} agree ({_told(found)})"
    elif found.difference is None:
        yield f"your game does what the design says: {judged} agree ({_told(found)})"
    else:
        yield f"your game differs from the design: {_difference(found.difference)}"
        yield from _instead(found)
    if found.unanswered:
        yield f"{found.unanswered} runs have no answer; right is one for each, or why it cannot"
    if found.is_of_another_design:
        yield f"it says that it was built from another design: {found.design[1]}, and this is {found.design[0]}"
    yield from _awards(found)
    if found.takes_negative:
        yield "it books an award below 0; right is to refuse it, or to change nothing"
    for what in found.cannot:
        yield f"not judged: {what}, which your game says it cannot do"
    if found.heard.chatter:
        shown = " / ".join(found.heard.examples)
        yield f"{found.heard.chatter:,} lines were no answers and were passed over: {shown}"


def _told(found: Conformity) -> str:
    told = ", ".join(_KEYS[key] for key in _KEYS if key in found.told)
    missing = [words for key, words in _KEYS.items() if key in ("xp", "points") and key not in found.told]
    missing = [words for words in missing if not (words == "XP" and "total_xp" in found.told)]
    return f"judged by {told}" + (f"; {' and '.join(missing)} not told, so not judged" if missing else "")


def _difference(found: Difference) -> str:
    scale = found.request.track.scale
    before = f"{_done(found)} on {found.request.track.name}"
    right = f"level {found.right.level} with {_xp(found.right.xp, scale)} XP"
    value = found.found.get(found.key)
    if found.key == "events":
        return f"{before} your game does not tell of {found.right.level_ups} level-ups, which the design has there"
    if found.key == "wasted":
        wasted = f"{_xp(value, scale)} XP, the design {_xp(found.right.wasted, scale)}"
        return f"{before} your game has wasted {wasted} at {right}"
    if found.key == "points":
        return f"{before} your game has {value} points, the design {found.right.points:g} at {right}"
    where = f"level {found.found.get('level', found.right.level)}"
    if "xp" in found.found or "total_xp" in found.found:
        where += f" with {_xp(found.found.get('xp', found.found.get('total_xp')), scale)} XP"
        where += "" if "xp" in found.found else " in all"
    return f"{before} your game is at {where}, the design at {right}"


def _done(found: Difference) -> str:
    """Return what was done until then, in words."""
    scale = found.request.track.scale
    done = [
        _opening(units) if kind == OPEN else "saving and loading" if kind == RELOAD else _given(kind, units, scale)
        for kind, units in found.request.steps[: found.step]
    ]
    if not done:
        return "a fresh character"
    more = f"{len(done) - _SHOWN} steps, then " if len(done) > _SHOWN else ""
    return f"after {more}{', then '.join(done[-_SHOWN:])}"


def _opening(level: int) -> str:
    return f"opening the gate at {level}"


def _given(kind: str, units: int, scale: int) -> str:
    return f"{'a loss of ' if kind == LOSE else ''}{from_units(units, scale):,}"


def _xp(units: object, scale: int) -> str:
    """Return units as XP in words, whatever a game has told."""
    if isinstance(units, bool) or not isinstance(units, int | float):
        return str(units)
    return f"{units / scale:,.10g}"


def _instead(found: Conformity) -> Iterator[str]:
    if found.remembers:
        yield "a fresh process answers it rightly: your game remembers something from the run before"
        return
    if found.stopped:
        yield f"asked on, it came to an end: {found.stopped}"
    elif found.explanation is None and not found.asked_on:
        yield "no known mistake explains these answers; other costs are found only where the game can be asked on"
    elif found.explanation is None:
        yield "this is none of the mistakes that are known; the run above is the shortest that was found to show it"
        return
    if found.explanation is not None:
        yield from _explanation(found.explanation)


def _explanation(one: Explanation) -> Iterator[str]:
    agrees = f"; {one.further} further runs agree with that" if one.further else ""
    if one.costs:
        shown = [f"level {level} costs {cost:,} and {right:,} in the design" for level, cost, right in one.costs]
        costs = ", ".join(shown[:_SHOWN])
        more = f", and {len(one.costs) - _SHOWN} more" if len(one.costs) > _SHOWN else ""
        yield f"in your game {costs}{more}{agrees if not one.mistakes else ''}; write the tables anew: ramulus export"
    if one.mistakes:
        does = " and ".join(f"{MISTAKES[code].does} ({code.replace('-', ' ')})" for code in one.mistakes)
        yield f"it {does}{agrees}"
    for code in one.mistakes:
        yield f"way out: {MISTAKES[code].way_out}"
    if one.others:
        others = "; ".join(" and ".join(code.replace("-", " ") for code in codes) for codes in one.others[:3])
        yield f"no run that was asked for tells it apart from: {others}"


def _awards(found: Conformity) -> Iterator[str]:
    wrong = found.faulty_awards
    edges = len(found.awards) - len(wrong)
    if wrong:
        one, got = wrong[0]
        asked = ", ".join(f"{key} {value}" for key, value in (one.request.encounter or {}).items())
        many = f"{len(wrong)} of {found.judged_awards} encounters"
        yield f"{many} award something else, such as {got} for {one.award}: {asked}"
        if found.awards_mistake:
            mistake = OF_ENCOUNTERS[found.awards_mistake]
            name = mistake.code.replace("-", " ")
            yield f"it {mistake.does} ({name}); all {found.judged_awards} encounters agree with that"
            yield f"way out: {mistake.way_out}"
    elif found.judged_awards:
        missing = found.asked_awards - found.judged_awards
        rest = f"; {missing} more were not answered" if missing else ""
        yield f"{found.judged_awards} encounters award what the design says{rest}"
    elif found.difference is None:
        yield "what encounters award is not judged: your game answered none"
    if edges:
        yield f"{edges} awards stand on a rounding edge and differ by it: no fault, but not the same doubles"
