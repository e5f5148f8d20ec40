"""The sections of a page, in their order; each is one function of a context."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.page.sections.changes import changes
from ramulus.page.sections.hand_out import hand_out
from ramulus.page.sections.levels import levels
from ramulus.page.sections.numbers import numbers
from ramulus.page.sections.pace import pace, staying
from ramulus.page.sections.party import party
from ramulus.page.sections.recorded import recorded
from ramulus.page.sections.sensitivity import sensitivity
from ramulus.page.sections.sources import sources
from ramulus.page.sections.summary import findings, goals, summary

if TYPE_CHECKING:
    from collections.abc import Callable

    from ramulus.page.context import Context
    from ramulus.page.parts import Section

SECTIONS: tuple[Callable[[Context], Section | None], ...] = (
    summary, goals, findings, changes, recorded, pace, staying, levels, hand_out, sources, party, sensitivity, numbers,
)  # fmt: skip
