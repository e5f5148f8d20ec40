"""What a terminal or a pipe can take: characters it lacks, and an end that comes early."""

from __future__ import annotations

import codecs
import signal
import sys
import warnings

_PLAIN = {"–": "-", "→": "->", "·": "|", "×": "x", "…": "...", "±": "+-", "−": "-", "≤": "<=", "≥": ">="}


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """Return what stands for characters that the output's encoding lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(_PLAIN.get(character, "?") for character in error.object[error.start : error.end]), error.end


def prepare() -> None:
    """Let output go to any terminal, and end like other commands when its reader has enough."""
    codecs.register_error("ramulus.plainly", _plainly)
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="ramulus.plainly")
    warnings.formatwarning = lambda message, *_, **__: f"warning: {message}\n"
    signal.signal(signal.SIGTERM, _terminated)  # As clean as Ctrl-C.
    if hasattr(signal, "SIGPIPE"):
        signal.signal(signal.SIGPIPE, signal.SIG_DFL)


class Terminated(KeyboardInterrupt):
    """The command was asked to end, not interrupted."""


def _terminated(*_: object) -> None:
    raise Terminated
