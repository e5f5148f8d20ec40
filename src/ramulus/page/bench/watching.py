"""Say when a design file, or a file that it names, was saved."""

from __future__ import annotations

import asyncio
import os
from collections.abc import AsyncIterator, Callable
from contextlib import suppress
from pathlib import Path

from watchfiles import Change, awatch

GONE = 1.0  # Seconds after which a folder that is gone is looked for again.
LOOKS_AGAIN = 1000  # Milliseconds between looks at files of which no change was told.
STEP = 50  # Milliseconds of quiet after which a save counts as done.


async def saves(files: Callable[[], set[Path]], stop: asyncio.Event) -> AsyncIterator[None]:
    """Yield whenever one of some files was written, made or replaced, until `stop` is set.

    Args:
        files: gives the files, which may be others after each save.
        stop: ends it.

    Folders are watched, not files: editors replace a file by another of its name.
    """
    seen: dict[Path, tuple[int, int]] | None = None
    while not stop.is_set():
        watched = _named(files())
        folders = {file.parent for file in watched if file.parent.is_dir()}
        if not folders:  # The design's own folder is gone; it may come back.
            await asyncio.sleep(GONE)
            continue

        def wanted(_: Change, path: str, watched: set[Path] = watched) -> bool:
            return Path(path) in watched

        watch = awatch(
            *folders, watch_filter=wanted, step=STEP, stop_event=stop, recursive=False, rust_timeout=LOOKS_AGAIN,
            yield_on_timeout=True,
        )  # fmt: skip
        async for changes in watch:
            now = _states(watched)
            # Also what was saved before anybody watched, or what a disk of another machine does not tell of.
            if not changes and now == seen:
                continue
            seen = now
            yield
            if _named(files()) != watched:
                break


def _named(files: set[Path]) -> set[Path]:
    """Return the files as they are called, and what links among them lead to."""
    return {path for file in files for path in (Path(os.path.abspath(file)), file.resolve())}


def _states(files: set[Path]) -> dict[Path, tuple[int, int]]:
    """Return when each file that is there was last written, and how large it is."""
    found = {}
    for file in files:
        with suppress(OSError):
            about = file.stat()
            found[file] = about.st_mtime_ns, about.st_size
    return found
