"""Games that are wrong, in every way that is known and in some that are not: found, named rightly or not at all."""

import json
import random
import re
import sys
import time
from dataclasses import asdict
from pathlib import Path

import pytest

import ramulus as rm
from conftest import make
from game_runs import LANGUAGES, build, game_design
from ramulus.errors import DataError
from ramulus.game.asking import GameProcess
from ramulus.game.conforming import _Examination, conform
from ramulus.game.idle import idle_mistakes
from ramulus.game.levels_json import levels_of
from ramulus.game.mistaken import AWARD, LOSE, OPEN, RELOAD, Game
from ramulus.game.mistakes import MISTAKES, OF_ENCOUNTERS
from ramulus.game.packing import pack_of
from ramulus.game.requests import Answer, Heard, Request, difference
from ramulus.game.told import sentences
from ramulus.game.vectors import mistakes_of, vectors_of

HERE = Path(__file__).parent
DEMO = rm.demo_design()
# Losses take levels, half of an excess is kept, an award raises one level.
SECOND = rm.Design.from_dict({
    "format": 1, "title": "Canopy, hard", "tracks": {"warden": {
        "max_level": 8, "cost": {"formula": "40 * level + 3"}, "may_drop_levels": True, "points_per_level": 2,
        "overflow": {"carry": 0.5, "level_ups_per_award": "one"}}},
})  # fmt: skip
# Nobody leaves level 3 or 5 before a gate opens: at the one XP is kept, at the other it fills the bar.
GATED = rm.Design.from_dict({
    "format": 1, "title": "Canopy, gated", "tracks": {"warden": {"max_level": 8, "cost": {"formula": "40 * level + 3"}}},
    "sources": {"seed_errand": {"level": 1, "xp": 30}}, "gates": [
        {"at_level": level, "successes": {"seed_errand": 2}, "meanwhile": way} for level, way in ((3, "keep"), (5, "fill"))],
})  # fmt: skip


class Asked:
    """A game that is asked without a process."""

    def __init__(self, mistakes=(), made=Game, keys=("level", "xp", "points")):
        self.mistakes, self.made, self.keys, self.heard, self.runs = mistakes, made, keys, Heard(), 0

    def ask(self, request):
        self.runs += 1
        if request.encounter is not None:
            raise DataError("knows no encounters")
        states = self.made(request.track, self.mistakes).does([(kind, max(units, 0)) for kind, units in request.steps])
        events = [[["level_up", 0]] * state.level_ups for state in states]
        told = [{**state._asdict(), "events": some} for state, some in zip(states, events, strict=True)]
        return Answer(request.number, tuple({key: one[key] for key in self.keys} for one in told))


def examined(design, game, budget=20.0):
    return _Examination(design, budget).of_process(game, lambda: game)


def random_runs(track, seed, count=30):
    dice = random.Random(seed)
    for _ in range(count):
        steps = [
            (dice.choice([AWARD, AWARD, AWARD, LOSE, RELOAD]),
             max(dice.choice([dice.choice(track.costs) + dice.randint(-1, 1), dice.randint(0, 3 * max(track.costs)), 1]), 0))
            for _ in range(30)
        ]  # fmt: skip
        for gate in track.gates:
            steps.insert(dice.randint(0, 30), (OPEN, gate.at_level))
        yield steps


# --- the rule with mistakes in it -----------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(8))
def test_without_mistakes_it_is_the_ledger(seed):
    design = game_design(seed)
    for track in pack_of(design).tracks:
        for steps in random_runs(track, seed, 10):
            ledger, game = rm.Ledger(design, track.name), Game(track)
            for kind, units in steps:
                xp = units // track.scale if units % track.scale == 0 else units / track.scale
                if kind == OPEN:
                    ledger.open_gate(units)
                elif kind != RELOAD:
                    (ledger.award if kind == AWARD else ledger.lose)(xp)
                state = game.does([(kind, units)])[-1]
                account = ledger.account
                assert (state.level, state.xp, state.wasted) == (ledger.level, account.xp, account.wasted)
                assert state.points == pytest.approx(float(ledger.points), abs=1e-9)


@pytest.mark.parametrize("seed", range(20))
def test_what_is_said_to_change_nothing_changes_nothing(seed):
    for track in pack_of(game_design(seed)).tracks:
        for code in idle_mistakes(track):
            for steps in random_runs(track, seed):
                right, wrong = Game(track).does(steps), Game(track, [code]).does(steps)
                assert [state[:4] for state in right] == [state[:4] for state in wrong], code


@pytest.mark.parametrize("design", [DEMO, SECOND, *map(game_design, range(6))], ids=lambda design: design.title)
def test_vectors_catch_every_mistake_that_shows(design):
    files = rm.game.exported(design).files
    said = json.loads(files["vectors.json"])
    for track in pack_of(design).tracks:
        for key, level_only in (("runs", False), ("level_only", True)):
            part = said["tracks"][track.name][key]
            told = {code for run in part["runs"] for codes in run["catches"].values() for code in codes}
            assert told | set(part["not_told"]) == set(mistakes_of(track)) and not told & set(part["not_told"])
            assert part["steps"] == sum(len(run["do"]) for run in part["runs"])
            for run in part["runs"]:
                steps = [next(iter(step.items())) for step in run["do"]]
                right = Game(track).does(steps)
                assert [(s["level"], s["xp"], s["level_ups"]) for s in run["states"]] == [
                    (s.level, s.xp, s.level_ups) for s in right
                ]
                for step, codes in run["catches"].items():
                    for code in codes:  # At the step that says so, the game with the mistake is elsewhere.
                        wrong = Game(track, [code]).does(steps)[int(step)]
                        assert wrong.level != right[int(step)].level or not level_only
                        assert wrong[:4] != right[int(step)][:4]
    steps = {name: said["tracks"][name]["runs"]["steps"] for name in design.tracks}
    assert sum(steps.values()) <= (300 if design.gates else 200), steps


# --- naming ---------------------------------------------------------------------------------------------------------


def same(track, one, two):
    return all(
        [s[:3] for s in Game(track, one).does(steps)] == [s[:3] for s in Game(track, two).does(steps)]
        for steps in random_runs(track, 7, 60)
    )


@pytest.mark.parametrize("design", [DEMO, SECOND, GATED], ids=["demo", "second", "gated"])
def test_every_mistake_is_named(design):
    track = pack_of(design).tracks[0]
    for code in MISTAKES:
        told = vectors_of(track).untold
        if code in told or code == "level-up-at-start":
            continue
        found = examined(design, Asked([code]))
        assert found.difference is not None and found.difference.request.track == track, code
        assert found.explanation is not None and same(track, found.explanation.mistakes, [code]), (
            code,
            found.explanation,
        )
        assert any("way out" in line for line in sentences(found))


def test_two_mistakes_are_named_rightly_or_not_at_all():
    named = 0
    for seed in range(10):
        design = [DEMO, SECOND][seed % 2]
        track = pack_of(design).tracks[0]
        told = [code for code in MISTAKES if code not in vectors_of(track).untold and code != "level-up-at-start"]
        codes = random.Random(seed).sample(told, 2)
        found = examined(design, Asked(codes))
        assert found.difference is not None
        if found.explanation is not None and not found.explanation.costs:
            assert same(track, found.explanation.mistakes, codes), (codes, found.explanation)
            named += 1
    assert named >= 7


def test_games_that_tell_less_are_judged_by_what_they_tell():
    found = examined(SECOND, Asked(["half-kept", "one-level-an-award"], keys=("level",)))
    assert found.conforms and "XP and points not told, so not judged" in next(sentences(found))
    found = examined(DEMO, Asked(["half-kept"], keys=("level",)))
    assert found.explanation.mistakes == ("half-kept",)
    found = examined(DEMO, Asked(["level-up-at-start"], keys=("level", "events")))
    assert found.difference.step == 0 and found.explanation.mistakes == ("level-up-at-start",)


def test_costs_are_read_off_the_game():
    other = rm.demo_design().with_values({"constants.steepness": 1.5})
    theirs = {track.name: track for track in pack_of(other).tracks}

    class Other(Game):
        def __init__(self, track, mistakes):
            super().__init__(theirs[track.name], mistakes)

    found = examined(DEMO, Asked(made=Other))
    mine, wrong = (rm.level_table(one)["cost"].tolist()[:-1] for one in (DEMO, other))
    right = [(level, int(b), int(a)) for level, (a, b) in enumerate(zip(mine, wrong, strict=True), 1) if a != b]
    assert list(found.explanation.costs) == right and found.explanation.further
    assert "costs" in " ".join(sentences(found))


class Generous(Game):
    """Every third award counts twice."""

    awards = 0

    def award(self, units):
        self.awards += 1
        super().award(2 * units if self.awards % 3 == 0 else units)


class Forgetful(Game):
    """XP is gone at level 3."""

    def award(self, units):
        super().award(units)
        self.xp = 0 if self.level == 2 else self.xp


class Stingy(Game):
    """Awards above 1,000 are cut there."""

    def award(self, units):
        super().award(min(units, 1000))


class Even(Game):
    """Odd awards are rounded down to even ones."""

    def award(self, units):
        super().award(units - units % 2)


class Lucky(Game):
    """A loss is given back as an award."""

    def lose(self, units):
        super().award(units)


@pytest.mark.parametrize("made", [Generous, Forgetful, Stingy, Even, Lucky])
@pytest.mark.parametrize("design", [DEMO, SECOND], ids=["demo", "second"])
def test_a_mistake_in_no_list_is_found_and_not_named(made, design):
    found = examined(design, Asked(made=made))
    assert found.difference is not None and found.explanation is None
    assert "none of the mistakes that are known" in " ".join(sentences(found))


def test_a_difference_is_shown_on_a_short_run():
    found = examined(DEMO, Asked(["excess-dropped"]))
    assert len(found.difference.request.steps) == 1
    assert re.match(
        r"your game differs from the design: after \d+ on warden your game is at level 2 with 0 XP",
        next(sentences(found)),
    )


# --- processes ------------------------------------------------------------------------------------------------------


def wrong_game(tmp_path, design):
    tracks = tmp_path / "tracks.json"
    tracks.write_text(json.dumps([asdict(track) for track in pack_of(design).tracks]))
    return [sys.executable, str(HERE / "wrong_game.py"), str(tracks)]


def test_a_process_is_asked_named_and_ended(tmp_path, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    Path("d.json").write_text(json.dumps(SECOND.to_dict()))
    command = wrong_game(tmp_path, SECOND)
    fine = cli("conform", "d.json", "--", *command)
    assert fine.status == 0 and "does what the design says" in fine.out
    wrong = cli("conform", "d.json", "--", *command, "excess-dropped")
    assert wrong.status == 1 and "(excess dropped); 12 further runs agree" in wrong.out
    report = cli("conform", "d.json", "--format", "junit", "--", *command, "losses-ignored")
    assert report.status == 1 and 'failures="1"' in report.out and "losses ignored" in report.out


def test_requests_are_answered_elsewhere(tmp_path, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    Path("d.json").write_text(json.dumps(SECOND.to_dict()))
    assert cli("conform", "d.json", "--requests", "r.jsonl").status == 0
    for mistakes, status, word in (([], 0, "does what"), (["losses-ignored"], 1, "losses ignored")):
        answers = []
        for line in Path("r.jsonl").read_text().splitlines():
            asked = json.loads(line)
            assert line == json.dumps(asked, separators=(",", ":")) and list(asked) == ["id", "track", "do"]
            states = Game(pack_of(SECOND).tracks[0], mistakes).does([next(iter(s.items())) for s in asked["do"]])
            answers.append(json.dumps({"id": asked["id"], "states": [{"level": s.level, "xp": s.xp} for s in states]}))
        Path("a.jsonl").write_bytes(("loading…\r\n" + "\r\n".join(answers)).encode("utf-8-sig"))
        done = cli("conform", "d.json", "--recorded", "a.jsonl")
        assert done.status == status and word in done.out and "1 lines were no answers" in done.out
    for content, said in (
        (b"\xff\xfe{\0", "UTF-16"),
        (b"{}", "one state more than steps"),
        (b"hello\n", "none of the answers"),
    ):
        Path("a.jsonl").write_bytes(content)
        done = cli("conform", "d.json", "--recorded", "a.jsonl")
        assert done.status == 1 and said in done.err
    assert cli("conform", "d.json", "--recorded", "none.jsonl").status == 1
    assert cli("conform", "d.json").status == 2


ANSWER = "import sys, json, time\nfor line in sys.stdin:\n    r = json.loads(line)\n    "
STATES = "json.dumps({'id': r['id'], 'states': [{'level': 1}] * (len(r['do']) + 1)})"


@pytest.mark.parametrize(
    ("program", "said"),
    [
        ("import sys; sys.exit(3)", "ended with status 3 before it had answered"),
        ("import os; os.abort()", "ended with signal 6"),
        ("import time; time.sleep(60)", "gave no answer to run 0 within 0.5 s; does it flush"),
        ("import sys\nsys.stdin.read()", "does it flush its output"),
        (ANSWER + f"r['id'] += 1; print({STATES}, flush=True)", "answers out of turn"),
        (
            ANSWER + f"sys.stdout.buffer.write({STATES}.encode('utf-16')); sys.stdout.flush(); time.sleep(9)",
            "UTF-16|within",
        ),
        (ANSWER + f"sys.stdout.buffer.write(({STATES} + chr(10)).encode('utf-16')); sys.stdout.flush()", "UTF-16"),
        (ANSWER + "print('{\"id\": 1', flush=True)", "an answer that is none"),
        (
            ANSWER + "print(json.dumps({'id': r['id'], 'states': [{'level': 1}]}), flush=True)",
            "the fresh character first",
        ),
        ("print('booting', flush=True); raise SystemExit(1)", "its last lines: booting"),
    ],
)
def test_processes_that_are_no_game(program, said, monkeypatch):
    monkeypatch.setattr("ramulus.game.asking.CLOSING", 0.5)  # s; until one that does not end is ended.
    started = time.monotonic()
    with pytest.raises(DataError, match=said):
        conform(SECOND, [sys.executable, "-c", program], start_timeout=0.5 if "sleep(60)" in program else 3, timeout=3)
    assert time.monotonic() - started < 30


def test_what_a_game_said_is_told_when_its_end_is_felt_first():
    """Who asks a game that has ended finds its input closed, whatever of its output was read by then."""
    with GameProcess([sys.executable, "-c", "print('booting', flush=True); raise SystemExit(1)"]) as game:
        game._process.wait()
        with pytest.raises(DataError, match="ended with status 1 before it had answered; its last lines: booting"):
            game.ask(Request(0, pack_of(SECOND).tracks[0], ((AWARD, 1),)))


def test_a_game_that_remembers_chatters_and_takes_less_than_nothing():
    keeps = (
        "import sys, json\nfrom ramulus.game.mistaken import Game\nfrom ramulus.game.pack import TrackPack\n"
        f"track = TrackPack(**{asdict(pack_of(SECOND).tracks[0])!r})\nruns = 0\n"
        "for line in sys.stdin:\n    r = json.loads(line); runs += 1; print('frame', runs)\n"
        "    game = Game(track); game.xp = 5 if runs > 3 else 0\n"
        "    states = game.does([next(iter(s.items())) for s in r['do']])\n"
        "    print(json.dumps({'id': r['id'], 'states': [{'level': s.level, 'xp': s.xp} for s in states]}), flush=True)\n"
    )
    told = " ".join(sentences(conform(SECOND, [sys.executable, "-c", keeps])))
    assert "remembers something from the run before" in told and "lines were no answers" in told and "frame 1" in told
    below = keeps.replace("5 if runs > 3 else 0", "0")
    found = conform(SECOND, [sys.executable, "-c", below])
    assert found.takes_negative and not found.conforms and "below 0" in " ".join(sentences(found))
    with pytest.raises(DataError, match="cannot be started"):
        conform(SECOND, ["/no/such/game"])


def test_what_a_game_cannot_do_and_another_design_are_said():
    class Partly(Asked):
        def ask(self, request):
            if any(kind == RELOAD for kind, _ in request.steps):
                return Answer(request.number, (), "reload")
            answer = super().ask(request)
            return Answer(answer.number, answer.states, "", "0123456789abcdef")

    told = list(sentences(examined(SECOND, Partly())))
    assert any("not judged: reload" in line for line in told)
    name = levels_of(SECOND, pack_of(SECOND), "")["design"]
    assert any(f"another design: 0123456789abcdef, and this is {name}" in line for line in told)


@pytest.mark.parametrize("start", [{}, {"start_xp": 7}, {"overflow": {"threshold": "exceeded"}}])
def test_costs_are_read_off_wherever_a_track_begins(start):
    mine, theirs = (make({"values": costs}, 5, start) for costs in ([20, 35, 50, 70], [20, 30, 50, 71]))
    wrong = pack_of(theirs).tracks[0]

    class Other(Game):
        def __init__(self, track, mistakes):
            super().__init__(wrong, mistakes)

    found = examined(mine, Asked(made=Other))
    assert found.explanation.costs == ((2, 30, 35), (4, 71, 70)) and not found.explanation.mistakes


def test_no_verdict_without_evidence(tmp_path, cli, monkeypatch):
    """A game that tells no level, or answers a part of what was asked, does not conform."""
    with pytest.raises(DataError, match='no state tells a "level"'):
        examined(SECOND, Asked(keys=()))
    monkeypatch.chdir(tmp_path)
    Path("d.json").write_text(json.dumps(SECOND.to_dict()))
    cli("conform", "d.json", "--requests", "r.jsonl")
    asked = [json.loads(line) for line in Path("r.jsonl").read_text().splitlines()][:3]
    states = [Game(pack_of(SECOND).tracks[0]).does([next(iter(s.items())) for s in one["do"]]) for one in asked]
    lines = [json.dumps({"id": one["id"], "states": [{"level": s.level} for s in some]})
             for one, some in zip(asked, states, strict=True)]  # fmt: skip
    Path("a.jsonl").write_text("\n".join(lines))
    done = cli("conform", "d.json", "--recorded", "a.jsonl")
    assert done.status == 1 and "runs have no answer" in done.out and "nothing differs in what was answered" in done.out
    for odd in ('"events": 3', '"events": ["level_up"]', '"xp": "7"', '"xp": 1e999', '"points": null'):
        Path("a.jsonl").write_text(lines[0].replace('"level": 1}', f'"level": 1, {odd}}}', 1))
        assert cli("conform", "d.json", "--recorded", "a.jsonl").status == 1
    Path("a.jsonl").write_text('{"id":' * 100_000)
    assert "an answer that is none" in cli("conform", "d.json", "--recorded", "a.jsonl").err


def test_a_game_that_dies_when_asked_on_is_told_what_differed():
    class Dies(Asked):
        def ask(self, request):
            if request.number >= 1_000_000:
                raise DataError("your game ended with status 3")
            return super().ask(request)

    said = " ".join(sentences(examined(DEMO, Dies(made=Stingy))))
    assert "differs from the design" in said and "asked on, it came to an end: your game ended with status 3" in said


def test_an_exported_harness_conforms(tmp_path):
    for seed in (1, 3, 5, 7):  # Stats that are told in the second and the last.
        design = game_design(seed)
        rm.export(design, tmp_path / str(seed), ["python"])
        found = rm.conform(design, [sys.executable, str(tmp_path / str(seed) / "harness.py")])
        assert found.conforms and found.judged_awards == 60, list(sentences(found))


REACHES = {
    "python": ("leveling.py", "self.xp >= table.threshold(self.level)"), "javascript": ("leveling.mjs", "this.xp >= threshold("),
    "lua": ("leveling.lua", "self.xp >= threshold("), "cpp": ("leveling.hpp", "xp >= own.threshold("),
    "csharp": ("Leveling.cs", "Xp >= Own.Threshold("),
}  # fmt: skip


@LANGUAGES
def test_a_wrong_game_in_each_language_is_told_what_it_does(tmp_path, language):
    file, right = REACHES[language]
    rm.export(DEMO, tmp_path, [language], name="canopy")
    text = (tmp_path / file).read_text(encoding="utf-8")
    assert right in text
    (tmp_path / file).write_text(text.replace(right, right.replace(">=", ">")), encoding="utf-8")
    command = ["sh", "-c", f"cd '{tmp_path}' && exec {' '.join(build(tmp_path, language))}"]
    found = rm.conform(DEMO, command)
    assert found.explanation.mistakes == ("above-for-reached",) and found.explanation.further == 12


def test_an_award_of_one_more_is_found():
    design = DEMO

    class Pays(Asked):
        def ask(self, request):
            if request.encounter is None:
                return super().ask(request)
            right = {one.request.number: one for one in self.known}[request.number]
            states = Game(request.track).does(request.steps)
            return Answer(
                request.number,
                ({"level": states[0].level}, {"level": states[-1].level, "award": right.award + self.more}),
            )

    for code in OF_ENCOUNTERS:

        class Mistaken(Pays):
            def ask(self, request, code=code):
                known = {one.request.number: one for one in self.known}
                paid = known[request.number].mistaken[code] if request.number in known else 0
                return (
                    Asked.ask(self, request)
                    if request.encounter is None
                    else Answer(request.number, ({}, {"award": paid}))
                )

        game = Mistaken()
        examination = _Examination(design, 20.0)
        game.known = examination.encounters
        found = examination.of_process(game, lambda game=game: game)
        assert found.awards_mistake == code and not found.conforms, code
        assert next(sentences(found)).startswith("levels and XP are what the design says, and not all else is")
    for more, words in ((0, "60 encounters award what"), (1, "of 60 encounters award something else")):
        game = Pays()
        examination = _Examination(design, 20.0)
        game.known, game.more = examination.encounters, more
        found = examination.of_process(game, lambda game=game: game)
        assert any(words in line for line in sentences(found)) and found.conforms == (more == 0)
        assert difference(examination.requests[0], game.ask(examination.requests[0])) is None
