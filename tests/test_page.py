"""The page: whole, self-contained, readable by everybody, and harmless whatever a design says."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import re
from html.parser import HTMLParser

import pytest

import ramulus as rm
from browser import browsing, needs_browser
from conftest import make
from ramulus.page.context import figure
from ramulus.page.html import html_of
from ramulus.page.making import context_of, sections_of
from ramulus.page.parts import Cell, Figure, Folded, Groups, Section, Table, Words, table_of

HOSTILE = '"><script>alert(1)</script><img src=x onerror=alert(2)> $\\frac{$ {{ 7*7 }} </style> ' + "x" * 10_000


class Parsed(HTMLParser):
    """The tags of a page with their attributes, its scripts, and the text outside them."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.scripts: list[str] = []
        self.words: list[str] = []
        self._inside = ""
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        self.tags.append((tag, dict(attributes)))
        self._inside = tag

    def handle_endtag(self, tag):
        self._inside = ""

    def handle_data(self, data):
        (self.scripts if self._inside == "script" else self.words).append(data)

    def all(self, name):
        return [attributes for tag, attributes in self.tags if tag == name]


@pytest.fixture(scope="module")
def page(tmp_path_factory):
    path = tmp_path_factory.mktemp("page") / "canopy.html"
    design = rm.demo_design()
    eased = {"eased": design.with_values({"constants.crown_gate": 0})}
    assert rm.report(design, path, players=90, seed=7, variants=eased) == path
    return path


def assert_harmless(text):
    """Nothing but the page's own script may run, and nothing is asked of any network."""
    parsed = Parsed(text)
    assert len(parsed.scripts) == len(parsed.all("script")) == 1
    allowed = base64.b64encode(hashlib.sha256(parsed.scripts[0].encode()).digest()).decode()
    policy = next(one["content"] for one in parsed.all("meta") if one.get("http-equiv") == "Content-Security-Policy")
    assert "default-src 'none'" in policy and f"script-src 'sha256-{allowed}'" in policy and "http" not in policy
    for tag, attributes in parsed.tags:
        assert not any(name.startswith("on") for name in attributes), tag
        for name in ("src", "href", "xlink:href", "action"):
            assert (attributes.get(name) or "#").startswith(("#", "data:image/png;base64,")), (tag, attributes[name])
    return parsed


def test_a_page_holds_everything_and_asks_for_nothing(page):
    text = page.read_text(encoding="utf-8")
    parsed = assert_harmless(text)
    assert page.stat().st_size < 3e6
    identifiers = [attributes["id"] for _, attributes in parsed.tags if "id" in attributes]
    assert len(identifiers) == len(set(identifiers))
    sections = [one["id"] for one in parsed.all("section")]
    assert sections == [
        "glance", "goals", "findings", "changes", "pace", "staying", "levels", "hand-out", "sources", "party", "numbers"
    ]  # fmt: skip
    for link in parsed.all("a"):
        assert link["href"][1:] in identifiers
    # References inside figures go to what is there.
    assert set(re.findall(r"url\(#([^)]+)\)", text)) <= set(identifiers)
    figures = [one for one in parsed.all("svg") if one.get("role") == "img"]
    drawn = [one["id"].removeprefix("figure-") for one in parsed.all("figure")]
    kinds = {re.sub("-(newcomer|steady|adept)$", "", name).replace("-", "_") for name in drawn}
    # Ninety players are too few to tell skill from luck, and the page says so.
    assert len(figures) == len(drawn) and kinds == {*rm.plots.__all__} - {
        "sensitivity",
        "sweep",
        "skill_or_luck",
        "observed",
    }
    assert "Skill or luck: not shown; " in text
    for one in figures:
        assert one["viewbox"] and re.search(r"\d", one["aria-label"]) and len(one["aria-label"]) > 30
    # No colour of a figure stands against the page's own, and its words are words.
    assert not re.search(r"#(fbfaf7|23211d|e4e0d6|0b4f6c)\b", text.split("</style>", 1)[1])
    assert "seed 7" in text and rm.__version__ in text


def test_the_numbers_on_the_page_are_those_of_the_library(page):
    text = html.unescape(page.read_text(encoding="utf-8"))
    design = rm.demo_design()
    result = rm.simulate(design, 90, seed=7)
    for judged in result.goals().itertuples():
        assert (judged.goal in text and f"{judged.found:.2f} h" in text) or "%" in judged.goal or "day" in judged.goal
    for finding in rm.check(design):
        assert finding.reason in text and finding.way_out in text
    pace = result.pace()
    rows = re.findall(r"<tr>(?:<td[^>]*>.*?</td>)+</tr>", text)
    of_pace = [re.findall(r'data-value="([^"]*)"', row) for row in rows if row.startswith("<tr><td>steady</td>")]
    medians = pace[pace["player"] == "steady"]["hours_p50"].tolist()
    assert [float(cells[3]) for cells in of_pace[: len(medians)]] == medians
    for row in rm.level_table(design).itertuples():
        assert f'data-value="{float(row.total)}">{row.total:,.0f}<' in text


@pytest.mark.filterwarnings("error::UserWarning")
def test_a_hostile_design_does_no_harm(tmp_path):
    player, other = "p" * 10_000, "b" * 3_000
    design = make(
        title=HOSTILE,
        constants={"c" * 3_000: 1},
        stats={"t" * 3_000: {"base": 1, "growth": 1.1}},
        sources={
            "s" * 3_000: {"level": 1, "xp": 50, "seconds": 30, "tags": [HOSTILE]},
            "blight": {"level": 2, "xp": 60, "seconds": 30},
        },
        multipliers=[{"name": HOSTILE, "factor": 1.5}, {"name": "</title>", "factor": 0.9}],
        goals=[{"player": player, "level": 3, "hours": 0.1}, {"player": player, "longest_level_hours": 0.1}],
        players={player: {"hours_per_day": 1, "quit_chance_per_play_day": 0.01}, other: {"share": 0.5}},
        party={"members": {"m" * 3_000: {"player": player}, "n": {"player": other}}},
    )
    path = rm.report(design, tmp_path / "page.html", players=15)
    parsed = assert_harmless(path.read_text(encoding="utf-8"))
    assert not [one for one in parsed.all("img") if "onerror" in one]
    assert "49" not in "".join(parsed.words).split("{{ 7*7 }}")[0][-4:]
    assert any("alert(1)" in words for words in parsed.words)


def test_the_same_design_sizes_and_seed_give_the_same_page_to_the_letter(tmp_path):
    sources = {"blight": {"level": 1, "xp": {"low": 40, "high": 60}, "seconds": 30}}
    texts = {rm.report(make(sources=sources), tmp_path / f"{n}.html", players=20, seed=3).read_bytes() for n in (1, 2)}
    assert len(texts) == 1


def test_what_is_missing_is_named_with_its_smallest_example(tmp_path, cli):
    file = tmp_path / "costs.toml"
    file.write_text('format = 1\ntitle = "Costs"\n[tracks.warden]\nmax_level = 5\ncost.formula = "10 * level"\n')
    done = cli("report", file, "-o", tmp_path / "costs.html")
    assert done.status == 0 and "MB" in done.err
    text = html.unescape((tmp_path / "costs.html").read_text())
    assert "Nothing was played" in text and ("[sources" in text or "[players" in text)
    assert 'id="figure-costs"' in text and 'id="pace"' not in text
    wrong = cli("report", file, "-o", tmp_path / "costs.pdf")
    assert wrong.status == 2 and ".html" in wrong.err and not (tmp_path / "costs.pdf").exists()
    over = cli("report", file, "-o", file)
    assert over.status != 0 and file.read_text().startswith("format")
    file.write_text('format = 1\ntitle = "Costs"\n[tracks.warden]\nmax_level = 5\ncost.formula = "10 * lvel"\n')
    before = (tmp_path / "costs.html").read_bytes()
    bad = cli("report", file, "-o", tmp_path / "costs.html")
    assert bad.status == 1 and "did you mean 'level'" in bad.err
    assert (tmp_path / "costs.html").read_bytes() == before


def test_a_figure_is_the_same_to_the_letter_and_says_why_it_is_none():
    design = rm.demo_design()

    def costs():
        return figure("costs", "Costs", lambda: "60 to 6,803 XP", rm.plots.costs, design)

    assert costs().drawn.svg == costs().drawn.svg
    none = figure("reached", "Reached", lambda: "9", rm.plots.reached, rm.simulate(design, 10), level=99).drawn
    assert none.kind == "words" and "level 99 is outside" in none.lines[0]


TABLE = Table("T", ("name", "n"), tuple((Cell(a), Cell(str(b), b)) for a, b in (("b", 10), ("a", 9), ("c", None))),
              numeric=(False, True))  # fmt: skip


@needs_browser
def test_tables_sort_by_mouse_and_keyboard_with_empty_cells_last():
    page_text = html_of("Sorted", [Section("s", "S", (TABLE, Groups((("one", ("line",)),)), Words(("word",))))])
    with browsing() as page:
        page.set_content(page_text)

        def column():
            return [row.split("\t")[0] for row in page.locator("tbody").inner_text().splitlines()]

        assert column() == ["b", "a", "c"]
        page.locator("th button").nth(1).click()
        assert column() == ["a", "b", "c"] and page.locator("th").nth(1).get_attribute("aria-sort") == "ascending"
        page.keyboard.press("Enter")
        assert column() == ["b", "a", "c"]
        page.locator("th button").first.focus()
        page.keyboard.press("Space")
        assert column() == ["a", "b", "c"] and page.locator("th[aria-sort]").count() == 1


@needs_browser
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_the_page_reads_on_a_phone_and_in_the_dark(page, scheme):
    with browsing(viewport={"width": 390, "height": 800}, color_scheme=scheme, offline=True) as shown:
        shown.goto(page.as_uri())
        assert shown.evaluate("document.documentElement.scrollWidth") <= 390
        paper, ink = shown.evaluate(
            "[getComputedStyle(document.body).backgroundColor, getComputedStyle(document.body).color]"
            ".map(text => text.match(/\\d+/g).map(Number).reduce((a, b) => a + b))"
        )
        assert (paper > 600 and ink < 200) if scheme == "light" else (paper < 150 and ink > 600)
        # Figures take the page's colours.
        back = shown.evaluate("getComputedStyle(document.querySelector('#figure_1, [id=\"pace-patch_1\"] path')).fill")
        assert (back == "rgb(251, 250, 247)") == (scheme == "light")
        # Every figure and wide table can be reached and moved by keyboard, and has a name.
        unnamed = shown.evaluate(
            "[...document.querySelectorAll('.scroll')].filter(one => !one.ariaLabel || one.tabIndex)"
        )
        assert unnamed == []


def test_a_long_table_says_what_it_leaves_out():
    import pandas as pd

    table = table_of(pd.DataFrame({"n": range(1000)}), {}, "Many")
    assert len(table.rows) == 400 and "600 more rows" in table.note


def test_of_many_profiles_it_names_those_that_have_no_figure_of_their_own():
    players = {f"keeper_{index}": {} for index in range(10)}
    design = make(sources={"blight": {"level": 1, "xp": 50, "seconds": 30}}, players=players)
    sections = {section.name: section.parts for section in sections_of(context_of(design, 5, None, 0))}
    for name, kind in (("pace", "levels-over-time"), ("sources", "income")):
        folded = next(part for part in sections[name] if isinstance(part, Folded)).parts
        drawn = [part.name for part in folded if isinstance(part, Figure) and part.name.startswith(kind)]
        assert len(drawn) == 7  # The first stands above.
        said = [line for part in folded if isinstance(part, Words) for line in part.lines]
        assert said == [
            f"Not on this page: keeper_8, keeper_9. They are drawn by: ramulus plot FILE {kind} --player NAME"
        ]


@needs_browser
def test_xp_handed_out_on_the_page_is_booked_as_the_ledger_does(tmp_path):
    """The exported code runs inside the page's policy, by buttons and keys; hostile names stay names."""
    data = rm.demo_design().to_dict()
    data["multipliers"] = [{"name": "</script><script>alert(1)</script>", "factor": 0.5}, *data["multipliers"]]
    data["gates"] = [{"at_level": 3, "successes": {"seed_errand": 1}}]
    design = rm.Design.from_dict(data)
    rm.report(design, tmp_path / "page.html", players=30)
    ledger = rm.Ledger(design)
    with browsing(viewport={"width": 1280, "height": 800}) as page:
        page.goto((tmp_path / "page.html").as_uri())
        panel = page.locator("#hands")
        label, amount = panel.locator("output"), panel.locator("input")
        assert label.text_content() == ledger.label
        for xp in (40, 400, 7, 12_345):
            amount.fill(str(xp))
            amount.press("Enter")
            ledger.award(xp)
            assert label.text_content() == ledger.label
            if ledger.level == 3 and xp == 400:
                panel.get_by_role("button", name="Open the gate at 3").click()
                ledger.open_gate(3)
                assert label.text_content() == ledger.label and not panel.get_by_role("button", name="Open the").count()
        panel.focus()
        for key, xp in (("b", ledger.cost - ledger.xp - 1), ("n", 1), ("4", None)):
            page.keyboard.press(key)
            if xp is None:  # 34 XP, times what a level gap and a half leave.
                xp = int(
                    rm.gain_table(design).query(f"level == {ledger.level} and source == 'bark_borer'")["award"].iloc[0]
                )
            ledger.award(xp)
            assert label.text_content() == ledger.label, key
        amount.fill("-3")
        panel.get_by_role("button", name="Lose").click()
        assert "allowed" in panel.locator("[data-hand=said]").text_content() and label.text_content() == ledger.label
        panel.get_by_role("button", name="Start anew").click()
        assert label.text_content() == rm.Ledger(design).label and panel.locator("li").count() == 0


@needs_browser
def test_values_stand_under_the_pointer(tmp_path):
    rm.report(rm.demo_design(), tmp_path / "page.html", players=30)
    with browsing(viewport={"width": 1280, "height": 800}) as page:
        page.goto((tmp_path / "page.html").as_uri())
        figure = page.locator("#figure-pace svg")
        figure.scroll_into_view_if_needed()
        axes = json.loads(figure.get_attribute("data-axes"))[0]
        place, box = figure.bounding_box(), axes["box"]
        width, height = (float(end) for end in figure.get_attribute("viewBox").split()[2:])
        x, y = box[0] + 0.25 * (box[2] - box[0]), box[1] + 0.5 * (box[3] - box[1])
        page.mouse.move(place["x"] + place["width"] * x / width, place["y"] + place["height"] * y / height)
        said = page.locator("#under-pointer").inner_text()
        for axis, share, part in zip((axes["x"], axes["y"]), (0.25, 0.5), said.split(" · "), strict=True):
            assert not axis["log"] and axis["unit"] == "" and part.startswith(axis["label"] + ": ")
            value = axis["ends"][0] + share * (axis["ends"][1] - axis["ends"][0])
            assert float(part.rpartition(": ")[2].replace(",", "")) == pytest.approx(value, rel=0.02)
        page.mouse.move(2, 2)
        assert not page.locator("#under-pointer").is_visible()
        # A share is told in percent, as its ticks are.
        shares = json.loads(page.locator("#figure-reached svg").get_attribute("data-axes"))[0]["y"]
        assert shares["unit"] == " %" and shares["ends"][1] == pytest.approx(102, abs=8)
