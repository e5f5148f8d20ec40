"""How the parts of kernels are marked: functions in Python that kernels compile, too."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from numba.extending import register_jitable

from ramulus.simulation.part_compiler import PartCompiler

# A function is compiled once for all that call it in the same way, and `nogil` is part of that way: kernels have it.
_ONLY_IN_KERNELS: dict[str, Any] = {"nogil": True, "pipeline_class": PartCompiler, "no_cfunc_wrapper": True}
part = register_jitable(**_ONLY_IN_KERNELS)
inlined = register_jitable(**_ONLY_IN_KERNELS, inline="always")


def named_for(features: tuple[bool, ...], function: Callable[..., Any]) -> Callable[..., Any]:
    """Give a function that is made anew for each set of features a name that says for which.

    The machine code of kernels that were compiled in different processes meets in one, and is found there by name: of
    two functions of one name, one would be called for both.
    """
    name = f"{function.__name__}_{''.join(str(int(feature)) for feature in features)}"
    function.__qualname__ = function.__qualname__.removesuffix(function.__name__) + name
    function.__name__ = name
    return function
