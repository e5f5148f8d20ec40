"""Random draws: the published sequence, their distributions, and that nothing else moves them."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import special, stats

import ramulus as rm
from conftest import compiled
from ramulus.simulation.draws import GOLDEN, SLOTS, mix, own_factors, player_keys, uniform
from ramulus.simulation.times import time_at, time_table

# The first outputs of SplitMix64 from the seed 1234567, as its reference implementation prints them.
PUBLISHED = [
    6457827717110365317,
    3203168211198807973,
    9817491932198370423,
    4593380528125082431,
    16408922859458223821,
]


@compiled
def outputs(key, count):
    found = np.empty(count, np.uint64)
    for n in range(count):
        found[n] = mix(key + np.uint64(n + 1) * GOLDEN)
    return found


@compiled
def uniforms(key, encounters, slot):
    found = np.empty(encounters)
    for n in range(encounters):
        found[n] = uniform(key, n, slot)
    return found


@compiled
def times(table, bits):
    found = np.empty(len(bits))
    for n in range(len(bits)):
        found[n] = time_at(table, bits[n])
    return found


def test_the_published_sequence():
    assert outputs(np.uint64(1234567), 5).tolist() == PUBLISHED
    # Encounter 1, slot 1 is output number 4 + 1 of the key's sequence.
    assert SLOTS == 4
    fifth = np.uint64(PUBLISHED[4])
    assert uniforms(np.uint64(1234567), 2, 1)[1] == (int(fifth) >> 11) / 2**53


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
    with np.errstate(over="ignore"):
        bits = mix(np.arange(200_000, dtype=np.uint64) * GOLDEN)
    drawn = times(time_table(shape), bits)
    assert stats.kstest(drawn, stats.gamma(shape, scale=1 / shape).cdf).pvalue > 1e-5
    assert drawn.mean() == pytest.approx(1, abs=4.5 / np.sqrt(shape * len(drawn)))
    assert drawn.std() == pytest.approx(shape**-0.5, rel=0.02)
    assert abs(np.corrcoef(drawn[:-1], drawn[1:])[0, 1]) < 4.5 / np.sqrt(len(drawn))


def quantiles(shape):
    """The table's times and SciPy's, at draws over the whole range and deep into both tails."""
    rng = np.random.default_rng(5)
    spread = [rng.random(40_000), 2.0 ** -rng.uniform(1, 52, 8_000), 1 - 2.0 ** -rng.uniform(1, 50, 8_000)]
    bits = np.floor(np.concatenate([*spread, [0, 0.5, 1 - 2.0**-52]]) * 2.0**52).astype(np.uint64) << np.uint64(12)
    middle = ((bits >> np.uint64(12)) + 0.5) * 2.0**-52
    exact = np.where(middle < 0.5, special.gammaincinv(shape, middle), special.gammainccinv(shape, 1 - middle)) / shape
    return times(time_table(shape), bits), exact


@pytest.mark.parametrize("shape", [0.05, 0.08, 0.15, 0.4, 1.0, 3.0, 8.163, 40.0, 400.0])
def test_the_table_of_times_is_as_exact_as_stated(shape):
    drawn, exact = quantiles(shape)
    known = exact > 1e-290
    assert (np.abs(drawn - exact)[known] <= (2e-6 if shape < 0.4 else 2e-10) * exact[known]).all()
    assert (np.diff(drawn[np.argsort(exact)]) >= -1e-12).all()
    assert time_table(0.0).size == 0


def test_the_wildest_times_allowed_are_right_to_a_small_part_of_their_mean():
    drawn, exact = quantiles(1 / 20**2)
    assert np.abs(drawn - exact).max() < 1e-7


def test_players_are_drawn_by_seed_profile_and_number_alone():
    keys = player_keys(3, "steady", np.arange(2000))
    assert len(np.unique(keys)) == 2000
    np.testing.assert_array_equal(player_keys(3, "steady", np.arange(1024, 1034)), keys[1024:1034])
    own, wider = own_factors(keys, 0.2), own_factors(keys, 0.4)
    np.testing.assert_allclose(np.log(wider), 2 * np.log(own))
    assert stats.kstest(np.log(own) / 0.2, "norm").pvalue > 1e-5
    assert (own_factors(keys, 0) == 1).all()
    for seed, profile in ((4, "steady"), (3, "stead"), (3, "adept")):
        assert not np.isin(player_keys(seed, profile, np.arange(2000)), keys).any()


def test_a_change_late_in_the_design_leaves_early_times_alone():
    design = rm.demo_design()
    changed = design.with_values({"sources.crown_rot.xp": 999, "sources.crown_rot.seconds": 3})
    one, other = (rm.simulate(d, {"steady": 40}, seed=5).arrivals("steady") for d in (design, changed))
    np.testing.assert_array_equal(one[:, :29], other[:, :29])  # crown_rot opens at level 29.
    assert (one[:, 39] > other[:, 39]).all()


@pytest.mark.parametrize("kept", [["steady"], ["adept", "steady"], ["steady", "newcomer", "adept"]])
def test_no_profile_changes_another_ones_bits(kept):
    data = rm.demo_design().to_dict()
    del data["party"], data["goals"]
    data["players"] = {name: data["players"][name] for name in kept}
    fewer = rm.simulate(rm.Design.from_dict(data), 60, seed=3).arrivals("steady")
    assert fewer.tobytes() == rm.simulate(rm.demo_design(), 60, seed=3).arrivals("steady").tobytes()
