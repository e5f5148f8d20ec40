"""Write any file whole or not at all."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path

from ramulus.errors import DataError, EndingError, nearest_name


def refuse_strange_ending(path: Path, what: str, endings: tuple[str, ...]) -> str:
    """Return a file's ending, where what is to be written can be written as that.

    Raises:
        EndingError: it is none of the endings.
    """
    ending = path.suffix.lower()
    if ending not in endings:
        near = nearest_name(ending, endings)
        hint = f"; did you mean {near!r}?" if near else ""
        found = f"a {what} cannot be written as {ending or 'a file without ending'}"
        raise EndingError(f"{path}: {found}; allowed: {', '.join(endings)}{hint}")
    return ending


Content = str | bytes | memoryview


def write_whole(path: Path, content: Content) -> None:
    """Write a temporary file beside `path`, then rename it: the file is whole or untouched.

    Args:
        path: the file.
        content: all of it; text is written as UTF-8. Whoever makes figures and workbooks makes them in memory: of the
            libraries that write them, none says well why a disk took nothing more.

    Raises:
        DataError: the file cannot be written.
    """
    write_all({path: content})


def write_all(files: Mapping[Path, Content], *, folders: bool = False) -> None:
    """Write several files as `write_whole` does one: while one of them cannot be written, none is replaced.

    Args:
        files: what is to stand in each.
        folders: whether folders that are missing are made; they are removed again where a file cannot be written.

    Raises:
        DataError: a file cannot be written; the error names it.
    """
    staged: list[tuple[Path, Path]] = []
    made: list[Path] = []
    try:
        for path, content in files.items():
            with _written_or_said(path):
                if folders:
                    made += _folders_made(path.parent)
                behind = _behind_links(path)
                if behind.exists() and not (behind.is_file() or behind.is_dir()):
                    # To put a file in its place would be the end of /dev/null.
                    raise DataError(f"{path}: cannot be written (not a regular file)")
                temporary = behind.with_name(f".{behind.name}.{secrets.token_hex(8)}{behind.suffix}")
                staged.append((temporary, behind))  # Before it is there: an interrupt leaves nothing.
                _write_new(temporary, content.encode() if isinstance(content, str) else content)
                if behind.exists():
                    temporary.chmod(behind.stat().st_mode & 0o777)
        for temporary, path in staged:
            with _written_or_said(path):
                temporary.replace(path)
    finally:
        for temporary, _ in staged:
            temporary.unlink(missing_ok=True)
        for folder in reversed(made):
            with suppress(OSError):  # Something stands in it: it was made for good.
                folder.rmdir()


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Yield a temporary file beside `path` to write to, piece by piece; it takes its place once all is written.

    Raises:
        DataError: the file cannot be written.
    """
    with _written_or_said(path):
        behind = _behind_links(path)
        if behind.exists() and not behind.is_file():
            raise DataError(f"{path}: cannot be written (not a regular file)")
        temporary = behind.with_name(f".{behind.name}.{secrets.token_hex(8)}{behind.suffix}")
        try:
            yield temporary
            if behind.exists():
                temporary.chmod(behind.stat().st_mode & 0o777)
            temporary.replace(behind)
        finally:
            temporary.unlink(missing_ok=True)


def _write_new(path: Path, content: bytes | memoryview) -> None:
    with path.open("xb") as file:
        file.write(content)


@contextmanager
def _written_or_said(path: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise DataError(f"{path}: cannot be written ({error.strerror or error})") from None


def _folders_made(folder: Path) -> list[Path]:
    """Make a folder with those above it, and return what was made, the highest first."""
    missing = [one for one in (folder, *folder.parents) if not one.exists()]
    folder.mkdir(parents=True, exist_ok=True)
    return missing[::-1]


def _behind_links(path: Path) -> Path:
    """Return the file that a link leads to, which is what is to be written, and not the link.

    Raises:
        DataError: links lead in a circle.
    """
    try:
        return Path(os.path.realpath(path, strict=True)) if path.is_symlink() and path.exists() else path
    except (OSError, RuntimeError) as error:
        raise DataError(f"{path}: cannot be written ({getattr(error, 'strerror', None) or error})") from None
