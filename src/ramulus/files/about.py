"""What tables were made from, as lines of text: above CSV, and on a sheet of a workbook."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from ramulus.showing import harmless

About = Mapping[str, Any]


def about_lines(about: About) -> list[tuple[str, str]]:
    """Return names and what is said under each, on one line."""
    plain = {
        name: said if isinstance(said, str) else json.dumps(said, ensure_ascii=False) for name, said in about.items()
    }
    return [(name, harmless(said)) for name, said in plain.items()]
