"""Verdicts for repositories: findings that are accepted, goals in every format, and formats that machines read."""

from __future__ import annotations

import json
from xml.etree import ElementTree

import pytest

import ramulus as rm
from conftest import make

ACCEPT = {"code": "cost-wall", "place": "tracks.warden.cost", "why": "the gate is meant to be one"}
GATE = {"formula": "100 * 1.1 ** level * (3 if level == 9 else 1)"}


@pytest.fixture
def file(tmp_path):
    def write(**parts):
        design = make(GATE, 20, **parts)
        design.save(tmp_path / "gate.toml")
        return tmp_path / "gate.toml"

    return write


def test_what_is_accepted_is_no_finding_any_more_and_what_is_gone_is_said(cli, file):
    assert cli("check", file(), "--strict").status == 1
    ran = cli("check", file(accept=[ACCEPT]), "--strict")
    assert ran.status == 0 and "1 accepted" in ran.out and "cost-wall" not in ran.out
    gone = cli("check", file(accept=[ACCEPT, {**ACCEPT, "code": "cost-falls"}]), "--strict")
    assert gone.status == 0 and "accepted-gone at accept[1]" in gone.out
    findings = rm.check(make(GATE, 20, accept=[ACCEPT]))
    assert list(findings) == [] and findings.accepted[0][1] == ACCEPT["why"]
    with pytest.raises(rm.DesignError, match=r"accept\[0\].why"):
        make(GATE, accept=[{"code": "x", "place": "y"}])


def test_an_error_cannot_be_accepted_away(cli, file):
    path = file(sources={"a": {"level": 1, "xp": 5, "seconds": "9 - level"}})
    code = cli("check", path, "--format", "records")
    (error,) = [row for row in json.loads(code.out) if row["severity"] == "error"]
    accepted = file(
        sources={"a": {"level": 1, "xp": 5, "seconds": "9 - level"}},
        accept=[{"code": error["code"], "place": error["place"], "why": "never mind"}],
    )
    assert cli("check", accepted).status == 1


def test_findings_that_differ_only_in_whose_they_are_stand_in_one_row():
    sources = {"a": {"level": 1, "xp": "100 - 2 * level", "seconds": 30}}
    players = {name: {} for name in ("new", "old", "slow")}
    slow = {**players, "slow": {"seconds_between": 30}}
    (equal,), apart = (
        [f for f in rm.check(make(None, 20, sources=sources, players=who)) if f.code == "income-slides"]
        for who in (players, slow)
    )
    assert equal.reason.startswith("new, old, slow: income slides from") and equal.players == ("new", "old", "slow")
    assert [(one.reason.partition(":")[0], one.players) for one in apart] == [
        ("new, old", ("new", "old")), ("slow", ("slow",)),
    ]  # fmt: skip


def test_goals_stand_in_every_format(cli, canopy, tmp_path):
    words = ("check", canopy, "--goals", "--players", 60)
    assert "goal-m" in cli(*words, "--format", "csv").out
    assert any(row["code"].startswith("goal-") for row in json.loads(cli(*words, "--format", "records").out))
    assert len(json.loads(cli(*words, "--format", "json").out)["goals"]) == 4
    cli(*words, "--output", tmp_path / "found.csv")
    assert "goals[3]" in (tmp_path / "found.csv").read_text()


def test_sarif_and_junit_say_the_same(cli, file, tmp_path):
    goal = [{"player": "p", "level": 20, "hours": 0.001}]
    parts = {"players": {"p": {}}, "sources": {"a": {"level": 1, "xp": 50, "seconds": 30}}, "goals": goal}
    path = file(accept=[ACCEPT], **parts)
    ran = cli("check", path, "--goals", "--players", 30, "--format", "sarif")
    run = json.loads(ran.out)["runs"][0]
    by_rule = {result["ruleId"]: result for result in run["results"]}
    assert ran.status == 1 and by_rule["goal-missed"]["level"] == "error"
    assert by_rule["cost-wall"]["suppressions"] == [{"kind": "inSource", "justification": ACCEPT["why"]}]
    place = by_rule["cost-wall"]["locations"][0]
    assert place["logicalLocations"] == [{"fullyQualifiedName": "tracks.warden.cost"}]
    assert place["physicalLocation"]["artifactLocation"]["uri"].endswith("gate.toml")
    assert {rule["id"] for rule in run["tool"]["driver"]["rules"]} == set(by_rule)
    cli("check", path, "--goals", "--players", 30, "--format", "junit", "--output", tmp_path / "found.xml")
    suite = ElementTree.parse(tmp_path / "found.xml").getroot()
    failed = [case.get("classname") for case in suite if case.find("failure") is not None]
    assert failed == ["goal-missed"] and suite.get("failures") == "1"
    strict = ElementTree.fromstring(cli("check", file(), "--strict", "--format", "junit").out)
    assert strict.get("failures") == str(len(rm.check(make(GATE, 20))))
    assert cli("levels", path, "--format", "sarif").status == 2 and "sarif" not in cli("levels", "--help").out


def test_nothing_to_say_is_a_test_that_passes(cli, tmp_path):
    make().save(tmp_path / "plain.toml")
    suite = ElementTree.fromstring(cli("check", tmp_path / "plain.toml", "--format", "junit").out)
    assert (suite.get("tests"), suite.get("failures")) == ("1", "0")
