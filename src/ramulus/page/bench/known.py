"""What a bench knows of its file and of what is tried, and how that is kept: in the file, or in a new one."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ramulus.design import bytes_now, load_design
from ramulus.design.reading import MAX_BYTES
from ramulus.errors import DataError
from ramulus.page.bench.tried import said_of, tried_in, with_values
from ramulus.page.bench.variant import write_variant

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass
class Known:
    """What is known of the file and of what is tried, beside what is shown."""

    saved: Design | None = None  # As it was last read without a mistake,
    read: bytes = b""  # and its bytes then.
    before: Design | None = None  # As it was before that.
    trial: dict[str, Any] = field(default_factory=dict)  # What is tried beside the file, by place.
    shown: tuple[Design, bytes, dict[str, Any]] | None = None  # What is shown is of these.
    errors: tuple[str, ...] = ()
    notice: str = ""
    kept: str = ""  # What to say of the next save, which was ours.

    def played_trial(self, file: Path) -> dict[str, Any]:
        """Return what is tried, if it has been played and the file is as it was read.

        Raises:
            DataError: it has not, or the file is not.
        """
        trial = tried_in(self.saved, self.trial)
        if not trial:
            raise DataError("nothing is tried that could be kept")
        if bytes_now(file, MAX_BYTES) != self.read:
            raise DataError(f"{file.name} was changed meanwhile; nothing is written")
        if self.shown is None or self.shown[2] != trial:  # What only playing finds, reading before writing does not.
            why = f"these values are refused: {self.errors[0]}" if self.errors else "these values are not played yet"
            raise DataError(f"nothing is written; {why}")
        return trial

    def keep(self, file: Path) -> None:
        """Write what is tried into the file."""
        trial = self.played_trial(file)
        with_values(load_design(file), trial).save(file)
        said = ", ".join(f"{place.removeprefix('constants.')} = {said_of(value)}" for place, value in trial.items())
        self.trial, self.kept = {}, f"kept in {file.name}: {said}"

    def keep_as_variant(self, file: Path, name: str) -> Path:
        """Write what is tried into a new file that extends the file."""
        trial = self.played_trial(file)
        assert self.saved is not None
        path = write_variant(file, self.saved, with_values(self.saved, trial), list(trial), name)
        self.notice = f"wrote {path.name}, which extends {file.name}"
        return path
