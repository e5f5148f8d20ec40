"""Checks of gates: those that nobody can open, and those whose key may be gone by then."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.gate import Gate


def check_gates(design: Design) -> Iterator[Finding]:
    """Yield gates that cannot open, and gates that ask for a source which closes before their level."""
    if not design.gates or not design.sources:
        return
    shut, reach = _never_open(design)
    for index in shut:
        gate, name = design.gates[index], design.gates[index].track or design.main_track_name
        if gate.at_level <= reach[name]:
            yield Finding(
                "gate-never-opens", "warning", f"gates[{index}]",
                f"nobody passes level {gate.at_level} of {name}: {_why(design, gate, reach)}",
                "ask for what can be had before it, or move the gate", gate.at_level,
            )  # fmt: skip
    for index, gate in enumerate(design.gates):
        if (gate.track or design.main_track_name) == design.main_track_name and index not in shut:
            yield from _can_be_missed(design, index, gate)


def _never_open(design: Design) -> tuple[list[int], dict[str, int]]:
    """Return the gates that nothing opens, and the highest level of each track that can be reached."""
    opened: set[int] = set()
    while True:
        reach = {name: _next_shut(design, name, opened) for name in design.tracks}
        more = {
            index for index, gate in enumerate(design.gates) if index not in opened and _can_open(design, gate, reach)
        }
        if not more:
            return [index for index in range(len(design.gates)) if index not in opened], reach
        opened |= more


def _next_shut(design: Design, track: str, opened: set[int]) -> int:
    main = design.main_track_name
    levels = [g.at_level for i, g in enumerate(design.gates) if i not in opened and (g.track or main) == track]
    return min([design.tracks[track].max_level, *levels])


def _can_open(design: Design, gate: Gate, reach: dict[str, int]) -> bool:
    return not _missing_sources(design, gate, reach) and not _missing_levels(design, gate, reach)


def _is_met(design: Design, source: str, reach: dict[str, int]) -> bool:
    return (design.sources[source].from_level or 0) <= reach[design.main_track_name]


def _missing_sources(design: Design, gate: Gate, reach: dict[str, int]) -> list[str]:
    return [source for source in gate.successes if not _is_met(design, source, reach)]


def _missing_levels(design: Design, gate: Gate, reach: dict[str, int]) -> list[str]:
    missing = []
    for track, level in gate.levels.items():
        practised = any(track in one.practised and _is_met(design, name, reach) for name, one in design.sources.items())
        fed = practised or track == design.main_track_name or level <= design.tracks[track].start_level
        if level > reach[track] or not fed:
            missing.append(f"{track} {level}")
    return missing


def _why(design: Design, gate: Gate, reach: dict[str, int]) -> str:
    sources, levels = _missing_sources(design, gate, reach), _missing_levels(design, gate, reach)
    said = [f"{name} opens at level {design.sources[name].from_level}, behind the gate" for name in sources]
    said += [f"{words} cannot be reached before it" for words in levels]
    return "; ".join(said)


def _can_be_missed(design: Design, index: int, gate: Gate) -> Iterator[Finding]:
    for source in gate.successes:
        last = design.sources[source].to_level
        if last is not None and last < gate.at_level:
            yield Finding(
                "gate-key-closes", "warning", f"gates[{index}].successes.{source}",
                f"{source} closes after level {last}: who comes to level {gate.at_level} without "
                f"{gate.successes[source]} successes there stays for ever",
                f"leave {source} open up to level {gate.at_level}", gate.at_level,
            )  # fmt: skip
