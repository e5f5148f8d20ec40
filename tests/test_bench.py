"""The bench: it follows its file, shows at once what is turned, keeps it where it is told to, and answers nobody else."""

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
from pathlib import Path
from urllib.parse import urlsplit
from xml.etree import ElementTree

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from browser import browsing, needs_browser
from conftest import make
from ramulus.cli.closing import Closing
from ramulus.design import demo_text, value_at
from ramulus.page.bench import Session, Sizes
from ramulus.page.bench.pictures import pictures
from ramulus.page.bench.points import as_points
from ramulus.page.bench.turnable import turnable, turnables
from ramulus.page.parts import Groups, Words

pytest.importorskip("starlette")
PLAYERS = 60


@contextmanager
def serving(file):
    """Serve a file's page from a process of its own; yields the process and the address."""
    words = [sys.executable, "-m", "ramulus", "bench", str(file), "--players", str(PLAYERS)]
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
import sys, time, ramulus.page.bench.runs as runs
from ramulus.__main__ import run
play, calls = runs.context_of, []
def stuck(*given, **options):
    if calls:
        print("stuck", flush=True)
        time.sleep(100)
    calls.append(1)
    return play(*given, **options)
runs.context_of = stuck
sys.argv = ["ramulus", "bench", sys.argv[1], "--players", "3", "--hours", "1"]
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
        ("try", {"constants.steepness": "1"}, 400),
        ("try", {"constants.steepness": True}, 400),
        ("try", {"constants.steepness": float("nan")}, 400),
        ("try", {"constants.steepness": 10**400}, 400),
        ("try", {"constants.steepness": [[[[1]]]]}, 400),
        ("try", {"constants.steepness": 1, "x" * 200_000: 1}, 400),
        ("try", {"constants.steepnes": 1}, 409),
        ("keep", {}, 409),
        ("preview", {"values": {}}, 400),
        ("preview", {"values": {"constants.steepness": None}, "tab": "pace"}, 400),
        ("preview", {"values": {"constants.steepness": -500}, "tab": "pace"}, 409),
        ("points", {"values": {}, "track": "wardens"}, 409),
        ("variant", {"name": "softer"}, 409),
        ("variant", {"name": 1}, 400),
        ("tune", {"names": []}, 400),
        ("tune", {"names": ["title"]}, 409),
    ],
)
def test_what_is_no_value_is_refused(live, path, data, status):
    found, _, text = post(live[1], path, data)
    assert found == status and text.strip() and "Traceback" not in text


def test_what_is_shown_is_told_whole(live):
    told = json.loads(ask(live[1], "shown")[2])
    assert told["file"] is None and told["title"] == "Canopy Wardens" and len(told["goals"]) == 4
    assert {one["change"] for one in told["findings"]} == {""}
    answer = json.loads(post(live[1], "preview", {"values": {"constants.steepness": 1.4}, "tab": "pace"})[2])
    slow, fast = (one["pace"][1]["hours_p50"][-1] for one in (told["now"], answer))
    assert answer["players"]["steady"] == PLAYERS and 0.4 * slow < fast < 0.9 * slow
    status, headers, text = ask(live[1], "game.mjs")
    assert status == 200 and headers["content-type"].startswith("text/javascript") and "export class Leveling" in text


def test_the_report_is_that_of_what_is_shown(live):
    status, _, text = ask(live[1], "report")
    assert status == 200 and "Canopy Wardens" in text
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


def test_the_page_that_was_live_says_where_it_went(cli, canopy):
    ran = cli("report", canopy, "--live")
    assert ran.status == 2 and f"ramulus bench {canopy}" in ran.err and ran.out == ""


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


def test_what_waits_when_the_bench_is_closed_is_refused(canopy):
    async def go():
        waiting = [asyncio.create_task(session.preview({}, "pace")) for _ in range(4)]
        saved = asyncio.create_task(session.read())
        await asyncio.sleep(0)
        session.close()
        ended = await asyncio.gather(*waiting, saved, session.told(), session.read(), return_exceptions=True)
        assert ended[4] is ended[6] is None and str(ended[5]) == "the bench is closed"
        assert all(isinstance(one, dict) or str(one) == "the bench is closed" for one in ended[:4])
        assert any(isinstance(one, rm.RamulusError) for one in ended[:4])

    session = session_of(canopy)
    asyncio.run(go())


def test_values_are_tried_kept_and_taken_back(canopy):
    before = canopy.read_text(encoding="utf-8")

    async def go():
        await session.try_values({"constants.steepness": 1.5, "constants.crown_gate": 3000})
        assert session.state()["trial"] == {"constants.steepness": 1.5} and canopy.read_text(encoding="utf-8") == before
        assert session.shown.sections[0].title == "What is tried, beside the file"
        assert "constants.steepness: 1.55 → 1.5" in since_of(session)
        named = [part.groups for part in session.shown.sections[0].parts if isinstance(part, Groups)]
        assert [[name for name, _ in groups] for groups in named] == [["tried"]]
        shown = session.shown
        await session.try_values({"constants.steepness": -500})
        assert session.shown is shown and session.state()["errors"]
        # What the file would only fail with once it is played is not kept either.
        for wrong in (-500, 1000):
            await session.try_values({"constants.steepness": wrong})
            with pytest.raises(rm.DataError, match=r"nothing is written; these values are refused: tracks\.warden"):
                await session.keep()
        assert canopy.read_text(encoding="utf-8") == before
        await session.try_values({})
        assert session.state()["trial"] == {} and since_of(session) is None and session.state()["errors"] == []
        await session.try_values({"constants.crown_gate": 2000.0})
        # Somebody else saves meanwhile: nothing is lost.
        canopy.write_text(before + "# mine\n", encoding="utf-8")
        with pytest.raises(rm.DataError, match="changed meanwhile"):
            await session.keep()
        assert canopy.read_text(encoding="utf-8") == before + "# mine\n"
        await session.read()
        assert session.state()["trial"] == {"constants.crown_gate": 2000}
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
    from ramulus.page.bench import runs as module

    played, real = [], module.context_of
    monkeypatch.setattr(module, "context_of", lambda design, *more, **options: (
        played.append(design.constants["steepness"]), real(design, *more, **options))[1])  # fmt: skip
    session = session_of(canopy)

    async def go():
        await asyncio.gather(*(session.try_values({"constants.steepness": 1.4 + step / 100}) for step in range(10)))

    asyncio.run(go())
    assert session.state()["trial"] == {"constants.steepness": 1.49} and len(played) <= 3
    session.close()


def test_the_file_itself_is_played_once_however_much_is_tried(canopy, monkeypatch):
    from ramulus.page.bench import runs as module

    played, real = [], module.context_of
    monkeypatch.setattr(module, "context_of", lambda design, *more, **options: (
        played.append(design.constants["steepness"]), real(design, *more, **options))[1])  # fmt: skip
    session = session_of(canopy)

    async def go():
        for step in range(6):
            await session.try_values({"constants.steepness": 1.4 + step / 100})

    asyncio.run(go())
    session.close()
    assert played == [1.55, *(pytest.approx(1.4 + step / 100) for step in range(6))]


def test_a_design_that_cannot_be_played_is_followed_too(tmp_path):
    file = tmp_path / "costs.toml"
    text = 'format = 1\ntitle = "Costs"\n[tracks.warden]\nmax_level = 9\ncost.formula = "10 * level"\n'
    file.write_text(text)
    session = session_of(file)
    assert [one["group"] for one in asyncio.run(session.told())["numbers"]] == ["tracks.warden"]
    file.write_text(text.replace("10 * level", "10 * level + (900 if level == 4 else 0)"))
    asyncio.run(session.read())
    said = since_of(session)
    assert any("tracks.warden.cost.formula" in line for line in said)
    assert "finding comes: cost-wall at tracks.warden.cost" in said
    session.close()


@given(st.one_of(st.floats(1e-9, 1e12), st.floats(-1e12, -1e-9), st.integers(-(10**9), 10**9), st.just(0.0)))
@settings(max_examples=60)
def test_a_slider_holds_its_value_in_a_few_hundred_steps(value):
    slider = turnable("constants.x", "x", "", value, constant=True)
    assert slider.low <= value <= slider.high and slider.low < slider.high
    assert (slider.high - slider.low) / slider.step <= 160
    assert not slider.whole or (slider.step >= 1 and slider.step == int(slider.step))


def test_every_number_of_a_file_can_be_turned_where_it_stands():
    design = rm.demo_design()
    all_of_them = turnables(design)
    places = [one.place for one in all_of_them]
    assert len(set(places)) == len(places) > 120
    for one in all_of_them:
        assert value_at(design, one.place) == one.value, one
    told = {one.place: one.group for one in all_of_them}
    assert (
        told["constants.crown_gate"] == "tracks.warden"
        and told["sources.aphid_cluster.xp.low"] == "sources.aphid_cluster"
    )
    assert (
        told["multipliers.blossom week.factor"] == "multipliers.blossom week" and told["goals[0].hours"] == "goals[0]"
    )

    # Names that lead nowhere are gone around by number.
    odd = design.with_values({"multipliers": [{"name": "1.5 times", "factor": 1.5}, {"name": "7", "factor": 2}]})
    assert [value_at(odd, one.place) for one in turnables(odd) if one.place.startswith("multipliers")] == [1.5, 2]


def test_pictures_have_the_numbers_of_the_tables():
    result = rm.simulate(rm.demo_design(), players=40, hours=30, seed=3)
    told, table = pictures(result.design, result), result.pace()
    days, income = result.days(), result.income()
    for tab, columns in (
        ("pace", ("hours_p10", "hours_p50", "hours_p90", "reached")),
        ("time", ("hours_in_level_p50",)),
    ):
        for one in told[tab]:
            part = table[table["player"] == one["player"]]
            for column in columns:
                found = np.array(one["hours" if tab == "time" else column], float)
                assert np.allclose(found, part[column], rtol=1e-5, equal_nan=True), (tab, column)
    for one in told["pace"]:
        part = days[days["player"] == one["player"]]
        assert np.allclose(np.array(one["days_p50"], float), part["days_p50"], equal_nan=True)
    for one in told["income"]:
        part = income[income["player"] == one["player"]].set_index(["level", "source"])["share"]
        for (level, source), share in part.items():
            assert one["shares"][source][level - 1] == pytest.approx(share, rel=1e-5) if share else True
    for one in told["days"]:
        own = result.played.profiles[one["player"]].main.calendar.values
        for day in (1, 3, one["days"]):
            assert [column[day - 1] for column in one["arrived"]] == (own <= day).sum(axis=0).tolist()
    assert told["cost"]["warden"]["cost"] == rm.level_table(result.design)["cost"].dropna().tolist()


COSTS = [
    {"formula": "60 + 24 * (level - 1) ** 1.55 + (3000 if level == 20 else 0)"},
    {"first": 40, "next": "previous * 1.15"},
    {"values": [10, 30, 20, 50, 500, 60], "beyond": "hold"},
    {"formula": "1.5 * level", "rounding": "none"},
    {"formula": "100 * level", "rounding_to": 25},
]


@pytest.mark.parametrize("cost", COSTS)
def test_costs_as_points_are_within_one_percent_by_few_points(cost):
    design = make(cost, max_level=40)
    points = as_points(design, "warden")
    bent = design.with_values({"tracks.warden.cost": points})
    before, now = (rm.level_table(one)["cost"].dropna().to_numpy(float) for one in (design, bent))
    off = np.abs(now / before - 1)
    # Whole costs are rounded once more: half a step of them.
    step = 0.5 * cost.get("rounding_to", 1) * (cost.get("rounding") != "none")
    assert (np.abs(now - before) <= 0.01 * before + step).all(), off.max()
    assert 2 <= len(points["points"]) <= 13
    with pytest.raises(rm.RamulusError, match="are points already"):
        as_points(bent, "warden")


def test_a_variant_says_what_is_tried_and_nothing_else(canopy):
    before = canopy.read_text(encoding="utf-8")
    bent = as_points(rm.demo_design(), "warden")
    tried = {
        "constants.crown_gate": 700, "multipliers.market day.factor": 1.3, "players.steady.seconds_between": 18,
        "goals[0].hours": 1.2, "tracks.warden.cost": bent,
    }  # fmt: skip

    async def go():
        await session.try_values(tried)
        path = await session.keep_as_variant("softer start")
        assert path.name == "canopy_softer_start.toml" and canopy.read_text(encoding="utf-8") == before
        text = path.read_text(encoding="utf-8")
        assert 'extends = "canopy.toml"' in text and "aphid_cluster" not in text
        made = rm.load_design(path)
        assert made.title == "Canopy Wardens, softer start"
        assert made.with_values({"title": "Canopy Wardens"}) == rm.load_design(canopy).with_values(tried)
        for name, why in (
            ("softer start", "is there already"),
            ("../up", "cannot be called"),
            ("", "cannot be called"),
        ):
            with pytest.raises(rm.DataError, match=why):
                await session.keep_as_variant(name)
        assert sorted(one.name for one in canopy.parent.iterdir()) == ["canopy.toml", "canopy_softer_start.toml"]

    session = session_of(canopy)
    asyncio.run(go())
    session.close()


def test_tuning_tries_what_it_finds_and_can_be_stopped(canopy):
    text = canopy.read_text(encoding="utf-8")

    async def go():
        await session.tune(["constants.crown_gate"])
        found = session.state()
        gate = found["trial"]["constants.crown_gate"]
        assert 0 < gate < 3000 and found["tuning"]["values"][0]["after"] == gate and len(found["tuning"]["goals"]) == 4
        # What is turned meanwhile stays.
        again = asyncio.create_task(session.tune(["constants.crown_gate"]))
        while not (session.state()["tuning"] or {}).get("going"):
            await asyncio.sleep(0.01)
        await session.try_values({**found["trial"], "constants.first_cost": 61})
        await again
        assert session.state()["trial"]["constants.first_cost"] == 61
        await session.try_values(found["trial"])
        going = asyncio.create_task(session.tune(["constants.steepness", "constants.first_cost"]))
        while not (session.state()["tuning"] or {}).get("going"):
            await asyncio.sleep(0.01)
        with pytest.raises(rm.DataError, match="already"):
            await session.tune(["constants.steepness"])
        session.stop_tuning()
        await asyncio.wait_for(going, 10)
        assert session.state()["tuning"] == {"stopped": True} and session.state()["trial"] == found["trial"]

    session = session_of(canopy)
    asyncio.run(go())
    session.close()
    assert canopy.read_text(encoding="utf-8") == text


def test_a_preview_gives_up_a_full_run_and_shares_what_it_can(canopy):
    async def go():
        full = asyncio.create_task(session.try_values({"constants.steepness": 1.7}))
        await asyncio.sleep(0.05)
        before = time.monotonic()
        moved = [await session.preview({"constants.steepness": 1.4 + 0.01 * at}, "pace") for at in range(3)]
        await asyncio.wait_for(full, 10)
        assert time.monotonic() - before < 5 and session.shown.number == 1  # The full run was given up.
        hours = [one["pace"][1]["hours_p50"][-1] for one in moved]
        assert hours == sorted(hours)
        # One of the very values that are played in full ends nothing.
        full = asyncio.create_task(session.try_values({"constants.steepness": 1.6}))
        await asyncio.sleep(0.05)
        await session.preview({"constants.steepness": 1.6}, "income")
        await asyncio.wait_for(full, 10)
        assert session.shown.number == 2 and session.state()["trial"] == {"constants.steepness": 1.6}
        await session.try_values({})
        # By the same draws as the first players of a full run.
        same = await session.preview({}, "pace")
        whole = pictures(session.shown.now.design, session.shown.now.result, ["pace"])
        for one, other in zip(same["pace"], whole["pace"], strict=True):
            assert one["hours_p50"][20] == pytest.approx(other["hours_p50"][20], rel=0.06)
        with pytest.raises(rm.RamulusError):
            await session.preview({"constants.steepness": -500}, "pace")

    session = Session(canopy, lambda: Closing().load(canopy), Sizes(2000, None, 7))
    session.start()
    asyncio.run(go())
    session.close()


# --- in a browser -----------------------------------------------------------------------------------------------


def until(page, condition, seconds=15.0):
    """Wait until a condition holds; the page itself forbids scripts that a test brings along."""
    end = time.monotonic() + seconds
    while not page.evaluate(condition):
        assert time.monotonic() < end, condition
        time.sleep(0.03)


def settled(page):
    until(page, "document.querySelector('#goals').children.length > 0 && !document.querySelector('#goals').classList.contains('stale')"
                " && document.querySelector('#working').hidden")  # fmt: skip


@contextmanager
def at_the_bench(tmp_path, text=None, expected=(), **options):
    file = tmp_path / "canopy.toml"
    file.write_text(text or demo_text(), encoding="utf-8")
    with (
        serving(file) as (process, address),
        browsing(*expected, **{"viewport": {"width": 1280, "height": 800}} | options) as page,
    ):
        page.goto(address)
        page.wait_for_selector("#figure path.line")
        settled(page)
        yield file, page, process, address


def slid(page, place):
    return page.locator(f'[id="turn-{place}"]')


@needs_browser
def test_numbers_are_turned_by_mouse_and_keys_undone_and_kept(tmp_path):
    # The server is ended; and what is asked for in the moment in which the file is broken is refused.
    with at_the_bench(tmp_path, expected=("ERR_", "409 (Conflict)")) as (file, page, process, _):
        text = file.read_text(encoding="utf-8")
        steepness = slid(page, "constants.steepness")
        assert page.evaluate("document.documentElement.scrollHeight") <= 900
        box = steepness.bounding_box()
        x, y = box["x"] + box["width"] * (1.55 - 0.77) / (3.1 - 0.77), box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 12, y, steps=6)
        until(page, "document.querySelector('#told').textContent.startsWith('About so')")  # Before it is let go.
        page.mouse.up()
        settled(page)
        tried = float(steepness.input_value())
        assert 1.2 < tried < 1.54 and file.read_text(encoding="utf-8") == text
        steepness.focus()
        page.keyboard.press("ArrowLeft")
        settled(page)
        assert float(steepness.input_value()) < tried
        page.keyboard.press("Control+z")
        settled(page)
        assert float(steepness.input_value()) == tried
        page.keyboard.press("Control+z")
        settled(page)
        assert float(steepness.input_value()) == 1.55 and page.locator("#keep").is_disabled()
        page.keyboard.press("Control+Shift+z")
        settled(page)
        until(page, "!document.querySelector('#keep').disabled")
        page.locator("#keep").click()
        until(page, "document.querySelector('#notice').textContent.startsWith('kept in canopy.toml')")
        pairs = zip(text.splitlines(), file.read_text(encoding="utf-8").splitlines(), strict=True)
        assert [two for one, two in pairs if one != two] == [f"steepness = {tried:g}"]
        # What was before a save can be gone back to after it.
        settled(page)
        page.locator("#undo").click()
        settled(page)
        assert float(steepness.input_value()) == 1.55
        until(page, "!document.querySelector('#keep').disabled")
        # The file broken, and mended, by somebody else.
        page.locator("#back").click()
        settled(page)
        file.write_text(text.replace("** steepness", "** steepnes"), encoding="utf-8")
        until(page, "!document.querySelector('#errors').hidden")
        assert "did you mean 'steepness'" in page.locator("#errors").inner_text()
        assert page.locator("#figure path.line").count() >= 3
        file.write_text(text.replace("crown_gate = 3000", "crown_gate = 10"), encoding="utf-8")
        until(page, "document.querySelector('#errors').hidden")
        until(page, "document.getElementById('turn-constants.crown_gate').value === '10'")
        process.send_signal(signal.SIGINT)
        until(page, "document.querySelector('#state').textContent.startsWith('The server has ended')")


@needs_browser
def test_goals_and_curves_are_dragged_and_moved_by_keys(tmp_path):
    with at_the_bench(tmp_path) as (file, page, _, _):
        goal = page.locator(".handle")
        assert goal.count() == 1 and "steady" in goal.get_attribute("aria-label")
        before = float(goal.get_attribute("aria-valuenow"))
        goal.focus()
        page.keyboard.press("ArrowRight")
        settled(page)
        after = float(goal.get_attribute("aria-valuenow"))
        assert before < after < 1.2 * before and f"in {after:g} h" in page.locator("#goals").inner_text()
        page.click("#tab-cost")
        page.get_by_role("button", name="Turn into points").click()
        points = page.locator(".handle")
        until(page, "document.querySelectorAll('.handle').length > 5")
        settled(page)
        last = points.nth(points.count() - 1)
        value, box = float(last.get_attribute("aria-valuenow")), last.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y + 60, steps=5)
        page.mouse.up()
        settled(page)
        moved = float(last.get_attribute("aria-valuenow"))
        assert 0.5 * value < moved < 0.95 * value
        page.click("#tab-income")
        page.locator("#options select").first.select_option("catch-up")
        border = page.locator('[aria-label="end of band 2"]')
        border.focus()
        page.keyboard.press("Shift+ArrowRight")
        settled(page)
        assert border.get_attribute("aria-valuenow") == "0.8"
        until(page, "!document.querySelector('#variant').disabled")
        page.locator("#variant").click()
        page.locator("#variant-called").fill("bent")
        page.locator("#variant-write").click()
        until(page, "document.querySelector('#notice').textContent.startsWith('wrote canopy_bent.toml')")
        made = rm.load_design(file.with_name("canopy_bent.toml"))
        assert made.tracks["warden"].cost.points[-1][1] == moved and made.goals[0].hours == after
        assert made.multipliers[-1].bands == [[0.4, 5.0], [0.8, 2.5], [0.95, 1.4]]


@needs_browser
def test_tuning_from_the_bench_with_progress_and_an_end(tmp_path):
    with at_the_bench(tmp_path) as (file, page, _, _):
        text = file.read_text(encoding="utf-8")
        page.locator('[aria-label="tune constants.crown_gate"]').check()
        page.locator("#tune").click()
        until(page, "document.querySelector('#tuned').textContent.includes('Tuning, ')")
        page.locator("#tune-stop").click()
        until(page, "document.querySelector('#tuned').textContent.includes('was stopped')")
        page.locator("#tune").click()
        until(page, "document.querySelector('#tuned').textContent.includes('Tuned:')", 60)
        assert "crown_gate: 3000 →" in page.locator("#tuned").inner_text()
        settled(page)
        until(page, "Number(document.getElementById('turn-constants.crown_gate').value) < 3000")
        assert file.read_text(encoding="utf-8") == text


@needs_browser
def test_fifty_awards_by_key_are_booked_as_the_ledger_does(tmp_path, cli):
    with at_the_bench(tmp_path) as (file, page, _, _):
        page.click("#tab-hands")
        panel, ledger = page.locator("#hands"), rm.Ledger(rm.demo_design())
        until(page, "document.querySelector('[data-hand=label]').textContent !== ''")
        panel.locator("input").fill("93")
        panel.focus()
        for at in range(50):
            key = "alnb"[at % 4] if at % 7 else "a"
            page.keyboard.press(key)
            if key == "l":
                ledger.lose(93)
            else:
                ledger.award({"a": 93, "n": ledger.cost - ledger.xp, "b": ledger.cost - ledger.xp - 1}[key])
            assert panel.locator("output").text_content() == ledger.label, at
        page.keyboard.press("u")
        assert panel.locator("output").text_content() != ledger.label
        panel.get_by_role("button", name="Copy as a command").click()
        command = panel.locator("textarea").input_value()
        assert command.startswith("ramulus award canopy.toml -- 93 ")
        amounts = command.split(" -- ")[1].split()
        ran = cli("award", file, "--format", "json", "--", *amounts)
        label = json.loads(ran.out)["rows"][-1]["label"]
        assert panel.locator("output").text_content() == label and len(amounts) == 49
        panel.get_by_role("button", name="Copy as a vector").click()
        vector = json.loads(panel.locator("textarea").input_value())
        assert len(vector["do"]) == 49 == len(vector["states"]) - 1
        assert vector["states"][-1]["level"] == int(label.split()[1])


@needs_browser
def test_two_windows_see_the_same(tmp_path):
    with at_the_bench(tmp_path) as (_, page, _, address):
        other = page.context.new_page()
        other.goto(address)
        other.wait_for_selector("#figure path.line")
        slid(other, "constants.crown_gate").focus()
        other.keyboard.press("Home")
        settled(other)
        until(page, "document.getElementById('turn-constants.crown_gate').value === '1500'")
        settled(page)
        until(page, "!document.querySelector('#keep').disabled")
        page.locator("#undo").click()
        settled(page)
        until(other, "document.getElementById('turn-constants.crown_gate').value === '3000'")


AXE = Path(__file__).parent.parent / "web" / "node_modules" / "axe-core" / "axe.min.js"


@needs_browser
@pytest.mark.skipif(not AXE.exists(), reason="axe-core is not installed (npm ci in web/)")
@pytest.mark.parametrize(("scheme", "width"), [("light", 1280), ("dark", 1280), ("light", 390)])
def test_a_checker_of_accessibility_finds_nothing_serious(tmp_path, scheme, width):
    with at_the_bench(tmp_path, color_scheme=scheme, bypass_csp=True) as (_, page, _, _):
        page.set_viewport_size({"width": width, "height": 800})
        page.add_script_tag(path=AXE)
        assert page.evaluate("document.documentElement.scrollWidth") <= width
        for tab in ("pace", "cost", "time", "income", "days", "hands"):
            page.click(f"#tab-{tab}")
            found = page.evaluate("axe.run().then((all) => all.violations)")
            serious = [
                (one["id"], one["nodes"][0]["html"][:200]) for one in found if one["impact"] in ("serious", "critical")
            ]
            assert serious == [], tab


@needs_browser
def test_a_hostile_design_does_no_harm_to_a_window(tmp_path):
    bad = '"><script>alert(1)</script><img src=x onerror=alert(2)>'
    design = rm.demo_design().with_values({"title": bad, "multipliers": [{"name": bad, "factor": 1.2}]})
    file = tmp_path / "hostile.toml"
    design.save(file)
    with serving(file) as (_, address), browsing(viewport={"width": 390, "height": 800}) as page:
        page.goto(address)
        page.wait_for_selector("#figure path.line")
        assert page.locator("h1").inner_text() == bad and page.locator("img").count() == 0
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
        page.click("#tab-hands")
        until(page, "document.querySelector('[data-hand=label]').textContent !== ''")
        page.keyboard.press("Tab")
        file.write_text(file.read_text(encoding="utf-8") + f"{bad}\n", encoding="utf-8")
        until(page, "!document.querySelector('#errors').hidden")
        assert page.locator("img").count() == 0
        page.goto(address + "report")
        until(page, "document.querySelector('#figure-pace svg') !== null")
        assert page.locator("h1").inner_text() == bad and page.locator("img").count() == 0


@needs_browser
def test_a_design_of_costs_alone_says_what_is_not_played_and_is_bent_all_the_same(tmp_path):
    costs = 'format = 1\ntitle = "Costs"\n[tracks.warden]\nmax_level = 5\ncost = { values = [10, 20, 35, 50] }\n'
    file = tmp_path / "costs.toml"
    file.write_text(costs)
    with serving(file) as (_, address), browsing(viewport={"width": 1280, "height": 800}) as page:
        page.goto(address)
        page.wait_for_selector(".handle")
        assert page.locator("#told").inner_text().startswith("Nothing is played: ")
        assert page.locator("#tab-pace").is_disabled() and page.locator("#tab-hands").is_enabled()
        page.locator('[aria-label="cost of level 3"]').focus()
        page.keyboard.press("ArrowUp")
        until(page, "!document.querySelector('#keep').disabled")
        page.click("#keep")
        until(page, "document.querySelector('#notice').textContent.startsWith('kept in costs.toml')")
        assert file.read_text() == costs.replace("35", "36")


@needs_browser
def test_a_figure_is_zoomed_looked_behind_and_saved(tmp_path):
    with at_the_bench(tmp_path) as (_, page, _, _):
        page.click("#tab-cost")
        ticks = "Array.from(document.querySelectorAll('.axis.x text'), (one) => one.textContent).join()"
        before = page.evaluate(ticks)
        page.locator("#figure").focus()
        page.locator("#figure").hover(position={"x": 300, "y": 200})
        page.mouse.wheel(0, -400)
        until(page, f"{ticks} !== '{before}'")
        page.click("#zoom-all")
        until(page, f"{ticks} === '{before}'")
        page.locator("#behind summary").click()
        rows = page.locator("#rows tbody tr")
        until(page, "document.querySelectorAll('#rows tbody tr').length === 39")
        assert rows.nth(19).inner_text().split("\t")[:2] == ["20", "5,362"]
        page.locator("#behind summary").click()
        files = {}
        for kind in ("png", "svg", "csv"):
            with page.expect_download() as saved:
                page.click(f"#save-{kind}")
            files[kind] = tmp_path / saved.value.suggested_filename
            saved.value.save_as(files[kind])
        assert [path.name for path in files.values()] == ["cost.png", "cost.svg", "cost.csv"]
        assert files["png"].read_bytes().startswith(b"\x89PNG") and files["png"].stat().st_size > 10_000
        drawn = ElementTree.parse(files["svg"]).getroot()
        assert "var(--" in ElementTree.tostring(drawn, "unicode") and "--accent-0: #0b4f6c" in drawn.get("style")
        table = pd.read_csv(files["csv"])
        assert table["cost"].tolist() == rm.level_table(rm.demo_design())["cost"].dropna().tolist()
