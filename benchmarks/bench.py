"""How soon the bench's figure shows what a slider says, at 30 moves a second, in a real browser.

    python benchmarks/bench.py

For the shipped design and for one of 100 levels and 30 sources: a constant that only costs read, and a number behind
encounters. Times are from a move of the pointer to the frame in which the figure shows that value or a newer one.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

import ramulus as rm
from ramulus.design import demo_text

MOVES, EVERY = 90, 1 / 30  # s
PLAYED = "() => !document.getElementById('goals').classList.contains('stale')"

WATCH = """() => {
  window.moved = []; window.seen = [];
  const send = window.fetch;
  window.fetch = async (path, options) => {
    const answer = await send(path, options);
    if (!String(path).endsWith("preview")) return answer;
    const body = options.body, json = answer.json.bind(answer);
    answer.json = async () => {
      const read = await json();
      // After the frame in which the answer is drawn has been painted.
      requestAnimationFrame(() => setTimeout(() => window.seen.push([performance.now(), body]), 0));
      return read;
    };
    return answer;
  };
  document.addEventListener("input", (event) => window.moved.push([performance.now(), Number(event.target.value)]), true);
}"""


def large() -> str:
    """Return a design of 100 levels and 30 sources, three profiles as the shipped one has them."""
    data = rm.demo_design().to_dict()
    data["tracks"]["warden"]["max_level"] = 100
    data["goals"] = data["goals"][:1]
    like = data["sources"]["bark_borer"]
    data["sources"] = {
        f"blight_{at}": {**like, "level": 1 + 10 * at // 3, "xp": 12 + 6 * at, "toughness": 22 + 20 * at,
                         "from_level": max(1, 3 * at - 6), "to_level": 3 * at + 20 if at < 29 else 100}
        for at in range(30)
    }  # fmt: skip
    return rm.Design.from_dict(data).to_toml()


def drag(page: Page, place: str, end: int) -> tuple[np.ndarray, float]:
    """Drag a slider at 30 moves a second; return milliseconds until each move is seen, and seconds to the full run."""
    group = "constants" if place.startswith("constants.") else place.rpartition(".")[0]
    page.select_option("#group", group)
    slider = page.locator(f'[id="turn-{place}"]')
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] * 0.33, box["y"] + box["height"] / 2
    page.evaluate("() => { window.moved = []; window.seen = []; }")
    page.mouse.move(x, y)
    page.mouse.down()
    begun = time.monotonic()
    for move in range(MOVES):
        page.mouse.move(x + 60 * abs(np.sin(move / 15)), y)
        time.sleep(max(0.0, begun + (move + 1) * EVERY - time.monotonic()))
    page.mouse.move(x + end, y)  # Elsewhere each time: what was played already is shown at once.
    page.mouse.up()
    let_go = time.monotonic()
    # Asked for every 20 ms: what waits for a selector asks twice a second after a while.
    page.wait_for_function(PLAYED, polling=20, timeout=20_000)
    full = time.monotonic() - let_go
    moved = page.evaluate("window.moved")
    seen = [(at, body) for at, body in page.evaluate("window.seen")]
    return waits(moved, seen, place), full


def waits(moved: list[list[float]], seen: list[tuple[float, str]], place: str) -> np.ndarray:
    """Return how long each move waited until its value, or that of a later move, was seen; ms."""
    found = []
    order = {value: at for at, (_, value) in enumerate(moved)}
    shown = [(at, order.get(json.loads(body)["values"].get(place), -1)) for at, body in seen]
    for number, (at, _) in enumerate(moved):
        later = [when - at for when, which in shown if when > at and which >= number]
        if later:
            found.append(min(later))
    return np.array(found)


def main() -> None:
    print("| design | what is moved | moves seen | median, ms | p90, ms | full run after letting go, s |")
    print("|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium") or shutil.which("google-chrome"), args=["--no-sandbox"]
        )
        for name, text in (("shipped", demo_text()), ("100 levels, 30 sources", large())):
            file = Path(folder) / "design.toml"
            file.write_text(text, encoding="utf-8")
            command = [sys.executable, "-m", "ramulus", "bench", str(file), "--quiet"]
            with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
                assert process.stdout is not None
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(process.stdout.readline().strip())
                page.wait_for_selector("#figure path.line")
                page.evaluate(WATCH)
                for place in ("constants.steepness", "players.steady.seconds_between", "stats.shear.growth"):
                    drag(page, place, 5)
                    ms, full = drag(page, place, 12)
                    page.click("#back")
                    page.wait_for_selector("#goals:not(.stale)", timeout=20_000)
                    told = f"{np.median(ms):.0f} | {np.quantile(ms, 0.9):.0f} | {full:.1f}"
                    print(f"| {name} | {place} | {len(ms)} | {told} |", flush=True)
                page.close()
                process.terminate()
        browser.close()


if __name__ == "__main__":
    main()
