"""Figures as a caller gets them, and the examples as they stand."""

from __future__ import annotations

import doctest
import importlib
import io
import itertools
import pkgutil
import re
import runpy
import subprocess
import sys
from pathlib import Path

import matplotlib
import matplotlib.pyplot as plt
import numpy as np
import pandas as pd
import pytest

import ramulus as rm
from conftest import make
from ramulus.plots.labels import _pushed_apart
from ramulus.plots.style import accent, thousands

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="module")
def result():
    return rm.simulate(rm.demo_design(), players=100, seed=7)


def texts(axes):
    axes.figure.canvas.draw()
    return " ".join(text.get_text() for text in axes.figure.findobj(plt.Text))


def test_pace_says_what_it_shows(result):
    axes = rm.plots.pace(result)
    shown = texts(axes)
    for word in (
        "newcomer",
        "steady",
        "adept",
        "hours",
        "p10 to p90",
        "level",
        "Canopy Wardens",
        "seed 7",
        "100 newcomer",
    ):
        assert word in shown
    # Beside the marks of a goal.
    assert len([line for line in axes.lines if len(line.get_xdata()) > 2]) == 3
    median = result.pace().query("player == 'steady'")["hours_p50"]
    np.testing.assert_array_equal(axes.lines[1].get_xdata(), median)
    own = plt.figure().add_subplot()
    assert rm.plots.pace(result, ax=own) is own
    plt.close("all")
    soon = rm.simulate(rm.demo_design(), players=20, hours=0.5, seed=1)
    assert "minutes" in texts(rm.plots.pace(soon))
    plt.close("all")


def test_nothing_is_cut_or_overlaps_at_1280_by_800(result):
    axes = rm.plots.pace(result)
    figure = axes.figure
    assert tuple(figure.get_size_inches() * figure.dpi) == (1280, 800)
    figure.canvas.draw()
    boxes = [
        t.get_window_extent() for t in (*axes.texts, axes.title, axes.xaxis.label, axes.yaxis.label) if t.get_text()
    ]
    for i, box in enumerate(boxes):
        assert box.x0 >= 0 and box.y0 >= 0 and box.x1 <= 1280 and box.y1 <= 800
        assert not any(box.overlaps(other) for other in boxes[i + 1 :])
    plt.close("all")


def test_costs_choose_their_axis_and_lay_designs_over_each_other():
    design = rm.demo_design()
    cost, total = rm.plots.costs({"now": design, "softer": design.with_values({"constants.crown_gate": 0})})
    assert (cost.get_yscale(), total.get_yscale()) == ("linear", "log")
    assert len(cost.lines) == 2 and "softer" in texts(cost)
    assert "level 20\ncosts 2.3 × what its\nneighbours suggest" in texts(cost)
    assert len(rm.plots.costs(design, ["warden", "grafting"])[0].lines) == 2
    plt.close("all")


# Machado, Oliveira and Fernandes (2009), "A physiologically-based model for simulation of color vision deficiency":
# what eyes without one kind of cone see, of linear RGB. Grey is the luminance.
SEEN_AS = {
    "normal": np.eye(3),
    "grey": np.tile([0.2126, 0.7152, 0.0722], (3, 1)),
    "no red cones": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "no green cones": [
        [0.367322, 0.860646, -0.227968],
        [0.280085, 0.672501, 0.047413],
        [-0.011820, 0.042940, 0.968881],
    ],
    "no blue cones": [
        [1.255528, -0.076749, -0.178779],
        [-0.078411, 0.930809, 0.147602],
        [0.004733, 0.691367, 0.303900],
    ],
}
FAR = 12.0  # CIE 1976 distance; 2.3 is just noticeable side by side.


def cie_lab(linear):
    xyz = np.array(
        [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
    )
    f = np.cbrt(np.clip(xyz @ np.clip(linear, 0, 1) / [0.95047, 1, 1.08883], 0.008856, None))
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("eyes", SEEN_AS)
def test_lines_stay_apart_in_grey_and_for_every_kind_of_eyes(eyes):
    looks = [accent(index) for index in range(8)]
    values = np.array([matplotlib.colors.to_rgb(look["color"]) for look in looks])
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)
    seen = [cie_lab(np.asarray(SEEN_AS[eyes]) @ color) for color in linear]
    for (i, one), (j, other) in itertools.combinations(enumerate(looks), 2):
        far = np.linalg.norm(seen[i] - seen[j]) >= FAR
        assert far or one["linestyle"] != other["linestyle"], (i, j)
    assert len({(look["color"], look["linestyle"]) for look in map(accent, range(25))}) == 25


def test_names_in_a_figure_of_income_lie_neither_on_each_other_nor_outside():
    axes = rm.plots.income(rm.demo_design())
    axes.figure.canvas.draw()
    boxes = [text.get_window_extent() for text in axes.texts if text.get_text()]
    assert len(boxes) == 9 and axes.get_yscale() == "log"
    for i, box in enumerate(boxes):
        assert box.x0 >= 0 and box.y0 >= 0 and box.x1 <= 1280 and box.y1 <= 800
        assert not any(box.overlaps(other) for other in boxes[i + 1 :])
    late = rm.demo_design().with_values({"sources.crown_rot.from_level": 36})
    assert "lowers income by 11%" in texts(rm.plots.income(late, player="adept")).replace("\n", " ")
    assert "income by" not in texts(rm.plots.income(late, player="newcomer")).replace("\n", " ")


def test_equal_costs_are_drawn_once_and_said():
    design = rm.demo_design()
    axes = rm.plots.costs({"now": design, "again": design, "softer": design.with_values({"constants.crown_gate": 0})})[
        0
    ]
    assert len(axes.lines) == 2 and "now, again (the same)" in texts(axes)


def test_a_partys_figure_counts_those_who_have_caught_up():
    run = rm.play_party(rm.demo_design(), 60, parties=40, seed=2)
    shares = rm.plots.party(run)[1]
    even = run.caught_up()["even_hours"].notna().mean()
    assert shares.lines[1].get_ydata()[-1] == pytest.approx(even)
    assert f"on one level: {even:.0%}" in texts(shares)


def test_the_other_figures():
    design = rm.demo_design()
    halved = design.with_values({"tracks.warden.overflow.carry": 0.5})
    assert "wasted so far" in texts(rm.plots.awards(halved, rm.trace(halved, [40, 130] * 6)))
    assert "level 2" in texts(rm.plots.awards(halved, rm.trace(halved, [5] * 500)))
    assert len(rm.plots.stats(design)) == 3
    assert "×" in texts(rm.plots.stats(design, relative=True, player="adept")[0])
    for column, highest in (("xp_per_hour", 9_000), ("success", 90), ("cuts", 20)):
        axes = rm.plots.effort(design, column)
        assert "crown_rot" in texts(axes)
        ticks = [text.get_text().replace(",", "").replace("k", "000") for text in axes.figure.axes[1].get_yticklabels()]
        assert max(map(float, ticks)) >= highest / 2, column
    with pytest.raises(rm.UnknownNameError, match="did you mean 'seconds'"):
        rm.plots.effort(design, "second")
    assert "the mix" in texts(rm.plots.income(design, player="adept"))
    assert "level gap" in texts(rm.plots.gain(design)[0])
    assert "lark" in texts(rm.plots.party(rm.play_party(design, 60))[0])
    assert "p10 to p90" in texts(rm.plots.party(rm.play_party(design, 30, parties=3, seed=1))[0])
    plt.close("all")


def test_where_it_drags_and_what_a_goal_allows_are_named(result):
    axes = rm.plots.time_in_level(result)
    words = texts(axes)
    assert "level 20 takes " in words and "as its neighbours" in words
    assert "goal of newcomer: at most 0.78 h, " in words
    strict = rm.simulate(
        result.design.with_values({"goals": [{"player": "newcomer", "longest_level_hours": 0.6}]}), 100
    )
    assert "0.6 h, missed (first at level 20)" in texts(rm.plots.time_in_level(strict))
    assert "newcomer: 70% wished, " in texts(rm.plots.retention(result)[0])
    eased = rm.simulate(result.design.with_values({"constants.crown_gate": 0, "goals": []}), 100)
    assert "neighbours" not in texts(rm.plots.time_in_level(eased))
    # The line is the table, in minutes or hours.
    medians = result.time_in_level().query("player == 'steady'")["hours_p50"].dropna().to_numpy()
    drawn = [line.get_ydata() for line in axes.lines if len(line.get_xdata()) == len(medians)]
    assert any(np.allclose(line, medians * scale) for line in drawn for scale in (1, 60))


@pytest.mark.parametrize("by", ["hours", "days"])
def test_shares_there_are_those_of_the_result(result, by):
    axes = rm.plots.reached(result, 10, by=by)
    assert "level 10" in texts(axes) and all(name in texts(axes) for name in result.players)
    by_name = dict(zip(result.players, [line for line in axes.lines if len(line.get_xdata()) > 100], strict=True))
    if by == "hours":
        times, shares = by_name["steady"].get_data()
        at = len(times) // 2
        scale = 60 if "minutes" in texts(axes) else 1
        assert shares[at] == pytest.approx(result.reached(10, float(times[at]) / scale)["steady"], abs=0.02)
    wish = {"goals": [{"player": "steady", "level": 10, "by_hours": 2.0, "by_day": None, "reached": 0.8}]}
    del wish["goals"][0]["by_day"]
    goals = rm.plots.reached(type(result)(result.design.with_values(wish), result.played), 10)
    assert "steady: 80% wished by then" in texts(goals)
    nobody = rm.plots.reached(result, by=by, track="grafting")
    assert "newcomer 0%" in texts(nobody) and nobody.get_xlim()[1] > 5
    with pytest.raises(rm.RamulusError, match="outside the track"):
        rm.plots.reached(result, 99)


@pytest.mark.parametrize("by", ["hours", "days"])
def test_bands_of_levels_add_up_to_everybody(result, by):
    axes = rm.plots.levels_over_time(result, "newcomer", by=by)
    words = texts(axes)
    assert "10–14" in words and "1–4" in words and "newcomer" in words
    # The lowest band ends at the top, and the bands lie on one another.
    tops = [band.get_paths()[0].vertices[:, 1].max() for band in axes.collections]
    assert max(tops) == pytest.approx(1.0) and len(tops) == 9
    # Everybody is somewhere from the left edge on; on day 1, the four in ten who have come.
    lowest = axes.collections[0].get_paths()[0].vertices
    left = lowest[:, 0].min()
    assert axes.get_xlim()[0] == left == (0 if by == "hours" else 1)
    assert lowest[lowest[:, 0] == left, 1].max() == pytest.approx(1 if by == "hours" else 0.4, abs=0.011)
    without = rm.simulate(make(sources={"blight": {"level": 1, "xp": 50, "seconds": 30}}), 20)
    with pytest.raises(rm.RamulusError, match="no calendar days"):
        rm.plots.levels_over_time(without, by="days")


def test_what_players_lived_on_is_the_income_table(result):
    panels = rm.plots.xp_by_source(result)
    assert len(panels) == 3 and "crown_rot" in texts(panels[0])
    income = result.income().query("player == 'steady' and level == 12").set_index("source")["share"]
    heights = {}
    for band in panels[1].collections:
        outline = band.get_paths()[0].vertices
        of_level = [one[1] for one, other in itertools.pairwise(outline) if {one[0], other[0]} == {11.5, 12.5}]
        assert len(of_level) == 2  # The top of the step, and its foot.
        heights[band.get_label()] = abs(of_level[1] - of_level[0])
    for source, share in income.items():
        assert heights[source] == pytest.approx(share)
    assert len(rm.plots.xp_by_source(result, player="adept")) == 1
    with pytest.raises(rm.UnknownNameError):
        rm.plots.xp_by_source(result, player="adapt")


def crowded(profiles, levels, sources, decades):
    """A design of many things with names of 30 letters, and costs over some decades."""

    def names(count, what):
        return [f"{what}_{index}_of_a_very_long_name_indeed"[:30] for index in range(count)]

    players, step, rise = names(profiles, "keeper"), levels // sources, 10 ** (decades / (levels - 1))
    return make(
        {"formula": f"20 * {rise} ** (level - 1)"}, levels, constants={"pause": 20},
        stats={name: {"base": 9, "growth": 1.02} for name in ["t" * 30, "w", "r", "s", "q"]},
        upgrades={"quick": {"stat": "w", "factor": 0.9, "max_rank": 8}}, track={"points_per_level": 1},
        sources={
            name: {"level": 1 + step * index, "xp": f"9 * {rise} ** (level - 1)", "seconds": "pause",
                   "from_level": max(1, 1 + step * (index - 3)), "to_level": 1 + step * (index + 5)}
            for index, name in enumerate(names(sources, "blight"))
        },
        encounter={"variation": 0.4, "success": "clip(0.9 + 0.02 * gap, 0.1, 0.99)"},
        multipliers=[{"name": "outgrown", "factor": f"clip(1 - gap / {6 * step}, 0.05, 1)"}],
        players={
            name: {"spread": 0.2, "seconds_between": 5 * index, "hours_per_day": 1, "quit_chance_per_play_day": 0.01,
                   "spends": ["quick"] if index % 2 else []}
            for index, name in enumerate(players)
        },
        party={"members": {f"member_{i}_" + name: {"player": name, "start_level": 1 + i}
                           for i, name in enumerate([*players[:4], players[0]])}},
        goals=[{"player": players[0], "level": levels // 2, "hours": 9.0},
               {"player": players[-1], "longest_level_hours": 0.05},
               {"player": players[0], "level": levels // 2, "by_hours": 1.0, "reached": 0.5}],
    )  # fmt: skip


CROWDS = {"one of ten levels": (1, 10, 2, 2), "eight of 300": (8, 300, 25, 8)}
BY_DESIGN, BY_RESULT = ("costs", "stats", "effort", "income", "gain"), (
    "pace", "time_in_level", "reached", "levels_over_time", "xp_by_source", "retention"
)  # fmt: skip
OTHERS = {
    "party": lambda design, _: rm.play_party(design, 60, parties=20),
    "compare": lambda design, _: rm.compare({"now": design, "n" * 30: design.with_values({"constants.pause": 18})}, 15),
    "sensitivity": lambda design, _: rm.sensitivity(design, players=15),
    "sweep": lambda design, _: rm.sweep(design, {"constants.pause": [18, 19, 20]}, players=15),
}


@pytest.fixture(scope="module", params=CROWDS)
def crowd(request):
    design = crowded(*CROWDS[request.param])
    return design, rm.simulate(design, 15)


def test_names_keep_clear_of_the_mix_where_a_source_comes_to_pay_nothing():
    """Its line leaves the axis far below: what is out of sight is no place for a name, and in nobody's way."""
    data = rm.demo_design().to_dict()
    data["multipliers"] = [{"name": "half", "factor": 0.5}, *data["multipliers"]]
    axes = rm.plots.income(rm.Design.from_dict(data))
    mix = max(axes.lines, key=lambda line: line.get_linewidth())
    x, y = axes.transData.transform(mix.get_xydata()).T
    along = np.linspace(x[0], x[-1], 2000)
    named = {text.get_text(): text.get_window_extent() for text in axes.texts}
    assert {name.split("\n")[0] for name in named} >= set(data["sources"])
    for name, box in named.items():
        covered = (
            (along > box.x0)
            & (along < box.x1)
            & (np.abs(np.interp(along, x, y) - (box.y0 + box.y1) / 2) < box.height / 2)
        )
        assert name == "the mix" or not covered.any(), name


@pytest.mark.parametrize("kind", [*BY_DESIGN, *BY_RESULT, *OTHERS])
@pytest.mark.filterwarnings("error::UserWarning")
def test_nothing_is_cut_squeezed_or_overlaps(kind, crowd):
    made = OTHERS[kind](*crowd) if kind in OTHERS else crowd[kind in BY_RESULT]
    figure = np.ravel(np.asarray(getattr(rm.plots, kind)(made), dtype=object))[0].figure
    figure.canvas.draw()
    panels = [panel for panel in figure.axes if panel.get_visible()]
    words = list(figure.texts)
    for panel in panels:
        words += [
            panel.title,
            *(text for text in panel.get_children() if isinstance(text, plt.Text) and text.get_text()),
        ]
        words += [panel.xaxis.label, panel.yaxis.label]
    words += [text for legend in figure.legends for text in legend.get_texts()]
    assert sum(panel.get_position().width * panel.get_position().height for panel in panels) > 0.3
    assert crowd[0].title in figure.get_supxlabel()
    shown = {id(text): text for text in words if text.get_text().strip()}.values()
    boxes = [(text.get_text(), text.get_window_extent()) for text in shown]
    for said, box in boxes:
        assert box.x0 >= -1 and box.y0 >= -1 and box.x1 <= 1281 and box.y1 <= 801, said
    for (said, box), (other, place) in itertools.combinations(boxes, 2):
        overlap = min(box.x1, place.x1) - max(box.x0, place.x0), min(box.y1, place.y1) - max(box.y0, place.y0)
        assert min(overlap) < 2.0, (said, other)
    plt.close("all")


@pytest.mark.parametrize("goals", range(1, 7))
def test_many_numbers_and_goals_of_a_sensitivity_can_be_read(goals):
    row = {"player": "steady", "value": 1.0, "found": 1.0, "change": 0.5, "low": 0.2, "high": 0.8, "needed": 2.0,
           "unit": "% per % of the number", "step": 0.01, "note": ""}  # fmt: skip
    table = pd.DataFrame([row | {"goal": f"level {goal} in 1 h", "name": f"sources.{'n' * 20}_{number}.xp"}
                          for goal in range(goals) for number in range(14)])  # fmt: skip
    panels = rm.plots.sensitivity(table)
    figure = panels[0].figure
    figure.canvas.draw()
    for panel in panels:
        boxes = [label.get_window_extent() for label in panel.get_yticklabels()]
        assert all(below.y1 <= above.y0 + 1 for above, below in itertools.pairwise(boxes))
    foot = figure.get_supxlabel()
    assert ("further goals: 1" in foot) == (goals == 6)
    assert re.search(rf"numbers that move less: {14 - len(panels[0].get_yticks())}$", foot)
    plt.close("all")


@pytest.mark.parametrize("kind", ["costs", "stats", "income"])
def test_ticks_say_where_they_stand_and_nothing_that_is_met_is_cut(kind, crowd):
    panels = np.ravel(np.asarray(getattr(rm.plots, kind)(crowd[0]), dtype=object))
    panels[0].figure.canvas.draw()
    for panel in panels:
        for place, label in zip(panel.get_yticks(), panel.get_yticklabels(), strict=True):
            if re.fullmatch(r"[\d,.]+", label.get_text()):
                assert float(label.get_text().replace(",", "")) == pytest.approx(place, rel=1e-5)
    if kind == "income":
        mix = max(panels[0].lines, key=lambda line: line.get_linewidth()).get_ydata()
        low, high = panels[0].get_ylim()
        assert low <= np.nanmin(mix) and np.nanmax(mix) <= high
    plt.close("all")


def test_ticks_between_whole_numbers_are_written_as_they_are():
    _, ax = plt.subplots()
    thousands(ax)
    written = [ax.yaxis.get_major_formatter()(value, 0) for value in (0, 0.5, 2.5, 1000, 2500.5, 1e12)]
    assert written == ["0", "0.5", "2.5", "1,000", "2,500.5", "1,000,000,000,000"]
    plt.close("all")


def test_of_many_swept_values_every_second_is_named():
    table = rm.sweep(rm.demo_design(), {"first_cost": [60]}, players=5)
    many = pd.concat([table.assign(**{"constants.first_cost": 60 + step}) for step in range(20)], ignore_index=True)
    many.attrs = table.attrs
    axes = rm.plots.sweep(many)
    assert [text.get_text() for text in axes.texts] == [f"first_cost = {60 + step}" for step in range(0, 20, 2)]
    assert axes.figure.get_supxlabel().startswith("Canopy Wardens · 5 newcomer · seed 0")
    plt.close("all")


def test_a_party_says_when_it_has_caught_up_in_the_unit_of_its_axis():
    run = rm.play_party(rm.demo_design(), 200, parties=40)
    _, shares = rm.plots.party(run)
    after, hours = (run.caught_up()[f"even_{what}"].fillna(np.inf).median() for what in ("after", "hours"))
    unit = shares.get_xlabel().removeprefix("played time, ")
    wanted = f"{after:,.0f} encounters, {hours:.2f} h" if unit == "hours" else f"{hours * 60:.1f} min"
    assert wanted in " ".join(shares.get_title(loc="left").split() or shares.get_title().split())
    plt.close("all")


def test_labels_are_pushed_apart_and_stay_inside():
    heights = _pushed_apart(np.array([0.5, 0.97, 0.98, 1.0]), np.full(4, 0.05))
    assert heights.tolist() == pytest.approx([0.5, 0.9, 0.95, 1.0])


MODULES = [info.name for info in pkgutil.walk_packages(rm.__path__, "ramulus.") if "__main__" not in info.name]


@pytest.mark.parametrize("module", MODULES)
def test_examples_in_docstrings(module, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    # By name, not by path: the package under test may be an installed copy.
    outcome = doctest.testmod(importlib.import_module(module), optionflags=doctest.NORMALIZE_WHITESPACE)
    plt.close("all")
    assert outcome.failed == 0


def test_every_public_name_has_an_example():
    public = {name: getattr(rm, name) for name in dir(rm) if not name.startswith("_") and name != "plots"}
    public |= {f"plots.{name}": getattr(rm.plots, name) for name in rm.plots.__all__}
    assert len(public) > 70 and not [name for name, one in public.items() if ">>> " not in (one.__doc__ or "")]


@pytest.mark.parametrize("example", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_every_example_runs_as_it_stands(example, tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    if example.stem == "many_machines":  # Its workers are processes, which start from a file that runs.
        ran = subprocess.run([sys.executable, str(example)], capture_output=True, text=True, timeout=240)
        assert ran.returncode == 0, ran.stderr
        out = ran.stdout
    else:
        runpy.run_path(str(example), run_name="__main__")
        out = capsys.readouterr().out
    assert "False" not in out and out.strip() and "nan" not in out


def kinds_of(cell):
    """Return what a cell shows, by kind."""
    return [sorted(output.get("data", output["output_type"])) for output in cell.get("outputs", [])]


def test_a_bar_shows_how_far_long_work_is(monkeypatch, capsys):
    bar = rm.ProgressBar("playing")
    for share in (0.25, 1.0):
        bar(share)
    assert capsys.readouterr() == ("", "")  # Nobody watches a pipe.
    terminal = io.StringIO()
    terminal.isatty = lambda: True
    monkeypatch.setattr("sys.stderr", terminal)
    monkeypatch.setenv("TERM", "xterm")
    design = rm.demo_design()
    rm.simulate(design, 20, progress=bar)
    rm.tune(design, ["constants.crown_gate"], players=20, progress=bar)
    said = terminal.getvalue()
    assert "playing" in said and "of 60" in said and "variants played" in said and "%" not in said
    bar(rm.Progress(1, 8, 2.0)), bar(0.5)
    assert "1 of 8, 2 s" in terminal.getvalue() and "50%" in terminal.getvalue()
    shown = terminal.getvalue().count("\x1b[?25l"), terminal.getvalue().count("\x1b[?25h")
    del bar  # It is not done; the cursor comes back all the same.
    assert shown[0] == terminal.getvalue().count("\x1b[?25h") == shown[1] + 1


def test_the_notebook_runs_from_top_to_bottom(tmp_path, monkeypatch):
    monkeypatch.delenv("MPLBACKEND", raising=False)  # A notebook draws by its own.
    nbformat, nbclient = pytest.importorskip("nbformat"), pytest.importorskip("nbclient")
    notebook = nbformat.read(ROOT / "examples" / "from_costs_to_goals.ipynb", 4)
    before = [kinds_of(cell) for cell in notebook.cells]
    nbclient.NotebookClient(notebook, timeout=240, resources={"metadata": {"path": str(tmp_path)}}).execute()
    shown = [output["data"] for cell in notebook.cells for output in cell.get("outputs", []) if "data" in output]
    assert [kinds_of(cell) for cell in notebook.cells] == before  # What it is shipped with is what it gives.
    assert sum("image/png" in data for data in shown) == 4
    assert sum("variants played" in data.get("text/html", "") for data in shown) == 1
    assert sum("text/html" in data for data in shown) >= 6 and (tmp_path / "tuned.html").stat().st_size > 500_000
