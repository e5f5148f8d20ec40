"""Write the pages that are made from the program itself, before the site is built: ``python docs/written.py``.

A step before the build and no plugin, so that the tool that builds the site can be another one.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from ramulus.cli.main import app_of

app = app_of(())  # What describes commands looks for it in this file.
PAGE = Path(__file__).parent / "commands.md"


def commands() -> str:
    """Return every command with its arguments and options, as Markdown."""
    made = [sys.executable, "-m", "typer", __file__, "utils", "docs", "--name", "ramulus"]
    return subprocess.run(made, check=True, capture_output=True, text=True).stdout


if __name__ == "__main__":
    PAGE.write_text(commands(), encoding="utf-8")
