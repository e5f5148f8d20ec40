"""One way to read a file that somebody names: no pipe is waited for, no device read to the end of memory."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from ramulus.errors import DataError

MAX_BYTES = 20_000_000  # Of a design, or a file that belongs to one.


def read_whole(path: Path, most: int) -> bytes:
    """Return the bytes of a regular file, all of them.

    Args:
        path: the file, or a link to one.
        most: how many bytes are read at most.

    Raises:
        FileNotFoundError: there is none.
        DataError: it is no regular file, or larger; without the file's name, which the caller knows.
        OSError: it cannot be read.
        ValueError: it is no name of a file.
    """
    data = read_start(path, most + 1)
    if len(data) > most:
        raise DataError(f"larger than {most:,} bytes")
    return data


def read_named(path: Path, most: int) -> bytes:
    """Return the bytes of a regular file.

    Raises:
        DataError: there is none, it cannot be read, or is larger; with the file's name.
    """
    try:
        return read_whole(path, most)
    except FileNotFoundError:
        raise DataError(f"{path}: no such file") from None
    except (OSError, ValueError) as error:
        raise DataError(f"{path}: cannot be read ({getattr(error, 'strerror', None) or error})") from None
    except DataError as error:
        raise DataError(f"{path}: cannot be read ({error})") from None


def read_start(path: Path, count: int) -> bytes:
    """Return the first bytes of a regular file, at most so many; raises as `read_whole` does."""
    # Opening a pipe would wait for whoever writes to it; what it is, is looked at once it is open and cannot change.
    handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise DataError("not a regular file")
        with os.fdopen(os.dup(handle), "rb") as file:
            return file.read(count)
    finally:
        os.close(handle)


def bytes_now(path: Path, most: int) -> bytes:
    """Return what stands in a file now; nothing where it is gone, or is none that `read_whole` reads."""
    try:
        return read_whole(path, most)
    except (OSError, ValueError, DataError):
        return b""
