"""The page of commands, made from the command line itself whenever the pages are built."""

from __future__ import annotations

import subprocess
import sys

from mkdocs.config.defaults import MkDocsConfig
from mkdocs.structure.files import File, Files

PAGE = "commands.md"


def on_files(files: Files, config: MkDocsConfig) -> Files:
    """Add the page."""
    files.append(File.generated(config, PAGE, content=commands()))
    return files


def commands() -> str:
    """Return every command with its arguments and options, as Markdown."""
    made = [sys.executable, "-m", "typer", "ramulus.cli.main", "utils", "docs", "--name", "ramulus"]
    return subprocess.run(made, check=True, capture_output=True, text=True).stdout
