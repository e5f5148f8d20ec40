"""The arguments of a kernel as one array of words, 64 bits each: what stands where is Numba's own layout.

A number is a word; an array is seven and more: two that are for who counts references, how many items, the bytes of
one, where they are, then its shape and its strides. Of a tuple, what it holds stands side by side.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

Words = NDArray[np.int64]


def laid_out(arguments: Sequence[Any]) -> tuple[str, Words]:
    """Return what kinds of arguments some are, in a text that is another one for others, and their words.

    Whoever calls keeps the arguments for as long as the words are used.

    Raises:
        TypeError: an argument is of a kind that kernels do not take.
    """
    kinds: list[str] = []
    words: list[int] = []
    _lay_out(arguments, kinds, words)
    return " ".join(kinds), np.array(words, np.int64)


def _lay_out(values: Sequence[Any], kinds: list[str], words: list[int]) -> None:
    for value in values:
        if isinstance(value, np.ndarray):
            kinds.append(_kind_of_array(value.dtype, value.ndim, _order(value), value.flags.writeable))
            start: int = value.__array_interface__["data"][0]
            words += (0, 0, value.size, value.itemsize, start, *value.shape, *value.strides)
        elif isinstance(value, tuple):
            kinds.append(f"{type(value).__name__}{len(value)}(")
            _lay_out(value, kinds, words)
            kinds.append(")")
        elif isinstance(value, bool | np.bool_):
            kinds.append("?")
            words.append(int(value))
        elif isinstance(value, int | np.int64) and -(2**63) <= value < 2**63:
            kinds.append("i")
            words.append(int(value))
        elif isinstance(value, float):  # NumPy's own number of 64 bits is one, too.
            kinds.append("d")
            words.append(int(np.float64(value).view(np.int64)))
        else:
            raise TypeError(f"a kernel takes arrays, tuples and numbers of 64 bits, no {type(value).__name__}")


def _order(array: NDArray[Any]) -> str:
    flags = array.flags
    order = "C" if flags.c_contiguous else "F" if flags.f_contiguous else "A"
    return order if flags.aligned else order.lower()


@lru_cache(maxsize=1024)
def _kind_of_array(dtype: np.dtype[Any], axes: int, order: str, writeable: bool) -> str:
    name = repr(dtype) if dtype.names else dtype.str
    return f"{name}{axes}{order}" + ("" if writeable else "r")
