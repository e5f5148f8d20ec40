"""What a result says adds up, and agrees with the tables that effort and gain print."""

from __future__ import annotations

import json
import zipfile

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.samples import BinnedSample, WholeSample, quantile_interval, share_interval

PLAYERS = 3000


@pytest.fixture(scope="module")
def result():
    # No time windows, so that one table of awards holds at every hour; whole horizon short, so that some are stuck.
    return rm.simulate(without_windows(), players=PLAYERS, hours=12, seed=21)


def without_windows(*keys: str) -> rm.Design:
    """The demo, all from day 1 on, without the rules that have one of some keys, those of days by default."""
    data, gone = rm.demo_design().to_dict(), set(keys or ("from_day", "weekdays"))
    del data["players"]["newcomer"]["arrives"]
    data["multipliers"] = [rule for rule in data["multipliers"] if not gone & rule.keys()]
    return rm.Design.from_dict(data)


def test_earned_is_costs_paid_and_xp_and_wasted(result):
    curve = tabulated(result.design).main.curve
    for profile in result.played.profiles.values():
        name = profile.profile
        income, waste = result.income(), result.waste()
        earned = income[income["player"] == name]["xp"].sum() * profile.players
        wasted = waste[waste["player"] == name]["wasted"].sum() * profile.players
        arrivals = np.isfinite(profile.main.seconds.values[:, : len(curve.levels)]).sum(axis=1)
        paid = curve.totals[arrivals - 1].sum()
        left = earned - wasted - paid
        # What is left is progress inside the last level of each player.
        room = np.append(curve.costs, curve.costs[-1])[arrivals - 1].sum()
        assert -1e-6 <= left <= room


def test_successes_and_awards_agree_with_the_effort_table(result):
    effort = rm.effort_table(result.design).set_index(["player", "level", "source"])
    compared = 0
    for row in result.income().itertuples():
        met = row.encounters * PLAYERS
        if met < 300 or row.source == "shoot_graft":
            continue
        said = effort.loc[(row.player, row.level, row.source)]
        p = said["success"]
        assert row.successes / row.encounters == pytest.approx(p, abs=4.5 * np.sqrt(p * (1 - p) / met)), row
        failed = row.encounters - row.successes
        # XP drawn lies within the source's range, so its deviation is at most half of that.
        half_range = {"aphid_cluster": 2, "canker_bloom": 7, "hollow_heart": 25}.get(row.source, 0) + 0.5
        mean = (row.xp - failed * 0.1 * said["award"]) / max(row.successes, 1e-9)
        assert mean == pytest.approx(
            said["award"], abs=4.5 * half_range / np.sqrt(met) + failed / row.successes + 0.01
        ), row
        compared += 1
    assert compared > 100


def test_what_is_met_agrees_with_the_chances(result):
    effort = rm.effort_table(result.design)
    income = result.income()
    checked = 0
    for (_, level), rows in income.groupby(["player", "level"]):
        player = rows["player"].iloc[0]
        # Where neither limits nor skill levels change what is met.
        if level < 15:
            continue
        met = rows.set_index("source")["encounters"] * PLAYERS
        said = effort[(effort["player"] == player) & (effort["level"] == level)].set_index("source")["chance"]
        if met.sum() < 500 or "shoot_graft" in said.index or level <= 16:
            continue
        for source, chance in said.items():
            share = met.get(source, 0) / met.sum()
            assert share == pytest.approx(chance, abs=4.5 * np.sqrt(chance * (1 - chance) / met.sum()) + 1e-9)
            checked += 1
    assert checked > 30


def test_shares_of_levels_and_of_endings_add_up(result):
    at_end = result.level_at(12)
    assert at_end.groupby("player")["share"].sum().tolist() == pytest.approx([1, 1, 1])
    stuck = result.stuck()
    pace = result.pace()
    for name in result.players:
        out_of_time = stuck.query("player == @name")["share"].sum()
        reached = pace.query("player == @name and level == 40")["reached"].iloc[0]
        assert out_of_time + reached == pytest.approx(1)
        for hours in (0.0, 1.5, 12.0):
            shares = result.level_at(hours).query("player == @name").set_index("level")["share"]
            above = shares.loc[11:].sum()
            assert above == pytest.approx(result.reached(11, hours)[name])
    with pytest.raises(rm.RamulusError, match="outside the track"):
        result.reached(99, 1)


def test_time_in_level_is_between_arrivals(result):
    table = result.time_in_level()
    arrivals = result.arrivals("adept")
    for level in (2, 10, 20):
        spent = arrivals[:, level] - arrivals[:, level - 1]
        spent = np.sort(spent[np.isfinite(arrivals[:, level - 1])])
        row = table.query("player == 'adept' and level == @level").iloc[0]
        rank = int(np.ceil(0.5 * len(spent))) - 1
        assert row["hours_p50"] == pytest.approx(spent[rank])
        assert row["players"] == np.isfinite(arrivals[:, level - 1]).sum()
    assert np.isnan(table.query("player == 'adept' and level == 40")["hours_p50"].iloc[0])


def test_population_lies_between_its_kinds(result):
    mixed = result.population().set_index("level")
    pace = result.pace()
    for level in (5, 15, 20):
        kinds = pace[pace["level"] == level]["hours_p50"]
        assert kinds.min() <= mixed.loc[level, "hours_p50"] <= kinds.max()
    assert (np.diff(mixed["reached"]) <= 1e-12).all()


def test_skill_tracks_have_a_pace_of_their_own(result):
    pace = result.pace("grafting")
    assert pace["level"].max() == 15
    assert pace.query("level == 1")["hours_p50"].tolist() == [0, 0, 0]
    assert pace.query("level == 2")["reached"].min() > 0.5
    with pytest.raises(rm.UnknownNameError, match="did you mean 'grafting'"):
        result.pace("graftin")
    with pytest.raises(rm.UnknownNameError, match="did you mean 'steady'"):
        result.arrivals("steadi")


def test_a_limit_is_kept_and_skills_change_what_follows():
    design = make(
        {"formula": "1000"},
        3,
        sources={
            "errand": {"level": 1, "xp": 100, "seconds": 10, "limit": 3, "success": 0.5},
            "rest": {"level": 1, "xp": 1, "seconds": 10},
        },
    )
    income = rm.simulate(design, players=500, seed=4).income()
    errands = income.query("source == 'errand'")
    assert errands["successes"].sum() == pytest.approx(3)
    assert errands["encounters"].sum() == pytest.approx(6, abs=4 * np.sqrt(6 / 500))


def test_losses_are_told_and_dropping_levels_keeps_first_arrivals():
    design = make(
        {"values": [20, 30, 50]},
        4,
        {"may_drop_levels": True},
        sources={"a": {"level": 1, "xp": 13, "seconds": 36}},
        encounter={"success": 0.7, "failure": {"loss": 0.6}},
    )
    result = rm.simulate(design, players=400, hours=5, seed=4)
    assert result.waste()["lost"].sum() > 0
    for row in result.arrivals():
        known = row[np.isfinite(row)]
        assert (np.diff(known) >= 0).all()


def test_timed_multipliers_speed_up_their_days_only():
    design = without_windows("weekdays")
    plain = rm.simulate(without_windows(), {"newcomer": 400}, 200, seed=9).arrivals("newcomer")
    timed = rm.simulate(design, {"newcomer": 400}, 200, seed=9).arrivals("newcomer")
    # Day 15 is play day 8 of 0.8 h: until then nothing differs, to the bit.
    before = (plain < 8 * 0.8) & (timed < 8 * 0.8)
    assert before.any()
    np.testing.assert_array_equal(plain[before], timed[before])
    assert (timed[:, -1] <= plain[:, -1] + 1e-9).mean() > 0.95


def test_more_players_narrow_the_interval():
    design = rm.demo_design()
    widths = []
    for players in (100, 1600):
        row = rm.simulate(design, {"steady": players}, seed=2).pace(interval=0.95).query("level == 20").iloc[0]
        assert row["hours_p50_low"] <= row["hours_p50"] <= row["hours_p50_high"]
        widths.append(row["hours_p50_high"] - row["hours_p50_low"])
    # Sixteen times the players: a quarter of the width, give or take.
    assert widths[1] < 0.5 * widths[0]


# --- what a run cannot know ------------------------------------------------------------------------------------


def test_the_horizon_never_makes_a_level_look_short():
    design = rm.demo_design()
    long, short = (rm.simulate(design, {"newcomer": 3000}, hours=h, seed=5) for h in (100, 14))
    whole, cut = (r.pace().set_index("level")["hours_in_level_p50"] for r in (long, short))
    ended = short.played.profiles["newcomer"].cut_off["warden"]
    known = cut.notna()
    assert known[:20].all()
    assert not known[33:].any()
    # A tenth of the players at most is missing from a level that is shown: its median is off by little.
    assert (cut[known] <= whole[known] * 1.001).all()
    assert (cut[known] >= whole[known] * 0.9).all()
    assert short.cut_off_from() == {"newcomer": int((ended > 0.1 * 3000).argmax()) + 1}
    assert long.cut_off_from() == {}
    hidden = ended > 0.1 * 3000
    assert not known[hidden[: len(known)]].any()
    for q in (10, 50, 90):
        assert long.time_in_level()[f"hours_p{q}"].notna().sum() == len(whole) - 1


def test_players_who_are_stuck_count_as_longest_but_are_not_cut_off():
    # The errand is all there is at level 2: three successes, then nobody can go on, whatever the horizon.
    design = make(
        {"formula": "100"},
        sources={
            "patch": {"level": 1, "xp": 100, "seconds": 60, "to_level": 1},
            "errand": {"level": 1, "xp": 10, "seconds": 60, "from_level": 2, "limit": 3},
        },
    )
    result = rm.simulate(design, 50, hours=10)
    table = result.pace().set_index("level")
    assert result.profile().cut_off["warden"].tolist() == [0] * 6
    assert table.loc[1, "hours_in_level_p50"] == pytest.approx(1 / 60)
    assert np.isnan(table.loc[2, "hours_in_level_p50"])
    assert result.stuck()[["reason", "level", "share"]].to_numpy().tolist() == [["no open source", 2, 1.0]]


def test_beyond_the_horizon_is_an_error_not_an_answer(result):
    assert result.reached(10, hours=12).max() <= 1
    for ask in (lambda h: result.reached(10, hours=h), lambda h: result.level_at(h)):
        for hours in (12.001, -1, float("nan")):
            with pytest.raises(rm.RamulusError, match=r"allowed: 0 … 12 h, as far as was played"):
                ask(hours)


# --- days, shares, intervals -----------------------------------------------------------------------------------


@pytest.mark.parametrize("hours_per_day", [4.1, 1.13, 2.01, 0.8, 24])
def test_an_arrival_at_a_days_end_is_on_the_next_day(hours_per_day):
    # One encounter a level, as long as the day: level n is reached at the end of play day n - 1.
    seconds = round(hours_per_day * 3600)
    design = make(
        {"formula": "10"},
        60,
        sources={"patch": {"level": 1, "xp": 10, "seconds": seconds}},
        players={"p": {"hours_per_day": hours_per_day, "days_per_week": 7}},
    )
    pace = rm.simulate(design, 3, hours=2000).pace(interval=0.95)
    for column in ("days_p50", "days_p50_low"):
        assert pace[column].dropna().tolist() == pace["level"][: pace[column].notna().sum()].tolist()
    assert pace["days_p50"].tolist() == list(range(1, 61))


@given(st.lists(st.integers(0, 99), min_size=1, max_size=6).filter(any), st.integers(1, 300))
def test_a_population_is_split_to_the_last_player(shares, players):
    design = make(players={f"p{i}": {"share": share} for i, share in enumerate(shares)})
    wanted = sum(share > 0 for share in shares)
    if players < wanted:
        with pytest.raises(rm.RamulusError, match=f"at least {wanted}"):
            rm.by_share(design, players)
        return
    counts = list(rm.by_share(design, players).values())
    assert sum(counts) == players
    assert [count > 0 for count in counts] == [share > 0 for share in shares]
    if min(share for share in shares if share) * players >= sum(shares):
        exact = [players * share / sum(shares) for share in shares]
        assert all(abs(count - part) < 1 for count, part in zip(counts, exact, strict=True))


@given(
    st.lists(st.floats(0, 1e6) | st.just(float("nan")), min_size=1, max_size=300),
    st.sampled_from([0.1, 0.5, 0.9]),
    st.sampled_from([0.5, 0.95]),
)
def test_intervals_of_bins_hold_those_of_every_player(values, share, confidence):
    column = np.array(values)[:, None]
    binned = BinnedSample.empty(1)
    binned.add(column)
    (low,), (high,) = quantile_interval(WholeSample(column), share, len(values), confidence)
    (wide_low,), (wide_high,) = quantile_interval(binned, share, len(values), confidence)
    for whole, ends, sign in ((low, wide_low, 1), (high, wide_high, -1)):
        assert np.isnan(whole) == np.isnan(ends)
        assert np.isnan(whole) or (whole - ends) * sign >= -1e-9 * abs(whole)
        assert np.isnan(whole) or abs(whole - ends) <= 0.0081 * abs(whole) + 0.001


def test_intervals_cover_the_truth_as_often_as_they_say():
    # Sixty samples of a coin that falls on one side three times in ten.
    counts = np.random.default_rng(3).binomial(80, 0.3, 2000)
    low, high = share_interval(counts, 80)
    assert 0.95 <= ((low <= 0.3) & (high >= 0.3)).mean() <= 0.985
    low, high = share_interval(np.array([0, 9]), 9)
    assert low.tolist() == pytest.approx([0, 0.6637], abs=1e-4)
    assert high.tolist() == pytest.approx([0.3363, 1], abs=1e-4)


def test_days_are_those_of_the_players_own_weeks(result):
    days, pace = result.days(), result.pace()
    assert days["days_p50"].equals(pace["days_p50"])
    known = days.dropna()
    assert len(known) > 60
    assert ((known["days_p10"] <= known["days_p50"]) & (known["days_p50"] <= known["days_p90"])).all()
    binned = rm.simulate(result.design, PLAYERS, hours=12, seed=21, keep_players=False).days()
    both = binned["days_p50"].notna()
    assert both.equals(days["days_p50"].notna())
    # Days up to 125 lie in bins of their own; a bin is within 0.4 %.
    assert (binned["days_p50"][both] == days["days_p50"][both]).all()
    idle = rm.simulate(make(sources={"a": {"level": 1, "xp": 50, "seconds": 9}}), 5)
    assert idle.days()["days_p50"].isna().all() and idle.pace()["days_p50"].isna().all()


def test_every_number_of_the_pace_has_its_interval(result):
    table = result.pace(interval=0.95)
    numbers = ["reached", "hours_p10", "hours_p50", "hours_p90", "encounters_p50", "days_p50", "hours_in_level_p50"]
    for name in numbers:
        known = table[[name, f"{name}_low", f"{name}_high"]].dropna()
        assert len(known) > 60, name
        assert (known[f"{name}_low"] <= known[name] + 1e-12).all(), name
        assert (known[name] <= known[f"{name}_high"] + 1e-12).all(), name
    binned = rm.simulate(result.design, 500, hours=12, seed=21, keep_players=False).pace(interval=0.95)
    whole = rm.simulate(result.design, 500, hours=12, seed=21).pace(interval=0.95)
    assert (binned["hours_p50_low"] <= whole["hours_p50_low"] + 1e-12).sum() == binned["hours_p50_low"].notna().sum()


# --- saved results ---------------------------------------------------------------------------------------------


def test_a_saved_result_says_the_same_and_a_damaged_one_says_so(tmp_path):
    file = tmp_path / "run.npz"
    for keep in (True, False):
        run = rm.simulate(rm.demo_design(), 20, hours=30, keep_players=keep)
        run.save(file)
        again = rm.SimulationResult.load(file)
        for table in ("pace", "waste", "stuck", "time_in_level", "income"):
            assert getattr(again, table)().equals(getattr(run, table)()), table
    whole = file.read_bytes()
    with zipfile.ZipFile(tmp_path / "other.npz", "w") as archive:
        archive.writestr("about.npy", whole[:100])
    for damaged in (tmp_path / "other.npz", tmp_path, tmp_path / "none.npz"):
        with pytest.raises(rm.DataError):
            rm.SimulationResult.load(damaged)


@pytest.mark.parametrize(
    "change",
    [
        lambda arrays, about: arrays.pop("0.ended"),
        lambda arrays, about: arrays.update({"0.0.seconds.values": arrays["0.0.seconds.values"][:, :-1]}),
        lambda arrays, about: arrays.update({"0.ended": arrays["0.ended"] - 9}),
        lambda arrays, about: arrays.update({"0.ended": arrays["0.ended"].astype(str)}),
        lambda arrays, about: arrays.update({"0.totals.met": arrays["0.totals.won"][:, 0]}),
        lambda arrays, about: about.update(hours="many"),
        lambda arrays, about: about.update(seed=-1),
        lambda arrays, about: about.update(players={"nobody": 20}),
        lambda arrays, about: about.update(players={}),
        lambda arrays, about: about.pop("design"),
        lambda arrays, about: about.update(format=2),
    ],
)
def test_a_saved_result_that_does_not_fit_is_refused(tmp_path, change):
    file, _ = _saved_otherwise(tmp_path, change)
    with pytest.raises(rm.DataError, match="run.npz: (not a saved simulation result|saved in format)"):
        rm.SimulationResult.load(file)


def test_a_result_that_was_saved_before_there_were_leaps_is_read(tmp_path):
    def as_before(arrays, about):
        about.update(format=7)
        for name in [name for name in arrays if name.endswith("leapt")]:
            del arrays[name]

    file, run = _saved_otherwise(tmp_path, as_before)
    again = rm.SimulationResult.load(file)
    assert again.pace().equals(run.pace()) and not again.profile().totals.leapt.any()


def _saved_otherwise(tmp_path, change):
    """A small run, and the file of it with something else in it."""
    file, run = tmp_path / "run.npz", rm.simulate(rm.demo_design(), 20, hours=30)
    run.save(file)
    with np.load(file) as held:
        arrays = {name: held[name] for name in held.files}
    about = json.loads(str(arrays.pop("about")))
    change(arrays, about)
    np.savez(file, about=np.array(json.dumps(about)), **arrays)
    return file, run


def test_a_columns_type_does_not_hang_on_its_values(cli, canopy):
    result = rm.simulate(rm.demo_design(), 5)
    short = rm.simulate(rm.demo_design(), 5, hours=1)
    assert (result.stuck().dtypes == short.stuck().dtypes).all() and not len(result.stuck())
    none = make({"formula": "10"}, 3, sources={"a": {"level": 1, "xp": 10, "seconds": 60}}, players={"p": {}})
    assert (rm.simulate(none, 5).quits().dtypes == result.quits().dtypes).all()
    lines = cli("simulate", canopy, "--players", 5, "--format", "csv").out.splitlines()
    head = lines[0].split(",")
    for name, whole in (("reached", False), ("hours_p50", False), ("level", True), ("encounters_p50", True)):
        cells = [line.split(",")[head.index(name)] for line in lines[1:]]
        assert all(("." in cell) != whole for cell in cells if cell), name


def test_levels_lost_are_counted_with_what_it_takes_to_win_them_back(cli, tmp_path):
    # Every second encounter of ten minutes fails, and takes the level that the one before has won.
    design = make(
        {"values": [30, 30]}, 3, {"may_drop_levels": True}, players={"p": {}},
        sources={"a": {"level": 1, "xp": 30, "seconds": 600, "success": 0.5}},
        encounter={"failure": {"loss": 1}},
    )  # fmt: skip
    result = rm.simulate(design, 4000, hours=500)
    waste = result.waste().set_index("level")
    # At level 2 half fail and stand at level 1 again: levels lost a player, q, is 1/2 + 1/2 (after winning it back) q.
    assert waste.loc[2, "levels_lost"] == pytest.approx(1, abs=4 * 2**0.5 / 4000**0.5)
    # Each lost level takes two encounters in the mean to win back, 20 min.
    assert waste.loc[1, "hours_regaining"] == pytest.approx(waste.loc[2, "levels_lost"] / 3, rel=0.1)
    design.save(tmp_path / "losing.toml")
    assert "levels lost to failures a player, and" in cli("simulate", tmp_path / "losing.toml", "--players", 100).out


def test_days_stand_beside_hours(cli, canopy):
    out = cli("simulate", canopy, "--players", 60).out
    assert "p50 (p10–p90), day" in out
    compared = cli("compare", canopy, "--variant", "crown_gate=0", "--players", 60).out
    assert (
        "p50 (difference), day" in compared
        and " min (same), 1" in compared
        and all(name in compared for name in ("newcomer", "steady", "adept"))
    )
