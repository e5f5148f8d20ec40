"""How the parts of kernels are marked: functions in Python that kernels compile, too.

Marking loads nothing: Numba is told of them when a kernel is to be compiled, which is once on a machine.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])
_waiting: list[Callable[..., Any]] = []
_lock = Lock()


def part(function: Function) -> Function:
    """Mark a part of kernels; LLVM writes it out where that pays, which Numba takes twice as long for, to no gain."""
    _waiting.append(function)
    return function


def tell_numba_of_parts(compiler: type[Any]) -> None:
    """Tell Numba of the parts that were marked since this was last called, and what compiles them."""
    from numba.extending import register_jitable

    with _lock:
        while _waiting:
            # A function is compiled once for all that call it in the same way, and `nogil` is part of that way: kernels
            # have it.
            register_jitable(nogil=True, pipeline_class=compiler, no_cfunc_wrapper=True)(_waiting.pop())


def named_for(features: tuple[bool, ...], function: Callable[..., Any]) -> Callable[..., Any]:
    """Give a function that is made anew for each set of features a name that says for which.

    What is compiled is kept on disk by name: of two functions of one name, one would be found for both.
    """
    name = f"{function.__name__}_{''.join(str(int(feature)) for feature in features)}"
    function.__qualname__ = function.__qualname__.removesuffix(function.__name__) + name
    function.__name__ = name
    return function
