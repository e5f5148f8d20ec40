"""The files in which compiled kernels are kept: what cannot be read or written there costs time, and nothing else."""

from __future__ import annotations

import json
import os
import platform
import warnings
import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from threading import get_ident
from typing import NamedTuple

from ramulus.simulation.machine_code import processor

_CHECKSUM = 4  # Bytes.


class Kept(NamedTuple):
    """Object code, and what it calls of the platform's libraries."""

    code: bytes
    needs: Sequence[str]


class KernelFile:
    """The file of one kernel for some kinds of arguments.

    Machine code has a checksum: what a damaged disk has made of it is not run.
    """

    said = False  # Once is enough, for all kernels.

    def __init__(self, function: Callable[..., object], kinds: str, made_of: int) -> None:
        """Name the file.

        Args:
            function: what is compiled.
            kinds: of its arguments.
            made_of: a number that changes with any source that the kernel is compiled from.
        """
        own = Path(function.__code__.co_filename)
        # Two that are installed side by side do not write over each other's in a folder that they share.
        apart = zlib.crc32(repr((function.__qualname__, str(own), kinds, processor(), _versions())).encode())
        self.name = f"{function.__name__}-{apart:08x}.kernel"
        source = own.read_bytes() if own.is_file() else b""
        self.folder: Path | None = None  # Where it was found or kept.
        # Of two that would have one name, or an older one, the head is another.
        self._head = {"kinds": kinds, "made of": [made_of, zlib.crc32(source)], "for": [processor(), _versions()]}

    def read(self) -> Kept | None:
        """Return what was kept, or None."""
        for folder in folders():
            path = folder / self.name
            try:
                data = path.read_bytes()
            except FileNotFoundError:
                continue
            except OSError as error:
                self._say(f"{folder} cannot be read ({error.strerror or error})", "it is compiled anew")
                continue
            found = self._whole(path, data)
            if found is not None:
                self.folder = folder
                return found
        return None

    def _whole(self, path: Path, data: bytes) -> Kept | None:
        checksum, said = int.from_bytes(data[:_CHECKSUM], "little"), data[_CHECKSUM:]
        if len(data) < _CHECKSUM or zlib.crc32(said) != checksum:
            self._say(f"{path.parent} cannot be read (it is damaged)", "it is compiled anew")
            return None
        text, _, code = said.partition(b"\n")
        head = json.loads(text)
        needs = head.pop("needs")
        return Kept(code, needs) if head == self._head else None

    def write(self, kept: Kept) -> None:
        """Keep it, whole or not at all, in the first folder that can be written."""
        head = json.dumps({**self._head, "needs": list(kept.needs)}).encode()
        said = head + b"\n" + kept.code
        data = zlib.crc32(said).to_bytes(_CHECKSUM, "little") + said
        failed = ""
        for folder in folders():
            try:
                _write_whole(folder / self.name, data)
            except OSError as error:
                failed = failed or f"{folder} cannot be written ({error.strerror or error})"
            else:
                self.folder = folder
                return
        if failed:
            self._say(failed, "each run compiles it anew")

    @staticmethod
    def _say(what: str, then: str) -> None:
        if not KernelFile.said:
            KernelFile.said = True
            warnings.warn(f"a compiled kernel in {what}; {then}", stacklevel=2)


def folders() -> Iterator[Path]:
    """Yield where kernels are kept, best first: a folder that was named, beside the package, the user's own."""
    named = os.environ.get("NUMBA_CACHE_DIR")
    if named:
        yield Path(named)
        return
    yield Path(__file__).parent / "__pycache__"
    from platformdirs import user_cache_path

    with suppress(RuntimeError, OSError):  # Who has no home.
        yield user_cache_path("ramulus", appauthor=False)


def _write_whole(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    written = path.with_suffix(f".{os.getpid()}-{get_ident()}.new")
    try:
        written.write_bytes(data)
        written.replace(path)
    except OSError:
        with suppress(OSError):
            written.unlink(missing_ok=True)
        raise


def _versions() -> str:
    """Return of what compiles and of what loads: other ones may lay arguments out otherwise."""
    found = [platform.python_version()]
    for name in ("numba", "llvmlite", "numpy"):
        with suppress(PackageNotFoundError):
            found.append(version(name))
    return " ".join(found)
