"""The demo played by other means than the kernel: each was written apart, and all must agree."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

import numpy as np
import pytest

import ramulus as rm
from ramulus.rules.tabulation import tabulated

BENCHMARKS = Path(__file__).parent.parent / "benchmarks"


@pytest.fixture(scope="module")
def loops():
    sys.path.insert(0, str(BENCHMARKS))
    try:
        import loops as module
    finally:
        sys.path.remove(str(BENCHMARKS))
    return module


@pytest.fixture(scope="module")
def judged(loops):
    result = rm.simulate(loops.demo(), {"steady": 20_000}, seed=77)
    return result.arrivals("steady")[:, -1], result


def agree(sample, judge):
    error = np.sqrt(sample.var() / len(sample) + judge.var() / len(judge))
    assert sample.mean() == pytest.approx(judge.mean(), abs=4 * error)


def test_a_designers_own_loop_comes_to_the_same(loops, judged):
    hours, count = loops.python_loop(loops.demo(), 150, 3)
    agree(hours, judged[0])
    met = judged[1].income()["encounters"].sum()
    assert count / 150 == pytest.approx(met, rel=0.05)


def test_a_loop_over_players_in_numpy_comes_to_the_same(loops, judged):
    hours, count = loops.numpy_loop(loops.demo(), 2000, 5)
    agree(hours, judged[0])
    assert count / 2000 == pytest.approx(judged[1].income()["encounters"].sum(), rel=0.02)


def test_a_c_loop_over_the_same_tables_comes_to_the_same(loops, tmp_path):
    if shutil.which("cc") is None:
        pytest.skip("no C compiler here")
    library = loops.compile_c(tmp_path)
    hours, count = loops.c_loop(library, loops.demo(), 1500, 7)
    result = rm.simulate(loops.demo(), {"steady": 1500}, seed=7)
    # The same draws: all but the last bits of a few players' clocks are the same.
    np.testing.assert_allclose(np.sort(hours)[:1400], np.sort(result.arrivals("steady")[:, -1])[:1400], rtol=0.02)
    assert np.isclose(hours, result.arrivals("steady")[:, -1], rtol=1e-9).mean() > 0.98
    assert count == pytest.approx(result.profile("steady").main.encounters.values[:, 39].sum(), rel=0.01)


def test_the_designers_stats_are_the_tables(loops):
    game = loops.Designers(loops.demo(), 1)
    game.start()
    table = {name: curve.values for name, curve in tabulated(loops.demo()).stats("steady").items()}
    curve = rm.level_table(loops.demo())
    for level in range(1, 41):
        game.level = level
        game.refit()
        assert game.shear == pytest.approx(table["shear"][level - 1])
        assert game.windup == pytest.approx(table["windup"][level - 1])
        if level < 40:
            assert game.costs[level - 1] == curve["cost"].iloc[level - 1]
    effort = rm.effort_table(loops.demo(), "steady")
    for level in (1, 4, 9, 15, 24, 31):
        game.level = level
        game.refit()
        rows = effort[effort["level"] == level]
        assert rows["source"].tolist() == game.open
        weights = np.array(game.weights) / sum(game.weights)
        np.testing.assert_allclose(rows["chance"], weights, rtol=1e-12)
