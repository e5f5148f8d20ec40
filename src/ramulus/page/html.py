"""A page's sections as one HTML text; every text of a design is escaped, and only the page's own script may run."""

from __future__ import annotations

import base64
import hashlib
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

from ramulus.plots.labels import shortened

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jinja2 import Environment

    from ramulus.page.parts import Section

LONGEST_TITLE = 120


def html_of(title: str, sections: Sequence[Section], *, live: str = "") -> str:
    """Return the page.

    Args:
        title: the design's.
        sections: what it shows, in order.
        live: the script of a page that is served, or nothing.
    """
    script = resource("page.js") + live
    return (
        _environment()
        .get_template("page.html.jinja")
        .render(
            title=shortened(" ".join(title.split()), LONGEST_TITLE), sections=sections, style=resource("page.css"),
            script=script, script_hash=_hash_of(script), live=bool(live),
        )
    )  # fmt: skip


@cache
def resource(name: str) -> str:
    """Return a text file of this package."""
    return (resources.files("ramulus.page") / "templates" / name).read_text(encoding="utf-8")


def _hash_of(script: str) -> str:
    """Return what a browser compares with a script before it runs it (Content Security Policy, level 2)."""
    return base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()


@cache
def _environment() -> Environment:
    from jinja2 import Environment, PackageLoader, StrictUndefined

    return Environment(
        loader=PackageLoader("ramulus.page"), autoescape=True, undefined=StrictUndefined, trim_blocks=True,
        lstrip_blocks=True,
    )  # fmt: skip
