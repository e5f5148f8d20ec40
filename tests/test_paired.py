"""Paired intervals worked by other means: plain Python, SciPy's distributions, and shares of players counted by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import beta

from ramulus.comparing.paired import UNKNOWN, Difference, difference, net_share
from ramulus.comparing.statistic import Quantile, Statistic
from ramulus.simulation.resampling import RESAMPLES, drawn_again, strata_of, widening


def exact_share(found, players):
    low = 0.0 if found == 0 else beta.ppf(0.025, found, players - found + 1)
    high = 1.0 if found == players else beta.ppf(0.975, found + 1, players - found)
    return low, found / players, high


def net_by_hand(gained, lost, players):
    (low, come, high), (least, go, most) = exact_share(gained, players), exact_share(lost, players)
    down, up = math.sqrt((come - low) ** 2 + (most - go) ** 2), math.sqrt((high - come) ** 2 + (go - least) ** 2)
    return come - go, come - go - down, come - go + up


@pytest.mark.parametrize(
    ("gained", "lost", "players"), [(0, 0, 40), (3, 0, 40), (0, 5, 40), (9, 4, 50), (200, 90, 400)]
)
def test_those_who_come_less_those_who_go(gained, lost, players):
    assert net_share(gained, lost, players) == pytest.approx(net_by_hand(gained, lost, players), abs=1e-12)


def share_of(**counted):
    weights = dict(zip(counted, (0.75, 0.25), strict=False)) if len(counted) > 1 else dict.fromkeys(counted, 1.0)
    return Statistic.of_share({name: np.array(one) for name, one in counted.items()}, weights)


def test_shares_are_of_who_comes_and_who_goes_profile_by_profile():
    # Of 40, five come and two go; of 20 others one comes; who stays on either side is neither.
    first = {"a": [1] * 10 + [0] * 30, "b": [1] * 3 + [0] * 17}
    second = {"a": [0] * 2 + [1] * 8 + [1] * 5 + [0] * 25, "b": [1] * 4 + [0] * 16}
    found = difference(share_of(**first), share_of(**second))
    (a, a_low, a_high), (b, b_low, b_high) = net_by_hand(5, 2, 40), net_by_hand(1, 0, 20)
    net = 0.75 * a + 0.25 * b
    assert found.value == pytest.approx(0.75 * 3 / 40 + 0.25 * 1 / 20)
    assert found.low == pytest.approx(net - math.hypot(0.75 * (a - a_low), 0.25 * (b - b_low)))
    assert found.high == pytest.approx(net + math.hypot(0.75 * (a_high - a), 0.25 * (b_high - b)))


def smooth_by_hand(numbers, each, share):
    """The mean of the quantiles within reach of one: each number counts by the part of its step inside."""
    reach = min(0.5 / math.sqrt(len(numbers)), share, 1 - share)
    low, high, total, before = share - reach - 1e-9, share + reach - 1e-9, 0.0, 0.0
    for number, own in sorted(zip(numbers, each, strict=True)):
        inside = min(before + own, high) - max(before, low)
        total += number * max(inside, 0.0)
        before += own
    return total / (high - low)


def again_by_hand(quantile):
    """The number for the players themselves, then for each time that they are drawn again."""
    counts = np.concatenate([drawn_again(name, len(own)) for name, own in quantile.samples.items()], axis=1)
    each = np.concatenate(
        [np.full(len(own), quantile.weights[name] / len(own)) for name, own in quantile.samples.items()]
    )
    numbers = np.concatenate(list(quantile.samples.values()))
    drawn = [smooth_by_hand(numbers, each * row, quantile.share) for row in counts]
    return smooth_by_hand(numbers, each, quantile.share), np.array(drawn)


def pairs_by_hand(first, second):
    """The interval of the pairs drawn again, the 13th from either end of 500, as far as few players need it wider."""
    value, apart = 0.0, np.zeros(RESAMPLES)
    for one, two in zip(first, second, strict=True):
        (before, drawn_before), (after, drawn_after) = again_by_hand(one), again_by_hand(two)
        value += one.sign * (after - before)
        apart += one.sign * (drawn_after - drawn_before)
    wider = widening(min(len(own) for one in first for own in one.samples.values()))
    ends = np.sort(apart)[[12, -13]]
    return value + wider * (ends - value)


def players_of(random, sizes):
    return {name: np.exp(random.normal(2, 0.3, size)) for name, size in sizes.items()}


@pytest.mark.parametrize("share", [0.5, 0.9, 0.1])
@pytest.mark.parametrize("sizes", [{"a": 90, "b": 60}, {"a": 7, "b": 8}], ids=str)
def test_pairs_drawn_again(share, sizes):
    random, weights = np.random.default_rng(3), {"a": 0.7, "b": 0.3}
    samples = players_of(random, sizes)
    other = {name: own * random.normal(1.05, 0.1, len(own)) for name, own in samples.items()}
    one, two = Quantile(samples, weights, share), Quantile(other, weights, share)
    found = difference(Statistic.of_quantiles(one), Statistic.of_quantiles(two))
    order = np.argsort(np.concatenate(list(other.values())))
    each = np.repeat([0.7 / sizes["a"], 0.3 / sizes["b"]], [sizes["a"], sizes["b"]])[order]
    place = int((np.cumsum(each) < share - 1e-9).sum())
    assert two.value == np.concatenate(list(other.values()))[order][place]
    assert found.value == two.value - one.value
    low, high = pairs_by_hand([one], [two])
    assert (found.low, found.high) == pytest.approx((min(low, found.value), max(high, found.value)), abs=1e-9)
    assert not found.conservative


def test_the_part_taken_away_moves_the_other_way():
    random, sizes = np.random.default_rng(4), {"a": 70}
    before, after, beside = (players_of(random, sizes) for _ in range(3))
    first = [Quantile(before, {"a": 1.0}, 0.5), Quantile(beside, {"a": 1.0}, 0.5, sign=-1)]
    second = [Quantile(after, {"a": 1.0}, 0.5), Quantile(before, {"a": 1.0}, 0.5, sign=-1)]
    found = difference(Statistic.of_quantiles(*first), Statistic.of_quantiles(*second))
    assert found.value == pytest.approx(second[0].value - second[1].value - first[0].value + first[1].value)
    low, high = pairs_by_hand(first, second)
    assert (found.low, found.high) == pytest.approx((min(low, found.value), max(high, found.value)), abs=1e-9)


def unseen_by_hand(quantile, gained, lost):
    """How far a quantile moves where as many pass it as chance may have hidden, profile by profile."""
    net, down, up = 0.0, 0.0, 0.0
    for name, own in quantile.samples.items():
        share, low, high = net_by_hand(gained.get(name, 0), lost.get(name, 0), len(own))
        net += quantile.weights[name] * share
        down += (quantile.weights[name] * (share - low)) ** 2
        up += (quantile.weights[name] * (high - share)) ** 2
    return (quantile.at(quantile.share - net - up**0.5) - quantile.value,
            quantile.at(quantile.share - net + down**0.5) - quantile.value)  # fmt: skip


@pytest.mark.parametrize("sign", [1, -1])
@pytest.mark.parametrize("passing", [0, 4])
def test_where_hardly_anybody_differs_it_reaches_as_far_as_nobody_was_seen(sign, passing):
    # 60 and 40 players at whole hours, shuffled; `passing` of the first go from below the median to far above it.
    random, weights = np.random.default_rng(6), {"a": 0.6, "b": 0.4}
    samples = {"a": random.permutation(np.arange(60.0)), "b": random.permutation(np.arange(40.0) + 0.5)}
    one = Quantile(samples, weights, 0.5, sign)
    moved = np.flatnonzero(samples["a"] < one.value)[:passing]
    other = {"a": samples["a"].copy(), "b": samples["b"]}
    other["a"][moved] += 200
    two = Quantile(other, weights, 0.5, sign)
    rest = [Quantile(samples, weights, 0.9)]  # What does not differ at all reaches that far, too.
    found = difference(Statistic.of_quantiles(one, *rest), Statistic.of_quantiles(two, *rest))
    down, up = unseen_by_hand(one, {}, {"a": passing})
    down, up = (down, up) if sign > 0 else (-up, -down)
    more = unseen_by_hand(rest[0], {}, {})
    low, high = pairs_by_hand([one, *rest], [two, *rest])
    assert found.low == pytest.approx(min(low, down + more[0], found.value))
    assert found.high == pytest.approx(max(high, up + more[1], found.value))
    assert min(abs(found.low), abs(found.high)) > 0


def test_from_which_share_of_differing_players_on_nobody_unseen_is_added():
    """As many as 25, and as many as two in five, may hide others; one more, and the pairs are enough."""
    for players, most in ((40, 16), (400, 25)):
        own = np.arange(float(players))
        for differing, added in ((most, True), (most + 1, False)):
            other = own.copy()
            other[-differing:] += 0.25  # Nobody passes the median; nobody stands where another one does.
            one, two = (Quantile({"a": numbers}, {"a": 1.0}, 0.5) for numbers in (own, other))
            found = difference(Statistic.of_quantiles(one), Statistic.of_quantiles(two))
            low, _ = pairs_by_hand([one], [two])
            assert (found.low < min(low, found.value) - 0.5) == added, (players, differing)


def mean_of(numbers):
    return Statistic(float(np.mean(numbers)), (), {"a": np.asarray(numbers, dtype=float)}, {"a": 1.0})


def test_a_mean_of_players_drawn_again():
    """Its error is that of a mean within strata, and its interval as wide as the normal one."""
    random = np.random.default_rng(8)
    own = random.normal(10, 2, 600) + strata_of(600)
    statistic = mean_of(own)
    counts = drawn_again("a", 600)
    np.testing.assert_allclose(statistic.again, [np.repeat(own, row).mean() for row in counts], rtol=1e-12)
    within = np.mean([own[strata_of(600) == s].var() for s in np.unique(strata_of(600))])
    assert statistic.again.mean() == pytest.approx(own.mean(), abs=4 * (within / 600 / RESAMPLES) ** 0.5)
    assert statistic.again.std() == pytest.approx((within / 600) ** 0.5, rel=0.12)
    assert statistic.error == pytest.approx(statistic.again.std() * widening(600))
    moved = own + random.normal(0.5, 1, 600)
    found = difference(statistic, mean_of(moved))
    half = 1.96 * ((moved - own).var() / 600) ** 0.5
    assert found.value == pytest.approx(0.5, abs=4 * half / 1.96)
    assert (found.low, found.high) == pytest.approx((found.value - half, found.value + half), abs=0.35 * half)
    # Of a mean nobody can tell how far whom nobody has seen would move it.
    assert difference(statistic, mean_of(own)) == pytest.approx((0, math.nan, math.nan, False), nan_ok=True)


def test_what_is_known_of_few_and_of_nothing():
    times = {number: np.linspace(1, 2, number) for number in (5, 6)}
    of = {number: Statistic.of_quantiles(Quantile({"a": own}, {"a": 1.0}, 0.5)) for number, own in times.items()}
    assert difference(of[5], of[5]) == pytest.approx((0, math.nan, math.nan, False), nan_ok=True)
    assert all(map(math.isfinite, difference(of[6], of[6])[:3]))
    assert difference(of[6], of[6], cannot_differ=True) == Difference(0.0, 0.0, 0.0)
    nobody = Statistic.of_quantiles(Quantile({"a": np.full(6, np.inf)}, {"a": 1.0}, 0.5))
    assert nobody.value == math.inf and difference(nobody, of[6]) is UNKNOWN and difference(of[6], nobody) is UNKNOWN
    # The fewest players of any profile decide.
    both = Quantile({"a": times[6], "b": times[5]}, {"a": 0.5, "b": 0.5}, 0.5)
    assert Statistic.of_quantiles(both).players == 5
    assert math.isnan(nobody.error) and Statistic.of_quantiles(Quantile({"a": times[6]}, {"a": 1.0}, 0.5)).error > 0


def test_half_as_many_different_times_as_players_are_a_lattice():
    for different, lattice in ((30, False), (29, True)):
        own = np.arange(60.0) % different
        one, two = (Quantile({"a": numbers}, {"a": 1.0}, 0.5) for numbers in (own, own + 1))
        assert one.on_lattice == lattice
        assert difference(Statistic.of_quantiles(one), Statistic.of_quantiles(two)).conservative == lattice
        # There the quantile is one player's time in each draw, and no mean of several.
        assert set(one.again) <= set(own) or not lattice
    assert one.at(0) == -math.inf and one.at(1.01) == math.inf and one.at(1) == 28
