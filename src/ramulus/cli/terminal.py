"""What a terminal or a pipe can take: characters it lacks, an end that comes early, and no room at all."""

from __future__ import annotations

import codecs
import io
import os
import signal
import sys
import threading
import warnings
from contextlib import suppress
from typing import Any, NoReturn, TextIO

from ramulus.showing import harmless

_PLAIN = {"–": "-", "→": "->", "·": "|", "×": "x", "…": "...", "±": "+-", "−": "-", "≤": "<=", "≥": ">="}
HEARD_AGAIN = 0.02  # s; until an interrupt that a library swallowed is raised once more.


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """Return what stands for characters that the output's encoding lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(_PLAIN.get(character, "?") for character in error.object[error.start : error.end]), error.end


class _Lossy(io.RawIOBase):
    """Standard error that may take nothing: what was to be said there is lost, and nothing else."""

    def __init__(self, handle: int) -> None:
        self._handle = handle

    def writable(self) -> bool:
        return True

    def fileno(self) -> int:
        return self._handle

    def isatty(self) -> bool:
        return os.isatty(self._handle)

    def write(self, data: Any) -> int:
        try:
            return os.write(self._handle, data)
        except OSError:
            return len(data)


class _Read(io.FileIO):
    """Standard output that ends the command when its reader has enough, as other commands end.

    Only this stream does: a game that dies, or a browser that leaves, is an error to be told and not our end.
    """

    def write(self, data: Any) -> int:
        try:
            return super().write(data)
        except BrokenPipeError:
            if hasattr(signal, "SIGPIPE"):
                signal.signal(signal.SIGPIPE, signal.SIG_DFL)
                signal.raise_signal(signal.SIGPIPE)
            raise


def prepare() -> None:
    """Let output go to any terminal, and end like other commands when its reader has enough."""
    codecs.register_error("ramulus.plainly", _plainly)
    if sys.stdout is None:  # It was closed before the start: who needs it is told, who does not goes on.
        sys.stdout = _text_to(io.FileIO(_held(1), "w"))
    elif sys.stdout is sys.__stdout__ and sys.__stdout__ is not None:
        sys.stdout = _text_to(_Read(1, "w", closefd=False), sys.__stdout__.encoding, sys.__stdout__.line_buffering)
    if sys.stderr is None or sys.stderr is sys.__stderr__:
        sys.stderr = _text_to(_Lossy(2 if sys.stderr is not None else _held(2)))
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="ramulus.plainly")
    warnings.formatwarning = lambda message, *_, **__: f"warning: {harmless(str(message))}\n"
    if sys.unraisablehook is sys.__unraisablehook__:
        sys.unraisablehook = _unraisable
    Heard.signal = None
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, _stop)


def _held(handle: int) -> int:
    """Return the number of a stream that was closed, with nothing behind it to write to: no file gets it then."""
    nothing = os.open(os.devnull, os.O_RDONLY)
    if nothing != handle:
        os.dup2(nothing, handle)
        os.close(nothing)
    return handle


def _text_to(stream: io.RawIOBase, encoding: str = "", by_line: bool = True) -> TextIO:
    encoding = encoding or getattr(sys.__stderr__, "encoding", None) or "utf-8"
    return io.TextIOWrapper(io.BufferedWriter(stream), encoding, line_buffering=by_line)


class Heard:
    """The last signal that asked the command to end, or None: libraries make other errors of the one it raises."""

    signal: int | None = None


def _stop(number: int, _: object) -> None:
    Heard.signal = number
    raise KeyboardInterrupt


def finish() -> None:
    """Let nothing break in on the end: what is done is done, and what was said was said."""
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, signal.SIG_IGN)


def end_stopped() -> NoReturn:
    """End an interrupted command, at once and with the status of what interrupted it."""
    # Not by way of the interpreter's own end: where the interrupt came during `exec` it would raise the signal again.
    end_at_once(128 + (Heard.signal or signal.SIGINT))  # As shells tell it.


def end_at_once(status: int) -> NoReturn:
    """End the command without waiting for threads that are still at work."""
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError):
            stream.flush()
    os._exit(status)


def _unraisable(unraisable: Any) -> None:
    """Raise an interrupt once more that fell into code that cannot raise, such as the locks of imports."""
    if isinstance(unraisable.exc_value, KeyboardInterrupt) and Heard.signal is not None:
        timer = threading.Timer(HEARD_AGAIN, signal.raise_signal, [Heard.signal])
        timer.daemon = True
        timer.start()
    elif not isinstance(unraisable.exc_value, OSError):  # Of a disk that is full, what can raise has told already.
        sys.__unraisablehook__(unraisable)
