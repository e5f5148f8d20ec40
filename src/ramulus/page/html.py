"""A page's sections as one HTML text; every text of a design is escaped, and only the page's own script may run."""

from __future__ import annotations

import base64
import hashlib
import json
import re
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

from ramulus.page.parts import Panel
from ramulus.plots.labels import shortened
from ramulus.showing import harmless

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jinja2 import Environment

    from ramulus.page.parts import Figure, Section

LONGEST_TITLE = 120


def html_of(title: str, sections: Sequence[Section]) -> str:
    """Return the page, with all its figures.

    Args:
        title: the design's.
        sections: what it shows, in order.
    """
    return _page(title, sections, resource("page.js") + _hand_out_script(sections), live=False)


def bench_page_of(title: str, file: str) -> str:
    """Return the page of a bench, which asks for all that it shows.

    Args:
        title: the design's.
        file: the design file's name.
    """
    short, script = shortened(" ".join(title.split()), LONGEST_TITLE), resource("bench.js")
    style = resource("page.css") + resource("bench.css")
    page = _environment().get_template("bench.html.jinja")
    return page.render(title=short, file=file, style=style, script=script, script_hash=_hash_of(script))


def live_page_of(title: str, sections: Sequence[Section], version: int) -> str:
    """Return the report as a bench serves it: it follows what is shown there, and its figures come later.

    Args:
        title: the design's.
        sections: what it shows, in order.
        version: tells this content from what comes later.
    """
    return _page(title, sections, resource("page.js") + resource("live.js"), live=True, version=version)


def content_of(sections: Sequence[Section]) -> str:
    """Return what a served report shows, without what stays around it."""
    return _environment().get_template("content.html.jinja").render(sections=sections, live=True)


def drawing_of(figure: Figure) -> str:
    """Return what is inside of a figure, for a served report that asks for it."""
    return _environment().get_template("drawing.html.jinja").render(part=figure)


def _page(title: str, sections: Sequence[Section], script: str, **more: object) -> str:
    short = shortened(" ".join(title.split()), LONGEST_TITLE)
    style, hashed = resource("page.css"), _hash_of(script)
    page = _environment().get_template("page.html.jinja")
    return page.render(title=short, sections=sections, style=style, script=script, script_hash=hashed, **more)


def _hand_out_script(sections: Sequence[Section]) -> str:
    """Return the code that hands out XP, around what an export writes; nothing where there is no such panel."""
    panels = [part for section in sections for part in section.parts if isinstance(part, Panel)]
    if not panels:
        return ""
    names = re.findall(r"^export (?:class|function|const) (\w+)", panels[0].script, re.MULTILINE)
    game = re.sub(r"^export ", "", panels[0].script, flags=re.MULTILINE)
    # Neither may stand inside of a page's script, whatever a multiplier is called.
    game = game.replace("</", "<\\/").replace("<!--", "<\\!--")
    about = json.dumps({"sources": panels[0].sources, "chains": panels[0].chains}).replace("<", "\\u003c")
    made = f"const game = (() => {{\n{game}return {{ {', '.join(names)} }};\n}})();\nconst about = {about};\n"
    return made + resource("hands.js") + 'hands.handOut(document.getElementById("hands"), game, about);\n'


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
        lstrip_blocks=True, finalize=lambda value: harmless(value) if isinstance(value, str) else value,
    )  # fmt: skip
