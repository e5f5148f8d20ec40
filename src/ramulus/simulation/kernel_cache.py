"""The files in which compiled kernels are kept: what cannot be read or written there costs time, and nothing else."""

from __future__ import annotations

import pickle
import warnings
import zlib
from collections.abc import Callable
from typing import Any

from numba.core.caching import FunctionCache, IndexDataCacheFile
from numba.core.serialize import dumps

from ramulus.simulation.announced import announce


def keep_in(compiler: Any, function: Callable[..., Any]) -> None:
    """Let a compiled function be kept in files.

    Args:
        compiler: Numba's dispatcher of the function.
        function: what it compiles.

    Raises:
        RuntimeError: there is no folder to keep anything in.
    """
    compiler._cache = _KernelCache(function)


class _CheckedFile(IndexDataCacheFile):
    """Machine code with a checksum: Numba would run what a damaged disk has made of it."""

    def _load_data(self, name: str) -> Any:
        checksum, code = super()._load_data(name)
        if zlib.crc32(code) != checksum:
            raise ValueError("the checksum is of other bytes")
        return pickle.loads(code)

    def _save_data(self, name: str, data: Any) -> None:
        code = dumps(data)
        super()._save_data(name, (zlib.crc32(code), code))


class _KernelCache(FunctionCache):
    """Numba's cache of one function, where a file that fails counts as none."""

    said = False  # Once is enough, for all kernels.

    def __init__(self, function: Callable[..., Any]) -> None:
        super().__init__(function)
        self._plays = function.__name__.startswith("play")
        stamp = self._impl.locator.get_source_stamp()
        self._cache_file = _CheckedFile(self._cache_path, self._impl.filename_base, stamp)

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """Return what was compiled before, or None."""
        found = None
        try:
            # Numba's own way first registers all that it can compile of Python and NumPy, half a second at every start;
            # whatever compiles does that itself, and what is only loaded needs none of it.
            with self._guard_against_spurious_io_errors():
                found = self._load_overload(sig, target_context)
        except Exception as error:  # Damaged bytes raise whatever they happen to mean.
            self._say("cannot be read", error, "it is compiled anew")
            self._drop()
        if found is None and self._plays:  # The others take no time to speak of.
            announce()
        return found

    def save_overload(self, sig: Any, data: Any) -> None:
        """Keep what was compiled, where that is possible."""
        try:
            super().save_overload(sig, data)
        except OSError as error:
            self._say("cannot be written", error, "each run compiles it anew")

    def _drop(self) -> None:
        try:
            self.flush()
        except OSError:  # It is somebody else's, then.
            self.disable()

    def _say(self, what: str, error: Exception, then: str) -> None:
        if not _KernelCache.said:
            _KernelCache.said = True
            why = getattr(error, "strerror", None) or "it is damaged"
            warnings.warn(f"a compiled kernel in {self._cache_path} {what} ({why}); {then}", stacklevel=2)
