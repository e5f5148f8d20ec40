"""A game that answers: a process that is asked a run at a time, and said to be slow, dead, mute or out of turn."""

from __future__ import annotations

import contextlib
import os
import queue
import signal
import subprocess
import threading
import time
from collections.abc import Sequence
from typing import Any

from ramulus.errors import DataError
from ramulus.game.requests import Answer, Heard, Request

LAST_LINES = 3
CLOSING = 5.0


class GameProcess:
    """A game that runs, and answers runs one at a time. It is ended with everything that it has started.

    Args:
        command: program and arguments.
        start_timeout: seconds for the first answer.
        timeout: seconds for each later one.
    """

    def __init__(self, command: Sequence[str], start_timeout: float = 60.0, timeout: float = 10.0) -> None:
        self.command, self.heard = list(command), Heard()
        self._timeouts = [start_timeout, timeout]
        self._lines: queue.Queue[bytes | None] = queue.Queue()
        self._last: list[str] = []
        self._answered = False
        try:
            self._process = subprocess.Popen(
                self.command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, bufsize=0,
                start_new_session=True,
            )  # fmt: skip
        except OSError as error:
            raise DataError(f"{self.command[0]}: cannot be started ({error.strerror})") from None
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        out: Any = self._process.stdout
        with contextlib.suppress(OSError, ValueError):
            for line in iter(out.readline, b""):
                self._lines.put(line)
        self._lines.put(None)

    def ask(self, request: Request) -> Answer:
        """Return the answer to one run.

        Raises:
            DataError: the game is silent for too long, dies, or answers something else.
        """
        try:
            self._process.stdin.write((request.line + "\n").encode("ascii"))  # type: ignore[union-attr]
        except (OSError, ValueError):
            self._hear_the_rest()
            raise self._died() from None
        seconds = self._timeouts[self._answered]
        until = time.monotonic() + seconds
        while True:
            try:
                line = self._lines.get(timeout=max(until - time.monotonic(), 0.001))
            except queue.Empty:
                raise DataError(self._silent(seconds, request)) from None
            if line is None:
                raise self._died()
            answer = self._heard(line)
            if answer is not None:
                self._answered = True
                if answer.number != request.number:
                    asked = f"run {request.number} was asked for, and the answer is to {answer.number}"
                    raise DataError(f"your game answers out of turn: {asked}")
                return answer

    def _heard(self, line: bytes) -> Answer | None:
        if b"\0" in line:
            raise DataError("your game answers in UTF-16; allowed: UTF-8")
        text = line.decode("utf-8", "replace")
        self._last = [*self._last, text.strip()[:200]][-LAST_LINES:]
        return self.heard.hear(text)

    def _hear_the_rest(self) -> None:
        """Hear what a game said before it came to an end, which may be read later than the end is felt."""
        until = time.monotonic() + CLOSING
        with contextlib.suppress(queue.Empty):
            while (line := self._lines.get(timeout=max(until - time.monotonic(), 0.001))) is not None:
                self._heard(line)
                if time.monotonic() > until:
                    break

    def _silent(self, seconds: float, request: Request) -> str:
        flushes = "" if self._answered else "; does it flush its output after each line?"
        return f"your game gave no answer to run {request.number} within {seconds:g} s{flushes}{self._said()}"

    def _died(self) -> DataError:
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(CLOSING)
        code = self._process.poll()
        how = (
            "closed its output"
            if code is None
            else f"ended with signal {-code}"
            if code < 0
            else f"ended with status {code}"
        )
        return DataError(f"your game {how} before it had answered{self._said()}")

    def _said(self) -> str:
        return f"; its last lines: {' / '.join(self._last)}" if self._last else "; it said nothing"

    def close(self) -> None:
        """Close the game's input; what still runs after a while is ended, with all that it started."""
        with contextlib.suppress(OSError, ValueError):
            self._process.stdin.close()  # type: ignore[union-attr]
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(CLOSING)
        if hasattr(os, "killpg"):
            with contextlib.suppress(OSError):
                os.killpg(self._process.pid, signal.SIGKILL)
        else:
            self._process.kill()
        self._process.wait()

    def __enter__(self) -> GameProcess:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
