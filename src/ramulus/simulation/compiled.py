"""Compile the rules for the kernels: the very functions that everybody else calls as Python.

Numba keeps what it compiled on disk and looks only at the file of the outermost function to see whether that is
stale. A kernel therefore carries a number made of all the sources it is compiled from.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable
from contextlib import suppress
from functools import cache, wraps
from importlib import resources
from threading import Lock
from typing import Any

from numba import njit

from ramulus.rules import overflow, pay, programs, pursuit, rounding, xp_laws, xp_units
from ramulus.simulation.jitted import part
from ramulus.simulation.kernel_cache import keep_in

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
KERNELS: list[Any] = []  # All that were asked for so far.


def kernel(function: Callable[..., Any]) -> Any:
    """Compile a kernel: kept on disk where there is room, without the interpreter's lock, divisions as in NumPy.

    A kernel makes no arrays, so nobody counts who still needs one (`_nrt`): counting, at each array that comes out of a
    tuple or is handed on, costs more than an encounter.
    """
    only_from_python: dict[str, Any] = {"_nrt": False, "no_cfunc_wrapper": True}  # Numba's own types leave them out.
    compiled = njit(nogil=True, error_model="numpy", **only_from_python)(function)
    # Where neither beside the package nor in a home of the user's anything can be kept, each run compiles anew.
    with suppress(RuntimeError):
        keep_in(compiled, function)
    KERNELS.append(compiled)
    return compiled


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
