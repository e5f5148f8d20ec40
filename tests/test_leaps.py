"""Leaps: as if every encounter were played, by exact chains, by SciPy's laws and by playing each of them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import binom, chisquare, gamma, ks_1samp, ks_2samp

import ramulus as rm
from conftest import make
from exact import exact_arrival
from ramulus.comparing.paired import same_up_to
from ramulus.simulation.leap_draws import binomial
from ramulus.simulation.leap_draws import gamma as drawn_gamma

CHANCE = 1e-4  # What a true answer may look like by chance, in each of some fifty looks.
PLAYERS = 1500


def long(**parts):
    """Levels of 4,000 encounters and more: drawn XP, failures that pay and take time, skills, uses, timed rules."""
    return make(
        {"formula": "120_000 * level"}, 3,
        sources={
            "aphid": {"level": 1, "xp": {"low": 9, "high": 13}, "weight": 3, "skill": "grafting", "skill_xp": 2},
            "borer": {"level": 2, "xp": 34, "seconds": "9 - 0.5 * skill_level", "skill": "grafting", "skill_xp": 1},
            "heart": {"level": 2, "xp": {"one_of": [[100, 0.7], [150, 0.3]]}, "seconds": 20, "weight": 0.2},
            "errand": {"level": 3, "xp": 150, "seconds": 12, "weight": 0.1, "limit": 300, "limit_per_week": 200},
        },
        skills={"grafting": {"max_level": 5, "cost": {"formula": "9000 * level"}}},
        encounter={
            "seconds": 4, "success": 0.8, "variation": 0.5, "failure": {"extra_seconds": 5, "xp_share": 0.35},
        },
        multipliers=[
            {"name": "weekend", "factor": 1.5, "weekdays": ["sat", "sun"]},
            {"name": "early", "factor": 1.2, "to_level": 1},
        ],
        players={"steady": {"spread": 0.1, "seconds_between": 1, "hours_per_day": 3}},
        **parts,
    )  # fmt: skip


def both(design, players=PLAYERS, hours=1e5, **parts):
    """A run in leaps, and one of other players of whom every encounter is played."""
    return (
        rm.simulate(design, players, hours, seed=seed, leaps=leaps, **parts) for seed, leaps in ((1, True), (2, False))
    )


# --- what they draw ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("trials", "chance"), [(7, 0.3), (40, 0.02), (200, 0.5), (1000, 0.013), (30, 0.97), (10**5, 0.4), (10**9, 0.9999)]
)
def test_counts_follow_the_binomial_law(trials, chance):
    stream = np.array([trials], np.uint64)
    with np.errstate(over="ignore"):
        found = np.array([binomial(stream, trials, chance) for _ in range(4000)])
    law = binom(trials, chance)
    edges = np.unique(law.ppf(np.linspace(0.02, 0.98, 25)))
    expected = np.diff(np.concatenate([[0.0], law.cdf(edges), [1.0]])) * len(found)
    seen = np.histogram(found, np.concatenate([[-np.inf], edges + 0.5, [np.inf]]))[0]
    some = expected > 0
    assert seen[~some].sum() == 0
    assert chisquare(seen[some], expected[some]).pvalue > CHANCE


@pytest.mark.parametrize("shape", [0.03, 0.5, 1, 4, 300, 1e7])
def test_sums_of_times_follow_the_gamma_law(shape):
    stream = np.array([int(shape * 100)], np.uint64)
    with np.errstate(over="ignore"):
        found = [drawn_gamma(stream, shape) for _ in range(4000)]
    assert ks_1samp(found, gamma(shape).cdf).pvalue > CHANCE


def test_counts_of_nothing_and_of_all_need_no_draw():
    stream = np.zeros(1, np.uint64)
    assert [binomial(stream, *ask) for ask in ((0, 0.5), (9, 0.0), (9, 1.0))] == [0, 0, 9]
    assert stream[0] == 0


# --- what comes of it --------------------------------------------------------------------------------------------


def test_encounters_and_hours_are_those_of_the_exact_chain():
    design = make(
        {"values": [4000, 3500]}, 3,
        sources={
            "aphid": {"level": 1, "xp": {"one_of": [[1, 0.6], [3, 0.4]]}, "weight": 3, "seconds": 36},
            "errand": {"level": 1, "xp": 2, "seconds": 36},
        },
        encounter={"success": 0.5, "variation": 0.8},
        players={"steady": {}},
    )  # fmt: skip
    result = rm.simulate(design, PLAYERS, 1e4, seed=5)
    assert result.profile().totals.leapt[:2].min() > 0.8 * result.profile().totals.met[:2].sum(axis=1).min()
    main = result.profile().main
    for level in (2, 3):
        exact = exact_arrival(design, level, 11_000, chances=lambda at: {"aphid": 0.75, "errand": 0.25})
        came = main.encounters.values[:, level - 1]
        by = np.cumsum(exact.chance)
        assert abs(came.mean() - exact.mean) < 4 * exact.deviation / math.sqrt(PLAYERS)
        for share in np.linspace(0.1, 0.9, 9):
            n = int(np.searchsorted(by, share))
            error = math.sqrt(by[n] * (1 - by[n]) / PLAYERS)
            assert (came <= n).mean() == pytest.approx(by[n], abs=4 * error)
            below = exact.time_below(n * 36.0, 36, 0.8**-2)
            error = math.sqrt(below * (1 - below) / PLAYERS)
            assert (main.seconds.values[:, level - 1] <= n * 36.0).mean() == pytest.approx(below, abs=4 * error)


def test_a_rich_design_is_as_if_every_encounter_were_played():
    design = long()
    leapt, each = both(design)
    assert leapt.profile().totals.leapt.sum() > 0.3 * leapt.profile().totals.met.sum()
    assert not each.profile().totals.leapt.any()
    for track in design.tracks:
        ours, theirs = (result.profile().arrivals[track] for result in (leapt, each))
        for what in ("seconds", "encounters"):
            columns = (getattr(one, what).values.T for one in (ours, theirs))
            for came, other in zip(*columns, strict=True):
                assert abs(np.isnan(came).sum() - np.isnan(other).sum()) < 4 * math.sqrt(PLAYERS / 2)
                came, other = came[~np.isnan(came)], other[~np.isnan(other)]
                assert min(len(came), len(other)) < 50 or ks_2samp(came, other).pvalue > CHANCE
    merged = leapt.income().merge(each.income(), on=["player", "level", "source"], how="outer")
    for what in ("encounters", "successes", "xp"):
        # Poisson's error of each count; of XP that of its successes, times what each of them brings.
        count = merged["successes_x"] if what == "xp" else merged[f"{what}_x"]
        error = np.sqrt(2 * count / PLAYERS) * (merged["xp_x"] / count if what == "xp" else 1)
        assert ((merged[f"{what}_x"] - merged[f"{what}_y"]).abs() < 4.5 * error).all(), what


def test_who_is_cut_off_in_the_middle_is_as_if_every_encounter_were_played():
    design = make(
        {"formula": "60_000 * level"}, 3, sources={"aphid": {"level": 1, "xp": 9, "seconds": 10}},
        encounter={"success": 0.6, "variation": 1.5}, players={"steady": {"spread": 0.2}},
    )  # fmt: skip
    half = 60_000 / (9 * 0.6) * 10 / 3600
    leapt, each = both(design, hours=half)
    for result in (leapt, each):
        assert np.nanmax(result.profile().main.seconds.values) <= half * 3600
    there, other = (result.reached(2, half).to_numpy()[0] for result in (leapt, each))
    assert there == pytest.approx(other, abs=4 * math.sqrt(0.5 / PLAYERS))
    mean, usual = (result.profile().totals.met.sum() / PLAYERS for result in (leapt, each))
    assert mean == pytest.approx(usual, rel=0.03)


def test_no_more_is_used_than_there_is_and_no_timed_rule_comes_late():
    """Forty uses, more often met than they last; from day 20 on an award is twice as large: all XP is known."""
    design = make(
        {"values": [10**6, 10**6]}, 3,
        sources={
            "aphid": {"level": 1, "xp": 10, "seconds": 10, "weight": 9},
            "errand": {"level": 1, "xp": 10, "seconds": 10, "limit": 40},
        },
        multipliers=[{"name": "late", "factor": 2, "from_day": 20}],
        encounter={}, players={"steady": {"hours_per_day": 10}},
    )  # fmt: skip
    profile = rm.simulate(design, 200, 1e4).profile()
    assert profile.totals.leapt[:2].min() > 0.5 * profile.totals.met[:2].sum(axis=1).min()
    assert profile.totals.won[:, 1].sum() == 40 * 200
    # 68,400 encounters pay 10 XP on the 19 days before; the one that ends as day 20 begins, and all after it, 20.
    reached = [68_399 + (10**6 - 683_990) / 20, 68_399 + (2 * 10**6 - 683_990) / 20]
    assert (profile.main.encounters.values[:, 1:] == np.ceil(reached)).all()


def test_ten_million_encounters_a_level_are_played_to_the_end():
    design = make(
        {"values": [10_000_000, 20_000_000]}, 3, sources={"aphid": {"level": 1, "xp": 1, "seconds": 1}},
        encounter={"success": 0.5, "variation": 0.3}, players={"steady": {}},
    )  # fmt: skip
    main = rm.simulate(design, 400, 1e6).profile().main
    for level, units in ((1, 10**7), (2, 3 * 10**7)):
        came, deviation = main.encounters.values[:, level], math.sqrt(2 * units)  # Negative binomial: n / p.
        assert came.mean() == pytest.approx(2 * units, abs=4 * deviation / math.sqrt(400))
        assert came.std() == pytest.approx(deviation, rel=0.15)
        assert main.seconds.values[:, level] == pytest.approx(came, rel=0.01)


# --- where there are none ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "design",
    [
        rm.demo_design(),
        long(gates=[{"at_level": 2, "successes": {"aphid": 100}}]),
        make(
            {"values": [40_000]}, 2, sources={"aphid": {"level": 1, "xp": 9, "seconds": 10}},
            encounter={"success": 0.9, "failure": {"loss": 0.001}}, players={"steady": {}},
        ),
    ],
    ids=["short levels", "gates", "losses"],
)  # fmt: skip
def test_where_nothing_can_be_leapt_over_every_encounter_is_played(design):
    played, asked = (rm.simulate(design, 20, 100, leaps=leaps) for leaps in (True, False))
    assert not any(profile.totals.leapt.any() for profile in played.played.profiles.values())
    assert played.pace().equals(asked.pace())


def test_a_run_is_the_same_to_the_bit_however_it_is_cut():
    design = long()
    few, many = (rm.simulate(design, players, 1e4, seed=3).profile().main for players in (30, 300))
    assert np.array_equal(few.seconds.values, many.seconds.values[:30], equal_nan=True)


def test_designs_share_their_draws_level_by_level_and_what_is_alike_differs_in_nothing():
    one = make(
        {"values": [40_000, 40_000, 40_000]}, 4, sources={"aphid": {"level": 1, "xp": {"low": 5, "high": 9}}},
        encounter={"seconds": 10, "success": 0.6, "variation": 0.5}, players={"steady": {}},
    )  # fmt: skip
    other = one.with_values({"tracks.warden.cost.values": [40_000, 40_000, 44_000]})
    runs = [rm.simulate(design, 300, 1e5) for design in (one, other)]
    assert same_up_to(*runs, "steady") == 2
    first, second = (result.profile().main.seconds.values for result in runs)
    assert np.array_equal(first[:, :3], second[:, :3])
    apart, alone = (second - first)[:, 3], np.std(first[:, 3] - first[:, 2])
    assert np.std(apart) < alone


def test_the_command_says_what_was_leapt_and_can_be_told_not_to(cli, tmp_path):
    file = tmp_path / "long.toml"
    long().save(file)
    asked = ("simulate", file, "--players", 30, "--hours", 10_000)
    said = " ".join(cli(*asked).out.split())
    assert " % of all encounters, at levels from 1 to 2, were played in leaps: drawn many at once" in said
    assert "in leaps" not in cli(*asked, "--no-leaps").out
