"""The live page: it follows its file, says what changed, tries and keeps values, and answers nobody else."""

from __future__ import annotations

import asyncio
import http.client
import json
import re
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from urllib.parse import urlsplit

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from browser import browsing, needs_browser
from ramulus.cli.closing import Closing
from ramulus.design import demo_text
from ramulus.page.live import Session, Sizes
from ramulus.page.live.sliders import slider_of
from ramulus.page.parts import Groups, Words

pytest.importorskip("starlette")
PLAYERS = 60


@contextmanager
def serving(file):
    """Serve a file's page from a process of its own; yields the process and the address."""
    words = [sys.executable, "-m", "ramulus", "report", str(file), "--live", "--players", str(PLAYERS)]
    with subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as process:
        try:
            yield process, process.stdout.readline().strip()
        finally:
            process.kill()


@pytest.fixture(scope="module")
def live(tmp_path_factory):
    file = tmp_path_factory.mktemp("live") / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    with serving(file) as (_, address):
        yield file, address


def ask(address, path="", method="GET", body=None, **headers):
    """Answer of one request: status, headers, text. Headers by name, with _ for -."""
    place = urlsplit(address)
    connection = http.client.HTTPConnection(place.hostname, place.port, timeout=20)
    own = {"Host": place.netloc} | {name.replace("_", "-"): value for name, value in headers.items()}
    connection.request(method, path if path.startswith("/") else place.path + path, body, own)
    answer = connection.getresponse()
    return answer.status, dict(answer.getheaders()), answer.read().decode()


def post(address, path, data, **headers):
    origin = f"http://{urlsplit(address).netloc}"
    own = {"Origin": origin, "Content_Type": "application/json"} | headers
    return ask(address, path, "POST", json.dumps(data), **own)


STUCK = """
import sys, time, ramulus.page.live.session as session
from ramulus.__main__ import run
play, calls = session.context_of, []
def stuck(*given, **options):
    if calls:
        print("stuck", flush=True)
        time.sleep(100)
    calls.append(1)
    return play(*given, **options)
session.context_of = stuck
sys.argv = ["ramulus", "report", sys.argv[1], "--live", "--players", "3", "--hours", "1"]
run()
"""


def test_work_without_end_is_given_up(tmp_path):
    file = tmp_path / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    with subprocess.Popen([sys.executable, "-c", STUCK, str(file)], stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout.readline().startswith("http://")
        told = ThreadPoolExecutor(1).submit(process.stdout.readline)
        for cost in range(61, 100):  # Saved again until it is seen: at first nobody watches yet.
            file.write_text(demo_text().replace("first_cost = 60", f"first_cost = {cost}"), encoding="utf-8")
            if wait([told], timeout=1).done:
                break
        assert told.result(timeout=1) == "stuck\n"
        process.send_signal(signal.SIGINT)
        assert process.wait(timeout=20) == 0


# --- who may ask ------------------------------------------------------------------------------------------------


def test_the_address_is_this_machine_with_a_token(live):
    assert re.fullmatch(r"http://127\.0\.0\.1:\d+/[\w-]{22}/", live[1])
    status, headers, text = ask(live[1])
    assert status == 200 and "Canopy Wardens" in text
    assert headers["cache-control"] == "no-store" and headers["x-frame-options"] == "DENY"
    assert headers["referrer-policy"] == "no-referrer" and headers["cross-origin-resource-policy"] == "same-origin"
    assert "access-control-allow-origin" not in headers and "server" not in headers


@pytest.mark.parametrize(
    ("given", "why"),
    [
        ({"Host": "canopy.example"}, "another host"),
        ({"Host": "127.0.0.1"}, "another host"),
        ({"Host": "127.0.0.1:1"}, "another host"),
        ({"Host": ""}, "another host"),
        ({"Origin": "http://canopy.example"}, "another origin"),
        ({"Origin": "null"}, "another origin"),
        ({"Origin": "https://127.0.0.1"}, "another origin"),
        ({"Sec_Fetch_Site": "cross-site"}, "another site"),
        ({"Sec_Fetch_Site": "same-site"}, "another site"),
        ({"path": "/"}, "lacks its token"),
        ({"path": "/content"}, "lacks its token"),
        ({"path": "/x" * 11 + "/"}, "lacks its token"),
        ({"method": "POST", "path": "try", "Content_Type": "application/json"}, "no page of this server"),
        ({"method": "POST", "path": "try", "Origin": "own", "Content_Type": "text/plain"}, "no page of this server"),
    ],
)
def test_whoever_else_asks_is_refused(live, given, why):
    _, address = live
    if given.get("Origin") == "own":
        given = {**given, "Origin": f"http://{urlsplit(address).netloc}"}
    body = '{"steepness": 9}' if given.get("method") == "POST" else None
    status, _, text = ask(address, body=body, **given)
    assert (status, text.startswith("refused: ")) == (403, True) and why in text


@pytest.mark.parametrize(
    ("path", "data", "status"),
    [
        ("try", [1], 400),
        ("try", {"steepness": "1"}, 400),
        ("try", {"steepness": True}, 400),
        ("try", {"steepness": float("nan")}, 400),
        ("try", {"steepness": 10**400}, 400),
        ("try", {"steepness": 1, "x" * 200_000: 1}, 400),
        ("try", {"steepnes": 1}, 409),
        ("keep", {}, 409),
    ],
)
def test_what_is_no_value_is_refused(live, path, data, status):
    found, _, text = post(live[1], path, data)
    assert found == status and text.strip() and "Traceback" not in text


def test_figures_are_those_of_what_is_shown(live):
    version = ask(live[1], "content")[1]["x-version"]
    status, _, text = ask(live[1], f"figure/costs?version={version}")
    assert status == 200 and text.count("<svg ") == 1 and "The numbers of" in text
    assert ask(live[1], "figure/costs?version=0")[0] == 204
    assert ask(live[1], f"figure/nothing?version={version}")[0] == 404
    for version in ("x", "9" * 5000):
        assert ask(live[1], f"figure/costs?version={version}")[0] == 400
    assert ask(live[1], "nothing")[0] == 404


def test_a_client_that_goes_away_and_endless_brackets_leave_no_trace(tmp_path):
    file = tmp_path / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    with serving(file) as (process, address):
        place = urlsplit(address)
        own = {"Origin": f"http://{place.netloc}", "Content-Type": "application/json"}
        for _ in range(3):
            connection = http.client.HTTPConnection(place.hostname, place.port, timeout=20)
            connection.putrequest("POST", place.path + "try")
            for name, value in {**own, "Content-Length": "1000"}.items():
                connection.putheader(name, value)
            connection.endheaders(b'{"steep')
            connection.close()
        headers = {name.replace("-", "_"): value for name, value in own.items()}
        assert ask(address, "try", "POST", '{"a": ' + "[" * 90_000, **headers)[0] == 400
        process.send_signal(signal.SIGINT)
        _, said = process.communicate(timeout=15)
        assert process.returncode == 0 and "Traceback" not in said and "Error" not in said, said


def test_it_ends_in_peace_while_somebody_listens(tmp_path):
    file = tmp_path / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    with serving(file) as (process, address):
        place = urlsplit(address)
        listener = http.client.HTTPConnection(place.hostname, place.port, timeout=20)
        listener.request("GET", place.path + "events")
        assert listener.getresponse().readline().startswith(b"data: ")
        process.send_signal(signal.SIGINT)
        _, said = process.communicate(timeout=15)
        assert process.returncode == 0 and "Traceback" not in said and "ended" in said


@pytest.mark.parametrize("words", [
    ["--live", "--set", "steepness=1"], ["--live", "--also", "other.toml"], ["--live", "--variant", "steepness=1"],
    ["--live", "--sensitivity"], ["--live", "-o", "page.html"], ["--port", "8000"],
])  # fmt: skip
def test_what_does_not_go_together_is_said_at_once(cli, canopy, words):
    ran = cli("report", canopy, *words)
    assert ran.status == 2 and "--live" in ran.err and ran.out == ""


# --- the session ------------------------------------------------------------------------------------------------


def session_of(file):
    session = Session(file, lambda: Closing().load(file), Sizes(PLAYERS, None, 7))
    session.start()
    return session


def words_of(section):
    return [line for part in section.parts if isinstance(part, Words) for line in part.lines] + [
        line for part in section.parts if isinstance(part, Groups) for _, lines in part.groups for line in lines
    ]


def since_of(session):
    first = session.shown.sections[0]
    return words_of(first) if first.name == "since" else None


def test_a_save_says_what_it_changed_and_a_mistake_leaves_the_page(canopy):
    text = demo_text()

    async def go():
        assert since_of(session) is None
        canopy.write_text(text.replace("crown_gate = 3000", "crown_gate = 0"))
        await session.read()
        said = since_of(session)
        assert "constants.crown_gate: 3000 → 0" in said and "finding goes: cost-wall at tracks.warden.cost" in said
        reaches = r"steady reaches 40 after 1\d\.\d h instead of 1\d\.\d h \(-\d+%\); parts from level 21 on"
        assert any(re.match(reaches, line) for line in said)
        good = session.shown
        # A mistake of reading, and one that only playing finds.
        for wrong in (text.replace("steepness = ", "steepnes = "), text.replace('seconds = "', 'seconds = "0 * ')):
            canopy.write_text(wrong)
            await session.read()
            assert session.shown is good and session.state()["errors"]
        assert any("a time of -" in line for line in session.state()["errors"])
        # What came between is no state to compare with.
        canopy.write_text(text.replace("crown_gate = 3000", "crown_gate = 500"))
        await session.read()
        assert session.state()["errors"] == [] and "constants.crown_gate: 0 → 500" in since_of(session)
        canopy.write_text(canopy.read_text() + "\n# a word more\n")
        await session.read()
        assert "says the same" in session.state()["notice"] and "constants.crown_gate: 0 → 500" in since_of(session)
        canopy.unlink()
        await session.read()
        assert "no such file" in session.state()["errors"][0]

    session = session_of(canopy)
    asyncio.run(go())
    session.close()


def test_values_are_tried_kept_and_taken_back(canopy):
    before = canopy.read_text(encoding="utf-8")

    async def go():
        await session.try_values({"steepness": 1.5, "crown_gate": 3000})
        assert session.state()["trial"] == {"steepness": 1.5} and canopy.read_text(encoding="utf-8") == before
        assert session.shown.sections[0].title == "What is tried, beside the file"
        assert "constants.steepness: 1.55 → 1.5" in since_of(session)
        named = [part.groups for part in session.shown.sections[0].parts if isinstance(part, Groups)]
        assert [[name for name, _ in groups] for groups in named] == [["tried"]]
        shown = session.shown
        await session.try_values({"steepness": -500})
        assert session.shown is shown and session.state()["errors"]
        # What the file would only fail with once it is played is not kept either.
        for wrong in (-500, 1000):
            await session.try_values({"steepness": wrong})
            with pytest.raises(rm.DataError, match=r"nothing is written; these values are refused: tracks\.warden"):
                await session.keep()
        assert canopy.read_text(encoding="utf-8") == before
        await session.try_values({})
        assert session.state()["trial"] == {} and since_of(session) is None and session.state()["errors"] == []
        await session.try_values({"crown_gate": 2000.0})
        # Somebody else saves meanwhile: nothing is lost.
        canopy.write_text(before + "# mine\n", encoding="utf-8")
        with pytest.raises(rm.DataError, match="changed meanwhile"):
            await session.keep()
        assert canopy.read_text(encoding="utf-8") == before + "# mine\n"
        await session.read()
        assert session.state()["trial"] == {"crown_gate": 2000}
        await session.keep()
        changed = [pair for pair in zip((before + "# mine\n").splitlines(), canopy.read_text().splitlines(), strict=True)
                   if pair[0] != pair[1]]  # fmt: skip
        assert [(one.split("#")[0].strip(), two.split("#")[0].strip()) for one, two in changed] == [
            ("crown_gate = 3000", "crown_gate = 2000")
        ]
        assert "constants.crown_gate: 3000 → 2000" in since_of(session)

    session = session_of(canopy)
    asyncio.run(go())
    session.close()


def test_only_the_last_of_many_is_played(canopy, monkeypatch):
    from ramulus.page.live import session as module

    played, real = [], module.context_of
    monkeypatch.setattr(module, "context_of", lambda design, *more, **options: (
        played.append(design.constants["steepness"]), real(design, *more, **options))[1])  # fmt: skip
    session = session_of(canopy)

    async def go():
        await asyncio.gather(*(session.try_values({"steepness": 1.4 + step / 100}) for step in range(10)))

    asyncio.run(go())
    assert session.state()["trial"] == {"steepness": 1.49} and len(played) <= 3
    session.close()


def test_a_design_that_cannot_be_played_is_followed_too(tmp_path):
    file = tmp_path / "costs.toml"
    text = 'format = 1\ntitle = "Costs"\n[tracks.warden]\nmax_level = 9\ncost.formula = "10 * level"\n'
    file.write_text(text)
    session = session_of(file)
    assert session.state()["sliders"] == []
    file.write_text(text.replace("10 * level", "10 * level + (900 if level == 4 else 0)"))
    asyncio.run(session.read())
    said = since_of(session)
    assert any("tracks.warden.cost.formula" in line for line in said)
    assert "finding comes: cost-wall at tracks.warden.cost" in said
    session.close()


@given(st.one_of(st.floats(1e-9, 1e12), st.floats(-1e12, -1e-9), st.integers(-(10**9), 10**9), st.just(0.0)))
@settings(max_examples=60)
def test_a_slider_holds_its_value_in_a_few_hundred_steps(value):
    slider = slider_of("x", value)
    assert slider.low <= value <= slider.high and slider.low < slider.high
    assert (slider.high - slider.low) / slider.step <= 160
    assert not slider.whole or (slider.step >= 1 and slider.step == int(slider.step))


# --- in a browser -----------------------------------------------------------------------------------------------


def until(page, condition, seconds=15.0):
    """Wait until a condition holds; the page itself forbids scripts that a test brings along."""
    end = time.monotonic() + seconds
    while not page.evaluate(condition):
        assert time.monotonic() < end, condition
        time.sleep(0.03)


@needs_browser
def test_a_window_follows_saves_and_keeps_what_a_slider_says(live):
    file, address = live
    text = file.read_text(encoding="utf-8")
    with browsing(viewport={"width": 1280, "height": 800}) as page:
        page.goto(address)
        until(page, "document.querySelector('#figure-pace svg') !== null")
        file.write_text(text.replace("crown_gate = 3000", "crown_gate = 1000"), encoding="utf-8")
        until(page, "document.querySelector('#since')?.textContent.includes('crown_gate: 3000 → 1000') ?? false")
        page.locator("#figure-pace").scroll_into_view_if_needed()
        until(page, "!document.querySelector('#figure-pace').classList.contains('later')")
        # A mistake shows with its place; the page stays.
        file.write_text(text.replace("** steepness", "** steepnes"), encoding="utf-8")
        until(page, "!document.querySelector('#live-errors').hidden")
        said = page.locator("#live-errors").inner_text()
        assert "tracks.warden.cost.formula" in said and "did you mean 'steepness'" in said
        assert page.locator("#figure-pace svg").count() == 1
        file.write_text(text, encoding="utf-8")
        until(page, "document.querySelector('#live-errors').hidden")
        # A slider, dragged from its middle a little to the left.
        page.locator("#live-try summary").click()
        box = page.locator("#slider-steepness").bounding_box()
        x, y = box["x"] + box["width"] * (1.55 - 0.77) / (3.1 - 0.77), box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 8, y, steps=4)
        page.mouse.up()
        until(page, "!document.querySelector('#live-choice').hidden")
        tried = page.locator("#live-trial").inner_text()
        assert re.fullmatch(r"Trying steepness = 1\.\d+", tried) and file.read_text(encoding="utf-8") == text
        until(page, "document.querySelector('#since').textContent.includes('steepness: 1.55')")
        page.locator("#live-keep").click()
        until(page, "document.querySelector('#live-choice').hidden")
        until(page, "document.querySelector('#live-notice').textContent.startsWith('kept in canopy.toml')")
        pairs = zip(text.splitlines(), file.read_text(encoding="utf-8").splitlines(), strict=True)
        changed = [(one, two) for one, two in pairs if one != two]
        assert len(changed) == 1 and changed[0][1].startswith(tried.removeprefix("Trying "))
        assert changed[0][0].partition("#")[2] == changed[0][1].partition("#")[2]
    file.write_text(text, encoding="utf-8")


@needs_browser
def test_a_hostile_design_does_no_harm_to_a_window(tmp_path):
    bad = '"><script>alert(1)</script><img src=x onerror=alert(2)>'
    design = rm.demo_design().with_values({"title": bad, "multipliers": [{"name": bad, "factor": 1.2}]})
    file = tmp_path / "hostile.toml"
    design.save(file)
    with serving(file) as (_, address), browsing(viewport={"width": 390, "height": 800}) as page:
        page.goto(address)
        until(page, "document.querySelector('#figure-pace svg') !== null")
        assert page.locator("h1").inner_text() == bad and page.locator("img").count() == 0
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
        file.write_text(file.read_text(encoding="utf-8") + f"{bad}\n", encoding="utf-8")
        until(page, "!document.querySelector('#live-errors').hidden")
        assert page.locator("img").count() == 0
