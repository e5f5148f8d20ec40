"""Text that may be shown anywhere: what a stranger's file is called, or has in its heads, may hold anything."""

from __future__ import annotations

_CONTROLS = {code: f"\\x{code:02x}" for code in (*range(32), *range(127, 160)) if chr(code) not in "\n\t"}


def control_in(text: str) -> str | None:
    """Return the first control character of a text that is neither a line end nor a tab, or None."""
    return next((letter for letter in text if ord(letter) in _CONTROLS and letter != "\r"), None)


def harmless(text: str) -> str:
    """Return text in which nothing steers a terminal, or breaks a workbook, a figure or a page.

    Control characters, but for line ends and tabs, are written as their numbers.

    Examples:
        >>> print(harmless("a\\x1b[31m"))
        a\\x1b[31m
    """
    return text.translate(_CONTROLS)
