"""`ramulus check`: what is wrong or suspicious, with reasons and ways out."""

from __future__ import annotations

import sys
import textwrap
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import VERDICTS, Closing, closed
from ramulus.cli.console import WIDTH, say
from ramulus.cli.output import in_width, waiting
from ramulus.cli.simulate import run_simulation
from ramulus.errors import DesignError
from ramulus.words.goals import goal_lines

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.checks.finding import Findings
    from ramulus.design import Design
    from ramulus.goals import Judged


ALONE = (".csv", ".parquet")  # Endings of files that hold one table.


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(check, VERDICTS))


def check(
    file: options.File,
    strict: Annotated[bool, typer.Option("--strict", help="Exit 1 on warnings too.")] = False,
    ceiling: Annotated[float, typer.Option("--ceiling", help="Find stacked multipliers above this.")] = 10.0,
    goals: Annotated[
        bool, typer.Option("--goals", help="Play, and judge the goals; exit 1 where one is missed.")
    ] = False,
    players: options.Players = 2000,
    seed: options.Seed = 0,
    recorded: Annotated[
        str | None, typer.Option("--recorded", metavar="LOG", help="Judge the goals on recorded play instead.")
    ] = None,
    *,
    closing: Closing,
) -> None:
    """Say what is wrong or suspicious, why, and what to do about it.

    Exit status: 1 on errors, 0 on warnings and notes alone (--strict: 1 on warnings). With --goals the design is
    played: 1 where a goal is missed, too. With --recorded they are judged on what players did.
    """
    from ramulus.checks import Findings, from_problem
    from ramulus.checks import check as find
    from ramulus.goals import MISSED, judge

    if recorded is not None and not goals:
        raise typer.BadParameter("judges goals; add --goals", param_hint="--recorded")
    try:
        design = closing.load(file)
        with waiting("checking", quiet=closing.quiet):
            findings = find(design, factor_ceiling=ceiling)
    except DesignError as error:
        findings = Findings(from_problem(problem) for problem in error.problems)
    severities = {finding.severity for finding in findings}
    judged = None
    if not goals or recorded is not None:
        closing.asked.clear()  # Nothing is played by them.
    if goals and "error" not in severities:
        design.require("goals", "judging goals")
        judged = (
            judge(run_simulation(design, players, None, seed, closing.quiet))
            if recorded is None
            else _on_log(design, recorded, closing)
        )
    what = "Goals" if recorded is None else "Goals, on this log"
    _show(findings, judged, what, closing, str(file), strict=strict)
    missed = any(one.verdict == MISSED for one in judged or [])
    if "error" in severities or (strict and "warning" in severities) or missed:
        raise typer.Exit(1)


def _on_log(design: Design, recorded: str, closing: Closing) -> list[Judged]:
    """Return the goals that a log can tell, and say what was read of it."""
    from ramulus.cli.logs import Asked
    from ramulus.goals import words_of
    from ramulus.recorded.goals_met import judged_on

    log = Asked(recorded).open(design)
    judged = list(judged_on(design, log))
    told = [one.goal for one in judged]
    untold = [f"{goal.player}: {words_of(goal)}" for goal in design.goals if goal not in told]
    if not closing.quiet:
        said = [f"this log does not tell {words} (fewer than five players, or XP wasted)" for words in untold]
        print("\n".join([*log.said(), *said]), file=sys.stderr)
    return judged


def _for_machines(
    findings: Findings, judged: list[Judged], closing: Closing, file: str, *, strict: bool
) -> None:  # fmt: skip
    """Print or write what was judged as SARIF or JUnit XML."""
    from ramulus import __version__
    from ramulus.words.judged import junit_text, sarif_text, verdicts_of

    verdicts = verdicts_of(findings, judged)
    junit = closing.verdicts == options.VerdictFormat.junit
    text = junit_text(verdicts, file, strict=strict) if junit else sarif_text(verdicts, findings, file, __version__)
    closing.put("check", text)


def _with_goals(table: pd.DataFrame, judged: list[Judged]) -> pd.DataFrame:
    """Return a table of findings with a row a goal."""
    import pandas as pd

    from ramulus.goals import MISSED

    rows = [
        (f"goal-{one.verdict}", "error" if one.verdict == MISSED else "note", f"goals[{index}]", None, str(one), "")
        for index, one in enumerate(judged)
    ]
    return pd.concat([table, pd.DataFrame(rows, columns=table.columns)], ignore_index=True)


def _show(
    findings: Findings, judged: list[Judged] | None, what: str, closing: Closing, file: str, *, strict: bool
) -> None:
    if closing.verdicts:
        _for_machines(findings, judged or [], closing, file, strict=strict)
        return
    if not closing.shows_table:
        from ramulus.goals import table_of

        more = None if judged is None else {"goals": table_of(judged)}
        table = findings.table()
        alone = closing.form is not options.Format.json and (closing.output is None or closing.output.suffix in ALONE)
        if judged and alone:  # Where one table finds room, goals are rows of it.
            table = _with_goals(table, judged)
        closing.printing("check").table(table, {}, more=more)
        return
    for finding in findings:
        place = finding.place or file
        say(f"{finding.severity} {finding.code} at {place}")
        say(textwrap.indent(textwrap.fill(finding.reason, WIDTH - 4), "    "))
        say(textwrap.indent(textwrap.fill(f"→ {finding.way_out}", WIDTH - 4), "    "))
    counts = {word: sum(f.severity == word for f in findings) for word in ("error", "warning", "note")}
    found = ", ".join(f"{count} {word}{'s' if count != 1 else ''}" for word, count in counts.items() if count)
    found += f"{'; ' if found else ''}{len(findings.accepted)} accepted" if findings.accepted else ""
    say(f"{file}: {found or 'nothing to say'}")
    if judged:
        say(in_width("\n".join(goal_lines(judged, what))))
    if not counts["error"] and not closing.quiet and sys.stderr.isatty():
        print(f"next: ramulus simulate {file}", file=sys.stderr)
