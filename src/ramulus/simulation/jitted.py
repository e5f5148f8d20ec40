"""How the parts of kernels are marked: functions in Python that kernels compile, too.

Marking loads nothing: Numba is told of them when a kernel is to be compiled, which is once on a machine.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])
_waiting: list[tuple[Callable[..., Any], str]] = []
_lock = Lock()


def part(function: Function) -> Function:
    """Mark a part of kernels."""
    _waiting.append((function, "never"))
    return function


def inlined(function: Function) -> Function:
    """Mark a part of kernels that is written out where it is called."""
    _waiting.append((function, "always"))
    return function


def tell_numba_of_parts(compiler: type[Any]) -> None:
    """Tell Numba of the parts that were marked since this was last called, and what compiles them."""
    from numba.extending import register_jitable

    with _lock:
        while _waiting:
            function, inline = _waiting.pop()
            # A function is compiled once for all that call it in the same way, and `nogil` is part of that way: kernels
            # have it.
            register_jitable(nogil=True, pipeline_class=compiler, no_cfunc_wrapper=True, inline=inline)(function)


def named_for(features: tuple[bool, ...], function: Callable[..., Any]) -> Callable[..., Any]:
    """Give a function that is made anew for each set of features a name that says for which.

    What is compiled is kept on disk by name: of two functions of one name, one would be found for both.
    """
    name = f"{function.__name__}_{''.join(str(int(feature)) for feature in features)}"
    function.__qualname__ = function.__qualname__.removesuffix(function.__name__) + name
    function.__name__ = name
    return function
