"""What the tests share: small designs, and the command line in this process."""

from __future__ import annotations

import os
import sys
from dataclasses import dataclass
from typing import Any

import matplotlib as mpl
import pytest
from hypothesis import settings

import ramulus as rm

mpl.use("Agg")

# What decides whether a change lands must not depend on luck; at home, and in a second run of CI's, every run tries
# other examples (pytest --hypothesis-profile fresh).
settings.register_profile("ci", derandomize=True, deadline=None)
settings.register_profile("fresh", derandomize=False, deadline=None, print_blob=True)
if os.environ.get("CI"):
    settings.load_profile("ci")


def make(cost: Any = None, max_level: int = 6, track: dict[str, Any] | None = None, **parts: Any) -> rm.Design:
    """A design of one track, and of `skills`; other parts by name."""
    skills, file = parts.pop("skills", {}), parts.pop("file", None)
    one = {"max_level": max_level, "cost": cost or {"formula": "100 * level"}, **(track or {})}
    data = {"format": 1, "title": "Canopy", "tracks": {"warden": one, **skills}, **parts}
    return rm.Design.from_dict(data, file=file)


@dataclass
class Ran:
    status: int
    out: str
    err: str


@pytest.fixture
def cli(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    """Run the command line; what it printed and its exit status."""

    def run(*words: Any) -> Ran:
        from ramulus.cli.main import run as main

        monkeypatch.setattr(sys, "argv", ["ramulus", *map(str, words)])
        capsys.readouterr()
        try:
            main()
            status = 0
        except SystemExit as stop:
            status = int(stop.code or 0)
        captured = capsys.readouterr()
        return Ran(status, captured.out, captured.err)

    return run


@pytest.fixture
def canopy(tmp_path):
    """The demo design as a file."""
    from ramulus.design import demo_text

    file = tmp_path / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    return file
