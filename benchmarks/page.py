"""What the page costs: playing it, drawing it, showing it; and how soon the bench shows a save.

    python benchmarks/page.py     # a minute; needs the extra `test`, and Chromium

Each time is the least of some rounds, and stands beside one simulation of the same players.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

import ramulus as rm
from ramulus.design import demo_text
from ramulus.page.making import context_of, page_of

PLAYERS, ROUNDS = 2000, 3
VALUES = iter(range(2990, 0, -10))


def least(run: Callable[[], object], rounds: int = ROUNDS) -> float:
    """Return the seconds of the fastest of some runs."""
    seconds = []
    for _ in range(rounds):
        began = time.perf_counter()
        run()
        seconds.append(time.perf_counter() - began)
    return min(seconds)


def until(page: Page, condition: str) -> None:
    while not page.evaluate(condition):
        time.sleep(0.01)


def saved(page: Page, file: Path) -> None:
    """Save a number, and wait until a window has it, played in full."""
    gate = next(VALUES)
    file.write_text(re.sub(r"crown_gate = \d+", f"crown_gate = {gate}", demo_text()), encoding="utf-8")
    until(page, f"document.getElementById('turn-constants.crown_gate').value === '{gate}'")


def main() -> None:
    design = rm.demo_design()
    rm.simulate(design, 100)
    simulation = least(lambda: rm.simulate(rm.demo_design(), PLAYERS))
    context = context_of(design, PLAYERS, None, 7)
    print(f"simulate: {simulation:.2f} s")

    def say(what: str, seconds: float) -> None:
        print(f"{what}: {seconds:.2f} s, {seconds / simulation:.1f} times simulate")

    page_of(context)
    say("draw the page with all its figures", least(lambda: page_of(context), 2))
    chromium = shutil.which("chromium") or shutil.which("google-chrome")
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        file = Path(folder) / "canopy.toml"
        file.write_text(demo_text(), encoding="utf-8")
        page_file = rm.report(design, Path(folder) / "canopy.html", players=PLAYERS)
        print(f"the page is {page_file.stat().st_size / 1e6:.1f} MB")
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        painted = "performance.getEntriesByName('first-contentful-paint').length && document.readyState === 'complete'"

        def show() -> None:
            page.goto(page_file.as_uri())
            until(page, painted)

        say("a browser shows it", least(show))
        command = [sys.executable, "-m", "ramulus", "bench", str(file), "--players", str(PLAYERS)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as server:
            assert server.stdout is not None
            page.goto(server.stdout.readline().strip())
            until(page, "document.querySelector('#figure path.line') !== null")
            say("bench: from a save to what it changed", least(lambda: saved(page, file), 5))
            server.terminate()
        browser.close()


if __name__ == "__main__":
    main()
