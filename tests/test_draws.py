"""Random draws: the published sequence, their distributions, and that nothing else moves them."""

from __future__ import annotations

import numpy as np
import pytest
from numba import njit
from scipy import stats

import ramulus as rm
from ramulus.simulation.chunks import CHUNK, draw_players, play_logged
from ramulus.simulation.draws import GOLDEN, SLOTS, gamma_of_mean_one, mix, to_uniform, uniform
from ramulus.simulation.worlds import make_stages

# The first outputs of SplitMix64 from the seed 1234567, as its reference implementation prints them.
PUBLISHED = [
    6457827717110365317,
    3203168211198807973,
    9817491932198370423,
    4593380528125082431,
    16408922859458223821,
]


@njit
def outputs(key, count):
    found = np.empty(count, np.uint64)
    for n in range(count):
        found[n] = mix(key + np.uint64(n + 1) * GOLDEN)
    return found


@njit
def uniforms(key, encounters, slot):
    found = np.empty(encounters)
    for n in range(encounters):
        found[n] = uniform(key, n, slot)
    return found


@njit
def gammas(key, encounters, shape):
    found = np.empty(encounters)
    for n in range(encounters):
        found[n] = gamma_of_mean_one(key, n, shape)
    return found


def test_the_published_sequence():
    assert outputs(np.uint64(1234567), 5).tolist() == PUBLISHED
    # Encounter 1, slot 1 is output number 4 + 1 of the key's sequence.
    assert SLOTS == 4
    fifth = np.uint64(PUBLISHED[4])
    assert uniforms(np.uint64(1234567), 2, 1)[1] == to_uniform.py_func(fifth) == (PUBLISHED[4] >> 11) / 2**53


@pytest.mark.parametrize("slot", [1, 2, 3])
def test_uniforms_are_uniform_and_apart_from_each_other(slot):
    draws = uniforms(np.uint64(99), 200_000, slot)
    assert draws.min() >= 0
    assert draws.max() < 1
    assert stats.kstest(draws, "uniform").pvalue > 1e-5
    # Neighbours, and the same encounter's other purposes, are uncorrelated: 4.5 standard errors.
    error = 4.5 / np.sqrt(len(draws))
    assert abs(np.corrcoef(draws[:-1], draws[1:])[0, 1]) < error
    other = uniforms(np.uint64(99), 200_000, slot % 3 + 1)
    assert abs(np.corrcoef(draws, other)[0, 1]) < error
    assert abs(np.corrcoef(draws, uniforms(np.uint64(100), 200_000, slot))[0, 1]) < error


@pytest.mark.parametrize("shape", [0.4, 1.0, 8.163, 400.0])
def test_times_are_gamma_distributed_with_mean_one(shape):
    draws = gammas(np.uint64(7), 200_000, shape)
    assert stats.kstest(draws, stats.gamma(shape, scale=1 / shape).cdf).pvalue > 1e-5
    assert draws.mean() == pytest.approx(1, abs=4.5 / np.sqrt(shape * len(draws)))
    assert draws.std() == pytest.approx(shape**-0.5, rel=0.02)
    assert abs(np.corrcoef(draws[:-1], draws[1:])[0, 1]) < 4.5 / np.sqrt(len(draws))


def test_players_are_drawn_by_profile_and_place_alone():
    keys, pace = draw_players(3, 0, 0, 0.2)
    assert len(keys) == len(pace) == CHUNK
    assert len(np.unique(keys)) == CHUNK
    again, wider = draw_players(3, 0, 0, 0.4)
    np.testing.assert_array_equal(keys, again)
    np.testing.assert_allclose(np.log(wider), 2 * np.log(pace))
    for other in ((4, 0, 0), (3, 1, 0), (3, 0, 1)):
        assert not np.isin(draw_players(*other, 0.2)[0], keys).any()


def test_a_change_late_in_the_design_leaves_early_draws_alone():
    design = rm.demo_design()
    changed = design.with_values({"sources.crown_rot.xp": 999, "encounter.failure.extra_seconds": 41})
    logs = []
    for one in (design, changed):
        stage = make_stages(one, 200.0, 10**6)[1]
        logs.append(play_logged(stage, 12345, 1.0)[0])
    early = logs[0][:, 3] < 25
    count = int(early.sum())
    assert count > 300
    # What was awarded up to level 25 is the same, award by award; only the clock differs.
    np.testing.assert_array_equal(logs[0][:count], logs[1][:count])
