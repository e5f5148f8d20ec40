"""What a bench shows: a design that was played, as plain data for its windows, and as the report's sections."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ramulus.page.bench.changed import SAVED, TRIED, changed_section
from ramulus.page.bench.pictures import pictures
from ramulus.page.bench.told import findings_told, goals_told
from ramulus.page.bench.turnable import turnables
from ramulus.page.making import sections_of
from ramulus.page.parts import Figure, Section, figures_of
from ramulus.page.sections.hand_out import panel_of

if TYPE_CHECKING:
    from ramulus.page.context import Context


@dataclass(frozen=True)
class Shown:
    """What is shown: a design that was played, and the file's beside it.

    Attributes:
        number: which showing it is.
        now: the design, played.
        file: what the file says, played; the same where nothing is tried.
        before: the file as it was before the last save, or None.
    """

    number: int
    now: Context
    file: Context
    before: Context | None

    @cached_property
    def sections(self) -> tuple[Section, ...]:
        """The report's sections, its figures drawn when they are seen; made when the report is first asked for."""
        if self.now is not self.file:
            first: tuple[Section, ...] = (changed_section(self.file, self.now, TRIED),)
        else:
            first = () if self.before is None else (changed_section(self.before, self.now, SAVED),)
        return (*first, *sections_of(self.now))

    @property
    def title(self) -> str:
        """The design's title."""
        return self.now.design.title

    def figure(self, name: str) -> Figure | None:
        """Return a figure of the report by its name, or None."""
        parts = (part for section in self.sections for part in section.parts)
        return next((one for one in figures_of(parts) if one.name == name), None)

    def told(self) -> dict[str, Any]:
        """Return all that a window shows of it, as plain data."""
        before = None if self.now is self.file else self.file
        panel = panel_of(self.now.design)
        return {
            "version": self.number, "title": self.title, "track": self.now.design.main_track_name,
            "numbers": [asdict(one) for one in turnables(self.file.design)],
            "now": pictures(self.now.design, self.now.result),
            "file": None if before is None else pictures(before.design, before.result),
            "goals": goals_told(self.now, before), "findings": findings_told(self.now, before),
            "missing": "" if self.now.missing is None else str(self.now.missing).splitlines()[0],
            "hands": None if panel is None else {"sources": panel.sources, "chains": panel.chains},
        }  # fmt: skip
