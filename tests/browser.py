"""A headless browser for tests of pages; where none is installed they are skipped, and say so."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
needs_browser = pytest.mark.skipif(CHROMIUM is None, reason="no Chromium is installed (package chromium)")


@contextmanager
def browsing(*expected: str, **options: Any) -> Iterator[Any]:
    """Open a page of a browser that may ask no network for anything but this machine; errors on it end the test.

    `expected` stand in those that are meant to come, or may.
    """
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        page = browser.new_context(**options).new_page()
        errors: list[str] = []
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.on("console", lambda message: errors.append(message.text) if message.type == "error" else None)
        page.on("dialog", lambda dialog: errors.append(f"dialog: {dialog.message}"))
        page.set_default_timeout(20_000)
        yield page
        browser.close()
        assert [one for one in errors if not any(word in one for word in expected)] == [], errors
