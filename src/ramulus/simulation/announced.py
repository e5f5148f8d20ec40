"""Who is told that a kernel is compiled, which takes seconds, once on a machine. It loads nothing."""

from __future__ import annotations

from collections.abc import Callable


class Announced:
    """What is called once, when the first kernel is compiled and not found on disk; None: nobody asks."""

    hook: Callable[[], object] | None = None


def announce() -> None:
    """Tell whoever asked, once."""
    hook, Announced.hook = Announced.hook, None
    if hook is not None:
        hook()
