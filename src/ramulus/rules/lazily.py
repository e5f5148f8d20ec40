"""A table whose entries are made when they are first asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

K = TypeVar("K")
V = TypeVar("V")


class Lazily(dict[K, V]):
    """A dict that makes a missing entry from its key, once.

    Examples:
        >>> squares = Lazily(lambda n: n * n)
        >>> squares[7]
        49
    """

    def __init__(self, make: Callable[[K], V]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, key: K) -> V:
        value = self[key] = self._make(key)
        return value
