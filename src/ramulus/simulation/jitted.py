"""How the parts of kernels are marked: functions in Python that kernels compile, too."""

from __future__ import annotations

from numba.extending import register_jitable

# A function is compiled once for all that call it in the same way, and `nogil` is part of that way: kernels have it.
part = register_jitable(nogil=True)
inlined = register_jitable(nogil=True, inline="always")
