"""The simulation: with a pencil, against the exact chain, against the ledger, and the same to the bit."""

from __future__ import annotations

import itertools
import os
import pickle
import threading
from concurrent.futures import Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from exact import exact_arrival
from plain import plain_player
from ramulus.results import simulate as running
from ramulus.results.simulate import play_until
from ramulus.simulation.chunks import Job, Sizes, play_chunk
from ramulus.simulation.in_flight import packed, width_of
from ramulus.simulation.samples import BinnedSample, WholeSample, quantile
from ramulus.simulation.world import make_stage


def arena(xp=10, values=(20, 30, 50), overflow=None, encounter=None, may_drop=False, **parts):
    track = {"overflow": overflow or {}, "may_drop_levels": may_drop}
    source = {"level": 1, "xp": xp, "seconds": 36}
    return make(
        {"values": list(values)}, len(values) + 1, track, sources={"a": source}, encounter=encounter or {}, **parts
    )


# --- with a pencil ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("overflow", "encounters"),
    [
        # 12 XP an encounter, costs 20, 30, 50. Carried: 24 → 4 over; 4 + 36 = 40 → 10 over; 10 + 48 = 58.
        ({}, [0, 2, 5, 9]),
        # Nothing carried: ⌈20/12⌉ = 2, ⌈30/12⌉ = 3, ⌈50/12⌉ = 5.
        ({"carry": 0}, [0, 2, 5, 10]),
    ],
)
def test_one_source_and_no_chance_gives_the_hours_a_pencil_gives(overflow, encounters):
    pace = rm.simulate(arena(12, overflow=overflow), players=7).pace()
    assert pace["encounters_p50"].tolist() == encounters
    for column in ("hours_p10", "hours_p50", "hours_p90"):
        assert pace[column].tolist() == [n * 36 / 3600 for n in encounters]
    assert pace["reached"].tolist() == [1, 1, 1, 1]
    assert pace["hours_in_level_p50"].tolist()[:-1] == pytest.approx(np.diff(encounters) * 0.01)
    assert pace["days_p50"].isna().all()


def test_failures_limits_skills_and_days_with_a_pencil():
    design = make(
        {"values": [100, 100]},
        3,
        sources={
            "errand": {"level": 1, "xp": 60, "seconds": 1000, "limit": 1, "weight": 1e12},
            "graft": {"level": 1, "xp": 10, "seconds": "100 - 10 * skill_level", "skill": "grafting", "skill_xp": 3},
        },
        players={"p": {"hours_per_day": 0.25, "days_per_week": 2, "seconds_between": 10}},
        skills={"grafting": {"max_level": 3, "cost": {"values": [6, 6]}}},
    )
    result = rm.simulate(design, players=1)
    # errand 60 in 1010 s; then grafts at skill 1, 1, 2, 2, 3 …: 100, 100, 90, 90, then 80 s each.
    times = 1010 + np.cumsum([100, 100, 90, 90] + [80] * 20)
    assert result.pace()["hours_p50"].tolist() == [0, times[3] / 3600, times[13] / 3600]
    assert result.pace("grafting")["hours_p50"].tolist() == [0, times[1] / 3600, times[3] / 3600]
    # 900 s a play day on days 1, 4, 8, 11: 1390 s is on the second, 2190 s on the third.
    assert result.pace()["days_p50"].tolist() == [1, 4, 8]
    income = result.income().set_index(["level", "source"])["xp"]
    assert income.to_dict() == {(1, "errand"): 60, (1, "graft"): 40, (2, "graft"): 100}


# --- against the exact chain -----------------------------------------------------------------------------------

RULES = [
    {"carry": carry, "level_ups_per_award": ups, "threshold": threshold, "at_cap": cap}
    for carry, (ups, threshold, cap) in itertools.product(
        (1.0, 0.0, 0.5), (("any", "reached", "discard"), ("one", "reached", "fill"), ("any", "exceeded", "bank"))
    )
] + [{"carry_limit": 0.1}]
FAILURES = [
    {"success": 1},
    {"success": 0.6, "failure": {"extra_seconds": 20, "xp_share": 0.3}},
    {"success": 0.7, "failure": {"loss": 0.2, "extra_seconds": 5}},
]
AMOUNTS = [{"low": 5, "high": 45}, {"one_of": [[4, 0.7], [70, 0.3]]}, 13]
PLAYERS = 4000


@pytest.mark.parametrize(
    ("failing", "may_drop"), [(FAILURES[0], False), (FAILURES[1], False), (FAILURES[2], False), (FAILURES[2], True)]
)
@pytest.mark.parametrize("rules", RULES, ids=lambda r: "-".join(map(str, r.values())))
def test_against_the_exact_chain(rules, failing, may_drop):
    xp = AMOUNTS[RULES.index(rules) % 3]
    design = arena(xp, (20, 30, 50), rules, failing, may_drop)
    result = rm.simulate(design, players=PLAYERS, seed=11)
    profile = result.profile()
    for index, level in ((1, 2), (3, 4)):
        exact = exact_arrival(design, level)
        sample = profile.main.encounters.values[:, index]
        # 4 sigma of the mean of so many players.
        assert sample.mean() == pytest.approx(exact.mean, abs=4 * exact.deviation / PLAYERS**0.5 + 1e-9)
        extra = failing.get("failure", {}).get("extra_seconds", 0)
        hours = (36 * exact.mean + extra * exact.failures.sum()) / 3600
        spread = profile.main.seconds.values[:, index].std() / 3600
        assert result.arrivals()[:, index].mean() == pytest.approx(hours, abs=4 * spread / PLAYERS**0.5 + 1e-9)
        _quantiles_agree(sample, np.cumsum(exact.chance))


def _quantiles_agree(sample, distribution):
    for q in (0.1, 0.5, 0.9):
        at = int(np.searchsorted(distribution, q))
        for n in (at - 1, at):
            p = distribution[n] if n >= 0 else 0.0
            seen = (sample <= n).mean()
            assert seen == pytest.approx(p, abs=4 * np.sqrt(p * (1 - p) / len(sample)) + 1e-9), (q, n)


@pytest.mark.parametrize("variation", [0.35, 1.6])
def test_times_with_variation_against_their_exact_distribution(variation):
    design = arena({"low": 5, "high": 45}, encounter={"variation": variation})
    exact = exact_arrival(design, 4)
    sample = rm.simulate(design, players=20_000, seed=2).profile().main.seconds.values[:, 3]
    for seconds in np.quantile(sample, [0.02, 0.1, 0.5, 0.9, 0.98]):
        p = exact.time_below(seconds, 36, variation**-2)
        assert (sample <= seconds).mean() == pytest.approx(p, abs=4 * np.sqrt(p * (1 - p) / 20_000))
    deviation = np.sqrt(36**2 * (exact.deviation**2 + exact.mean * variation**2))
    assert sample.mean() == pytest.approx(36 * exact.mean, abs=4 * deviation / 20_000**0.5)


# --- against the ledger ----------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(st.data())
def test_the_kernel_agrees_with_the_ledger_award_by_award(data):
    draw = data.draw
    overflow = {
        "carry": draw(st.sampled_from([1.0, 0.0, 0.35])),
        "whole_xp": draw(st.booleans()),
        "at_cap": draw(st.sampled_from(["discard", "fill", "bank"])),
        "threshold": draw(st.sampled_from(["reached", "exceeded"])),
        "level_ups_per_award": draw(st.sampled_from(["any", "one"])),
    }
    if draw(st.booleans()):
        overflow["carry_limit"] = draw(st.sampled_from([0.0, 0.05, 0.5]))
    changed = rm.demo_design().to_dict()
    changed["tracks"]["warden"].update(
        overflow=overflow, max_level=draw(st.integers(3, 14)), may_drop_levels=draw(st.booleans())
    )
    changed["tracks"]["grafting"]["overflow"] = {"carry": draw(st.sampled_from([1.0, 0.5]))}
    changed["encounter"]["variation"] = draw(st.sampled_from([0, 0.35]))
    changed["encounter"]["failure"] = {
        "extra_seconds": 40,
        "loss": draw(st.sampled_from([0, 0.1, 0.9])),
        "xp_share": draw(st.sampled_from([0, 0.37])),
    }
    changed["awards"] = {
        "least_award": draw(st.sampled_from([0, 2])),
        **draw(
            st.sampled_from(
                [
                    {"rounding": "down"},
                    {"rounding": "nearest"},
                    {"rounding": "up"},
                    {"rounding": "none"},
                    {"rounding": "nearest", "rounding_to": 5},
                    {"rounding": "up", "rounding_to": 3},
                ]
            )
        ),
    }
    changed["multipliers"][1].update(from_day=1, to_day=2, first_minutes_of_day=draw(st.sampled_from([5, 30])))
    del changed["party"], changed["goals"]
    for source in ("shoot_graft", "aphid_cluster"):
        key, most = draw(st.sampled_from(["limit", "limit_per_day", "limit_per_week"])), draw(st.integers(0, 30))
        changed["sources"][source].update({key: most} if most else {})
    pursuit = draw(st.sampled_from([0, 0.4, 3, 40, "best"]))
    for player in changed["players"].values():
        player.update(pursuit=pursuit, skill_xp_worth=draw(st.sampled_from([0, 30])))
    design = rm.Design.from_dict(changed)
    profile, seed = draw(st.sampled_from(list(design.players))), draw(st.integers(0, 2**40))
    played = rm.simulate(design, {profile: 3}, hours=3, seed=seed).profile(profile)
    for number in range(3):
        # The same draws, booked by the ledger: the same encounters on every track; a compiler may fuse a product and
        # a sum, so the last bits of seconds are its own.
        for track, arrived in plain_player(design, profile, number, seed, 3.0).arrived.items():
            here = played.arrivals[track]
            reached = np.isfinite(here.seconds.values[number])
            seconds, encounters = zip(*arrived, strict=True)
            assert here.encounters.values[number][reached].tolist() == list(encounters)
            np.testing.assert_allclose(here.seconds.values[number][reached], seconds, rtol=1e-12)


# --- the same to the bit ---------------------------------------------------------------------------------------


class Backwards(Executor):
    """Runs what it is given in another order: the last first, two at a time."""

    def __init__(self):
        self.waiting: list = []

    def submit(self, fn, /, *args, **kwargs):
        future: Future = Future()
        self.waiting.append((future, fn, args))
        threading.Timer(0.02, self.finish).start()
        return future

    def finish(self):
        while self.waiting:
            future, call, given_args = self.waiting.pop()
            future.set_result(call(*given_args))


def bits(result):
    return [
        part
        for p in result.played.profiles.values()
        for part in (p.main.seconds.values.tobytes(), p.main.encounters.values.tobytes(), p.totals.income.tobytes())
    ]


def test_neighbours_share_the_tables_of_the_middle_one_where_a_rough_answer_will_do():
    design = rm.demo_design()
    exact, rough = (play_until(None, design, 60, 200, 3, keep_players=True, coarse=coarse) for coarse in (False, True))
    middle = np.isin(np.arange(60) % 15, (2, 7, 12))
    for name in design.players:
        one, other = (run.profile(name).main.seconds.values for run in (exact, rough))
        np.testing.assert_array_equal(one[middle], other[middle])
        near = np.nanmedian(other[~middle, 5:], axis=0) / np.nanmedian(one[~middle, 5:], axis=0)
        assert not np.array_equal(one, other, equal_nan=True) and np.nanmax(np.abs(near - 1)) < 0.1
    # Who are all alike have one class, and nothing to share.
    alike = make(sources={"a": {"level": 1, "xp": 7, "seconds": 3}}, players={"p": {}})
    played = [play_until(None, alike, 20, 5, 3, keep_players=True, coarse=coarse) for coarse in (False, True)]
    assert played[0].pace().equals(played[1].pace())


def test_same_bits_on_threads_processes_and_in_any_order():
    design = rm.demo_design()
    sizes = {"newcomer": 2304, "steady": 2500, "adept": 2048 + 3}  # 9 + 10 + 9 chunks
    with ThreadPoolExecutor(1) as one, ThreadPoolExecutor(2) as two, ProcessPoolExecutor(2) as pool:
        results = [
            rm.simulate(design, sizes, 30, 7, executor=executor) for executor in (one, two, pool, Backwards(), None)
        ]
    assert all(bits(result) == bits(results[0]) for result in results)
    fewer = rm.simulate(design, {"steady": 10}, 30, 7)
    assert (
        fewer.profile("steady").main.seconds.values.tobytes()
        == results[0].profile("steady").main.seconds.values[:10].tobytes()
    )
    assert bits(rm.simulate(design, sizes, 30, 8)) != bits(results[0])


def test_parties_are_the_same_wherever_they_are_played(monkeypatch):
    monkeypatch.setattr("ramulus.simulation.parties.AT_ONCE", 4 * 30 * 7)  # Seven parties a batch.
    design, told = rm.demo_design(), []
    with ThreadPoolExecutor(1) as one, ProcessPoolExecutor(2) as pool:
        runs = [
            rm.play_party(design, 30, parties=40, seed=2, executor=executor, progress=told.append)
            for executor in (one, pool, Backwards(), None)
        ]
    logs = [[part.tobytes() for part in run.played.log] for run in runs]
    assert all(log == logs[0] for log in logs)
    ends = [now.players_done for now in told if now.players_done == 40]
    assert len(ends) >= 4 and {now.players for now in told} == {40}


def test_chunks_that_go_far_are_small_to_send_grow_and_leave_nobody_idle():
    design = rm.demo_design()
    stage = make_stage(design, "adept", 200, 10**6)
    job = Job(packed(stage), 7, 0, 0, 300, np.zeros(1, np.int8))
    assert len(pickle.dumps(job)) < 300_000
    near, far = play_chunk(replace(job, stage=stage)), play_chunk(pickle.loads(pickle.dumps(job)))
    assert far.tally.arrival.tobytes() == near.tally.arrival.tobytes() and 0 < far.seconds < 60
    sizes = Sizes(1_000_000, 8, 85)
    grown = []
    for _ in range(6):
        grown.append(sizes.next(1_000_000))
        sizes.learn(grown[-1], 0.3)
    assert grown == [1024, 2048, 4096, 500_000 // 85, 500_000 // 85, 500_000 // 85]
    sizes.learn(grown[-1], 2.0)
    assert sizes.next(10**6) == grown[-1] and sizes.next(77) == 77
    # What is left is shared out, in parts that are worth it.
    few = Sizes(1600, 4, 85)
    few.size = 5000
    assert [few.next(1600), few.next(1600)] == [400, 300]
    with ThreadPoolExecutor(3) as threads:
        assert width_of(threads) == 3
    assert width_of(Backwards()) == os.cpu_count()


def test_same_bits_on_a_dask_cluster():
    distributed = pytest.importorskip("distributed")
    design = rm.demo_design()
    with distributed.Client(n_workers=1, threads_per_worker=2, processes=False, dashboard_address=None) as client:
        assert width_of(client.get_executor()) == 2
        there = rm.simulate(design, 1500, 20, 7, executor=client.get_executor())
    assert bits(there) == bits(rm.simulate(design, 1500, 20, 7))


def test_common_random_numbers_sharpen_a_comparison():
    design = rm.demo_design()
    softer = design.with_values({"constants.first_cost": 66})
    one, other, apart = (
        rm.simulate(d, 800, seed=s).arrivals("steady")[:, -1] for d, s in ((design, 1), (softer, 1), (softer, 2))
    )
    assert np.var(other - one) < 0.5 * np.var(apart - one)


# --- summaries, keeping, reading -------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(st.lists(st.floats(1e-3, 1e10) | st.just(0.0) | st.just(np.nan), min_size=1, max_size=300))
def test_binned_quantiles_are_within_their_error_and_merge(values):
    array = np.array(values)[:, None]
    whole, binned = WholeSample(array), BinnedSample.empty(1)
    half = len(array) // 2
    binned.add(array[half:])
    binned.add(array[:half])
    assert binned.reached().tolist() == whole.reached().tolist()
    for q in (0.01, 0.1, 0.5, 0.9, 1.0):
        np.testing.assert_allclose(quantile(binned, q, len(array)), quantile(whole, q, len(array)), rtol=0.004001)


def test_a_large_run_sums_up_within_the_stated_error(monkeypatch):
    design = rm.demo_design()
    exact = rm.simulate(design, 600, seed=3)
    monkeypatch.setattr(running, "MOST_CELLS_KEPT", 1000)
    summed = rm.simulate(design, 600, seed=3)
    assert exact.keeps_players and not summed.keeps_players
    for column in ("hours_p10", "hours_p50", "hours_p90", "encounters_p50", "hours_in_level_p50"):
        np.testing.assert_allclose(summed.pace()[column], exact.pace()[column], rtol=0.0041)
    np.testing.assert_allclose(summed.population()["hours_p50"], exact.population()["hours_p50"], rtol=0.0041)
    with pytest.raises(rm.RamulusError, match="keep_players"):
        summed.arrivals()


@pytest.mark.parametrize("keep", [True, False])
def test_a_result_comes_back_from_a_file(tmp_path, keep):
    result = rm.simulate(rm.demo_design(), 50, 4, 3, keep_players=keep)
    result.save(tmp_path / "run.npz")
    again = rm.SimulationResult.load(tmp_path / "run.npz")
    for table in ("pace", "income", "waste", "stuck", "population", "time_in_level"):
        assert getattr(again, table)().equals(getattr(result, table)()), table
    (tmp_path / "bad.npz").write_bytes(b"no")
    for name in ("bad.npz", "none.npz"):
        with pytest.raises(rm.DataError, match=name):
            rm.SimulationResult.load(tmp_path / name)


def test_players_who_did_not_arrive_count_as_later_than_all_who_did():
    result = rm.simulate(arena({"one_of": [[0, 0.5], [40, 0.5]]}, (30, 30)), players=1000, hours=0.02 + 1e-9, seed=1)
    # Two encounters fit: level 2 with chance 3/4, level 3 with chance 1/4.
    pace = result.pace(interval=0.99)
    assert pace["reached"].tolist() == pytest.approx([1, 0.75, 0.25], abs=4 * np.sqrt(0.25 * 0.75 / 1000))
    assert pace["hours_p10"].tolist()[:2] == [0, 0.01]
    assert np.isnan(pace["hours_p50"].iloc[2]) and pace["hours_p10"].iloc[2] == 0.02
    assert np.isnan(pace["hours_p90"].iloc[1])
    assert result.reached(2, 0.0101).iloc[0] == pytest.approx(0.5, abs=4 * 0.5 / 1000**0.5)
    assert result.level_at(0.02)["share"].sum() == pytest.approx(1)
    assert (pace["hours_p50_low"][:2] <= pace["hours_p50"][:2]).all()
    stuck = result.stuck()
    assert set(stuck["reason"]) == {"out of time"}
    assert stuck["players"].sum() == 1000 - round(1000 * pace["reached"].iloc[2])


def test_intervals_cover_the_truth_as_often_as_they_say():
    design = arena({"low": 5, "high": 45}, encounter={"variation": 0.5})
    truth = np.quantile(rm.simulate(design, players=60_000, seed=0).arrivals()[:, 3], 0.5)
    hits = 0
    for seed in range(1, 201):
        row = rm.simulate(design, players=101, seed=seed).pace(interval=0.9).iloc[3]
        hits += row["hours_p50_low"] <= truth <= row["hours_p50_high"]
    # Binomial(200, at least 0.9): 4 sigma below is 0.815.
    assert hits / 200 > 0.9 - 4 * np.sqrt(0.09 / 200)


def test_populations_split_by_share():
    design = rm.demo_design()
    assert rm.by_share(design, 1000) == {"newcomer": 400, "steady": 450, "adept": 150}
    assert sum(rm.by_share(design, 7).values()) == 7
    result = rm.simulate(design, rm.by_share(design, 300), seed=1)
    pooled = np.concatenate([result.arrivals(name)[:, 9] for name in design.players])
    # 120, 135 and 45 players stand exactly for their shares, so pooling weighs them alike.
    assert result.population()["hours_p50"].iloc[9] == pytest.approx(np.sort(pooled)[149])


# --- designs that would not end --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("design", "reason"),
    [
        (make(sources={"a": {"level": 1, "xp": 500, "seconds": 9, "to_level": 2}}), "no open source"),
        (make(sources={"a": {"level": 1, "xp": 9, "seconds": 9, "limit": 3}}), "no open source"),
        (make(sources={"a": {"level": 1, "xp": 0, "seconds": 0}}), "too many encounters"),
        (make(sources={"a": {"level": 1, "xp": 1, "seconds": 3600}}), "out of time"),
        (arena(30, encounter={"success": 0}), "out of time"),
        (make({"formula": "1e14"}, sources={"a": {"level": 1, "xp": 1, "seconds": 3600}}), "out of time"),
    ],
)
def test_pathological_designs_end_by_themselves_and_say_why(design, reason):
    result = rm.simulate(design, players=3, hours=100, most_encounters=20_000)
    assert result.stuck()["reason"].unique().tolist() == [reason]
    assert result.stuck()["share"].sum() == 1


def test_a_single_award_from_first_to_last_level():
    result = rm.simulate(make(sources={"a": {"level": 1, "xp": 10**6, "seconds": 36}}), players=2)
    assert result.pace()["hours_p50"].tolist() == [0] + [0.01] * 5
    assert result.waste()["wasted"].sum() == 10**6 - 1500
    zero = rm.simulate(make(sources={"a": {"level": 1, "xp": 100, "seconds": 0}}), players=2)
    assert zero.pace()["hours_p50"].tolist() == [0] * 6


@pytest.mark.parametrize(
    ("arguments", "word"),
    [
        ({"players": 0}, "1 or more"),
        ({"players": {"nobody": 3}}, "no player profile"),
        ({"hours": 0}, "above 0"),
        ({"hours": np.nan}, "finite"),
        ({"players": -5}, "-5"),
        ({"most_encounters": 0}, "most_encounters"),
    ],
)
def test_faulty_sizes(arguments, word):
    with pytest.raises(rm.RamulusError, match=word):
        rm.simulate(rm.demo_design(), **arguments)


def test_large_numbers_are_counted_exactly_or_refused():
    design = make({"formula": "2e9"}, 3, sources={"a": {"level": 1, "xp": 10**9, "seconds": 1}})
    income = rm.simulate(design, players=5000, keep_players=False).income()
    # In millionths, 5,000 players' XP is 2 × 10**19: more than 63 bits.
    assert income["xp"].tolist() == [2e9, 2e9]
    for xp, cost in ((2**52, "1e9"), (1, "1e15")):
        with pytest.raises(rm.DesignError, match="at most"):
            rm.simulate(make({"formula": cost}, sources={"a": {"level": 1, "xp": xp, "seconds": 1}}), players=1)
    with pytest.raises(rm.DesignError, match=r"sources.a.xp: 1e\+300 XP"):
        make(sources={"a": {"level": 1, "xp": 1e300, "seconds": 1}})


def test_too_many_levels_to_play_is_an_error_and_not_a_full_memory():
    with pytest.raises(rm.RamulusError, match="100,000 levels over all tracks; allowed in a simulation: at most 5,000"):
        rm.simulate(make({"formula": "10"}, 100_000, sources={"a": {"level": 1, "xp": 1, "seconds": 1}}), players=2)


def test_an_interrupt_gives_what_is_there():
    def interrupt(state):
        if state.players_done >= 1024:
            raise KeyboardInterrupt

    with pytest.raises(rm.SimulationStopped) as caught:
        rm.simulate(rm.demo_design(), players=20_000, seed=1, progress=interrupt)
    stop = caught.value
    assert 1024 <= stop.done < 60_000
    assert sum(stop.result.players.values()) == stop.done
    full = rm.simulate(rm.demo_design(), players=1024, seed=1)
    assert stop.result.pace().query("player == 'newcomer' and level == 2")["reached"].iloc[0] == 1
    assert full.profile("newcomer").players == 1024


def test_results_show_themselves():
    result = rm.simulate(rm.demo_design(), players=5, hours=1)
    assert "5 newcomer" in repr(result) and "<table" in result._repr_html_()
    assert "<table" in rm.demo_design()._repr_html_()


def test_a_days_border_is_not_forgotten_where_a_failure_takes_a_level_and_wins_it_back():
    design = make(
        {"values": [100, 100, 100]}, 4, {"may_drop_levels": True, "overflow": {"carry": 0}},
        sources={
            "a": {"level": 1, "xp": 50, "limit_per_day": 2, "seconds": 600},
            "b": {"level": 1, "xp": 12, "success": 0, "seconds": 600},
        },
        encounter={"failure": {"xp_share": 1, "loss": 0.1}},
        players={"p": {"pursuit": "best", "hours_per_day": 1}},
    )  # fmt: skip
    assert (rm.simulate(design, 3).arrivals()[0] * 3600).tolist() == [0, 1200, 4800, 8400]


def test_play_goes_on_to_the_caps_that_are_asked_for(tmp_path, cli):
    design = make(
        {"values": [20, 20]}, 3, sources={"graft": {"level": 1, "xp": 10, "seconds": 360, "skill": "grafting", "skill_xp": 1}},
        skills={"grafting": {"max_level": 3, "cost": {"values": [3, 5]}}, "climbing": {"max_level": 2, "cost": {"values": [1]}}},
    )  # fmt: skip
    plain, on = rm.simulate(design, 4), rm.simulate(design, 4, until=["grafting"])
    assert plain.pace("grafting")["hours_p50"].dropna().tolist() == pytest.approx([0, 0.3])
    assert on.pace("grafting")["hours_p50"].tolist() == pytest.approx([0, 0.3, 0.8])
    assert on.pace()["hours_p50"].tolist() == plain.pace()["hours_p50"].tolist() == pytest.approx([0, 0.2, 0.4])
    assert on.stuck().empty and on.played.until == ("grafting",)
    # What the cap throws away of who plays on is none of the waste on the way there.
    assert on.profile().each.earned.tolist() == plain.profile().each.earned.tolist() == [40] * 4
    on.save(tmp_path / "on.npz")
    assert rm.SimulationResult.load(tmp_path / "on.npz").played.until == ("grafting",)
    goal = {"player": "p", "track": "grafting", "level": 3, "hours": 0.8}
    judged = rm.simulate(rm.Design.from_dict({**design.to_dict(), "players": {"p": {}}, "goals": [goal]}), 20).goals()
    assert judged["found"].tolist() == pytest.approx([0.8])
    with pytest.raises(rm.UnknownNameError, match="grafting"):
        rm.simulate(design, 4, until=["graftin"])
    design.save(file := tmp_path / "skills.toml")
    assert "Everyone reached the cap of warden (level 3)." in cli("simulate", file, "--players", 9).out
    assert "Everyone reached the cap of grafting" in cli("simulate", file, "--players", 9, "--track", "grafting").out
    words = cli("simulate", file, "--players", 9, "--track", "climbing").out
    assert "At warden's cap nobody practises climbing any more" in words and "Everyone" not in words


def test_whoever_would_quit_is_said_where_all_are_said_to_arrive(canopy, cli):
    out = cli("simulate", canopy, "--players", 200, "--set", "players.steady.patience_hours_per_level=0.02").out
    assert "Everyone would reach the cap of warden (level 40); " in out and "100% of steady" in out


def test_a_profile_starts_where_it_says_as_if_it_had_levelled_there():
    design = make(
        {"values": [100, 200, 300, 400]}, 5,
        {"points_per_level": 1, "start_points": 2, "may_drop_levels": True},
        sources={"a": {"level": 1, "xp": 50, "seconds": 36}},
        stats={"shear": {"base": 1}}, upgrades={"edge": {"stat": "shear", "add": 1}},
        players={"new": {"spends": ["edge"]}, "old": {"start_level": 3, "start_xp": 60, "start_points": 5, "spends": ["edge"]}},
    )  # fmt: skip
    result = rm.simulate(design, 5)
    assert result.arrivals("old")[0].tolist() == pytest.approx([0, 0, 0, 0.05, 0.13])
    pace = result.pace().query("player == 'old'")
    assert np.isnan(pace["hours_in_level_p50"].iloc[:2]).all() and pace["reached"].tolist() == [1] * 5
    assert pace["encounters_p50"].tolist() == [0, 0, 0, 5, 13]
    assert rm.level_table(design, player="old")["shear"].tolist() == [6, 7, 8, 9, 10]
    assert rm.level_table(design, player="new")["shear"].tolist() == [3, 4, 5, 6, 7]
    for players, found in (
        ({"old": {"start_level": 9}}, "players.old.start_level: level 9 is outside the track; allowed: 1 … 5"),
        ({"old": {"start_level": 2, "start_xp": 200}}, "200 XP would pay for level 2"),
        ({"old": {"start_level": 5, "start_xp": 1}}, "1 XP at the cap"),
    ):
        with pytest.raises(rm.DesignError, match=found.replace(".", "[.]")):
            rm.simulate(rm.Design.from_dict({**design.to_dict(), "players": players}), 2)
    party = {"members": {"a": {"player": "old"}, "b": {"player": "old", "start_level": 1}}}
    run = rm.play_party(rm.Design.from_dict({**design.to_dict(), "party": party}), 3, parties=2)
    assert run.awards()[["level", "xp"]].to_numpy()[:2].tolist() == [[3, 60], [1, 0]]


def test_a_loss_by_level_and_the_shares_it_may_be():
    failure = {"xp_share": 1, "loss": "0.1 if level == 1 else 0.5"}
    design = arena(20, (100, 100), encounter={"success": 0, "failure": failure})
    # 20 XP less a tenth of the cost, then less half of it.
    assert rm.simulate(design, 2, hours=1).pace()["reached"].tolist() == [1, 1, 0]
    assert rm.simulate(design, 2, hours=1).waste()["lost"].iloc[0] == 80
    with pytest.raises(rm.DesignError, match="encounter.failure.loss: a share of 2 at level 1"):
        rm.simulate(design.with_values({"encounter.failure.loss": "2 * level"}), 2)
