"""One tabulation a design: each table is made once, whoever asks, and everybody shows the same numbers."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import ramulus as rm
from conftest import make
from ramulus.rules import awarding, design_tables, profile_tables, track_tables
from ramulus.rules.tabulation import tabulated

MADE = {
    track_tables: ("cost_curve", "points_granted", "overflow_of"),
    design_tables: ("columns_of", "law_of", "make_scene", "stat_curves", "upgrade_ranks"),
    awarding: ("rule_factors",),
    profile_tables: ("timeline",),
}


def test_each_table_is_made_once_whoever_asks(monkeypatch):
    made: Counter = Counter()
    for module, names in MADE.items():
        for name in names:
            real = getattr(module, name)

            def counted(*args, real=real, name=name, **options):
                whose = [a for a in args if isinstance(a, str)] + [id(args[0])]
                whose += [a for a in args if isinstance(a, int)]
                made[(name, *whose, str(sorted(options.items())))] += 1
                return real(*args, **options)

            monkeypatch.setattr(module, name, counted)
    design = rm.demo_design()
    for call in (rm.check, rm.level_table, rm.effort_table, rm.gain_table, lambda d: rm.simulate(d, 2), rm.check):
        call(design)
    rm.explain(design, "stats.shear", 9, player="steady")
    rm.trace(design, [40, 90])
    alone = {key: count for key, count in made.items() if key[0] not in ("timeline", "law_of")}
    assert {key[0] for key in alone} == {name for names in MADE.values() for name in names} - {"timeline", "law_of"}
    # Stats are made for nobody and for each profile, and scenes of encounters and of what they practise, which the key
    # does not tell apart.
    most = {"stat_curves": 9, "make_scene": 2}
    assert {key: count for key, count in alone.items() if count > most.get(key[0], 1)} == {}
    assert sum(count for key, count in made.items() if key[0] == "stat_curves") == 1 + len(design.players)
    assert sum(count for key, count in made.items() if key[0] == "law_of") == len(design.sources)
    # One for as long as is played, one for the days that rules reach.
    assert sum(count for key, count in made.items() if key[0] == "timeline") == 2 * len(design.players)
    assert tabulated(design) is tabulated(design)
    assert tabulated(design.with_values({"constants.steepness": 1.5})) is not tabulated(design)


SOURCES = st.fixed_dictionaries(
    {
        "level": st.integers(1, 9),
        "xp": st.sampled_from([7, "3 * level + source_level", {"low": 2, "high": 9}, {"one_of": [[5, 0.25], [30, 0.75]]}]),
        "seconds": st.sampled_from([12, "60 / level", "20 + source_level"]),
        "success": st.sampled_from([1, 0.6, "clip(0.5 + 0.1 * gap, 0.1, 1)"]),
    },
    optional={"from_level": st.integers(1, 3), "weight": st.sampled_from([0.5, 3])},
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(
    st.lists(SOURCES, min_size=1, max_size=3),
    st.sampled_from([0, 0.3, 1]),
    st.sampled_from(["down", "nearest", "none"]),
    st.sampled_from([1, 0.76, "clip(1 - 0.08 * gap, 0.04, 1)"]),
    st.integers(0, 3),
)
def test_every_view_shows_the_same_number(sources, xp_share, rounding, factor, least):
    named = {f"s{i}": source for i, source in enumerate(sources)}
    named["always"] = {"level": 1, "xp": 11, "seconds": 9}
    design = make(
        {"formula": "30 + 12 * level"}, 9, sources=named, awards={"rounding": rounding, "least_award": least},
        encounter={"failure": {"xp_share": xp_share, "extra_seconds": 4}},
        multipliers=[{"name": "scaled", "factor": factor}],
    )  # fmt: skip
    effort = rm.effort_table(design).set_index(["level", "source"])
    gain = rm.gain_table(design).set_index(["level", "source"])
    np.testing.assert_array_equal(effort["award"], gain["award"])
    costs = rm.level_table(design)["cost"]
    income = rm.simulate(design, 300, seed=1).income()
    for (level, source), row in effort.iterrows():
        for key in ("seconds", "success"):
            if isinstance(named[source].get(key), str):
                assert rm.explain(design, f"sources.{source}.{key}", level, source=source).value == row[key]
        if isinstance(named[source]["xp"], int | str):
            (chain,) = rm.trace_source(design, source, 1, level=level)[1]
            assert chain.award == row["award"]
        met = income[(income["level"] == level) & (income["source"] == source)]
        if len(met) and row["success"] == 1 and isinstance(named[source]["xp"], int | str):
            # Fixed XP and no failures: what was played is the award, exactly.
            assert met["xp"].iloc[0] == pytest.approx(met["successes"].iloc[0] * row["award"])
    for level in range(1, 9):
        assert rm.explain(design, "tracks.warden.cost", level).value == costs[level - 1]
        assert rm.Ledger(design, level=level).cost == costs[level - 1]
