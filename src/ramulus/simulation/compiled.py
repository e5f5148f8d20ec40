"""Compile the rules for the kernels: the very functions that everybody else calls as Python.

What is compiled is kept on disk with a number made of all the sources that it is compiled from. Who finds it there
loads it without Numba, which takes ten times as long to load as the code.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import cache, wraps
from importlib import resources
from pathlib import Path
from threading import Lock
from typing import Any, ClassVar

from ramulus.rules import overflow, pay, programs, pursuit, rounding, xp_laws, xp_units
from ramulus.simulation.announced import announce
from ramulus.simulation.arguments import Words, laid_out
from ramulus.simulation.jitted import part
from ramulus.simulation.kernel_cache import Kept, KernelFile
from ramulus.simulation.machine_code import MissingSymbolError, load

_RULES = (
    overflow.threshold,
    overflow.book_award,
    overflow.book_before_gate,
    overflow.kept_of,
    overflow.part_of,
    overflow.nearest_whole,
    overflow.room_at_cap,
    overflow.book_loss,
    pay.paid_xp,
    programs.holds,
    programs.of_one,
    programs.of_two,
    programs.power_of,
    programs.run,
    pursuit.pursued,
    rounding.round_amount,
    xp_laws.drawn_xp,
    xp_units.units_of,
)
for _rule in _RULES:
    part(_rule)


def _fingerprint() -> int:
    """Return a number that changes with any source of the layers that kernels are compiled from."""
    number = 0
    for layer in ("rules", "simulation"):
        for file in sorted(resources.files(f"ramulus.{layer}").iterdir(), key=lambda file: file.name):
            if file.name.endswith(".py"):
                number = zlib.crc32(file.read_bytes(), number)
    return number


SOURCES = _fingerprint()


class Kernel:
    """A function that is compiled for what it is called with: found on disk, or compiled and kept there.

    Attributes:
        function: what is compiled: it writes into the arrays that it is given, and returns nothing.
        compiled: how many times it was compiled in this process, and not found.
        folders: where what was compiled or found is kept.
    """

    every: ClassVar[list[Kernel]] = []  # All that were asked for in this process.

    def __init__(self, function: Callable[..., None]) -> None:
        """Note what is to be compiled."""
        self.function, self.compiled, self.folders = function, 0, set[Path]()
        self._codes: dict[str, Callable[[Words], None]] = {}
        self._lock = Lock()
        self.every.append(self)

    def __call__(self, *arguments: Any) -> None:
        """Run it, without the interpreter's lock."""
        kinds, words = laid_out(arguments)
        code = self._codes.get(kinds)
        if code is None:
            with self._lock:  # Of threads that ask together the first one makes it.
                code = self._codes[kinds] = self._codes.get(kinds) or self._code_for(kinds, arguments, len(words))
        code(words)

    def _code_for(self, kinds: str, arguments: Sequence[Any], words: int) -> Callable[[Words], None]:
        file = KernelFile(self.function, kinds, SOURCES)
        kept = file.read()
        if kept is not None:
            self._note(file)
            with suppress(MissingSymbolError):
                return load(*kept)
        if self.function.__name__.startswith("play"):  # The others take no time to speak of.
            announce()
        from ramulus.simulation.kernel_compiler import object_code

        kept = Kept(*object_code(self.function, arguments, words))
        self.compiled += 1
        file.write(kept)
        self._note(file)
        return load(*kept)

    def _note(self, file: KernelFile) -> None:
        if file.folder is not None:
            self.folders.add(file.folder)


def made_once(make: Callable[..., Any]) -> Callable[..., Any]:
    """Remember the kernel that was made for some features; threads that ask together wait for the first.

    Each would make its own otherwise, and load it, or compile it.
    """
    lock, kept = Lock(), cache(make)

    @wraps(make)
    def made(*features: Any) -> Any:
        with lock:
            return kept(*features)

    return made
