"""One way to read a file that somebody names: no pipe is waited for, no device read to the end of memory."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from ramulus.errors import DataError


def read_whole(path: Path, most: int) -> bytes:
    """Return the bytes of a regular file.

    Args:
        path: the file, or a link to one.
        most: how many bytes are read at most.

    Raises:
        FileNotFoundError: there is none.
        DataError: it is no regular file, or larger; without the file's name, which the caller knows.
        OSError: it cannot be read.
        ValueError: it is no name of a file.
    """
    # Opening a pipe would wait for whoever writes to it; what it is, is looked at once it is open and cannot change.
    handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    try:
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            raise DataError("not a regular file")
        if found.st_size > most:
            raise DataError(f"larger than {most:,} bytes")
        with os.fdopen(os.dup(handle), "rb") as file:
            data = file.read(most + 1)  # It may grow while it is read.
    finally:
        os.close(handle)
    if len(data) > most:
        raise DataError(f"larger than {most:,} bytes")
    return data


def bytes_now(path: Path, most: int) -> bytes:
    """Return what stands in a file now; nothing where it is gone, or is none that `read_whole` reads."""
    try:
        return read_whole(path, most)
    except (OSError, ValueError, DataError):
        return b""
