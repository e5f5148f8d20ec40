"""Verdicts for machines: SARIF and JUnit XML, as code hosts and test reports read them."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple
from xml.etree import ElementTree

if TYPE_CHECKING:
    from ramulus.checks import Findings
    from ramulus.goals import Judged

SARIF_SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"
_LEVELS = {"met": "none", "missed": "error", "open": "note"}


class Verdict(NamedTuple):
    """One thing that was judged: a finding, or a goal. `level` is error, warning, note or none."""

    code: str
    level: str
    place: str
    text: str


def verdicts_of(findings: Findings, judged: Sequence[Judged]) -> list[Verdict]:
    """Return findings and goals as verdicts."""
    found = [Verdict(f.code, f.severity, f.place, f"{f.reason} → {f.way_out}") for f in findings]
    goals = [
        Verdict(f"goal-{one.verdict}", _LEVELS[one.verdict], f"goals[{index}]", f"{one.goal.player}: {one}")
        for index, one in enumerate(judged)
    ]
    return [*found, *goals]


def sarif_text(verdicts: Sequence[Verdict], findings: Findings, file: str, version: str) -> str:
    """Return verdicts as SARIF 2.1.0; accepted findings are suppressed results."""
    results = [_result(verdict, file) for verdict in verdicts]
    for finding, why in findings.accepted:
        one = Verdict(finding.code, finding.severity, finding.place, f"{finding.reason} → {finding.way_out}")
        results.append({**_result(one, file), "suppressions": [{"kind": "inSource", "justification": why}]})
    rules = [{"id": code} for code in dict.fromkeys(str(result["ruleId"]) for result in results)]
    driver = {"name": "ramulus", "version": version, "rules": rules}
    log = {"$schema": SARIF_SCHEMA, "version": "2.1.0", "runs": [{"tool": {"driver": driver}, "results": results}]}
    return json.dumps(log, indent=2, ensure_ascii=False)


def _result(verdict: Verdict, file: str) -> dict[str, object]:
    place = {"physicalLocation": {"artifactLocation": {"uri": file}}}
    logical = {"logicalLocations": [{"fullyQualifiedName": verdict.place}]} if verdict.place else {}
    return {
        "ruleId": verdict.code, "level": verdict.level, "message": {"text": verdict.text},
        "locations": [{**place, **logical}],
    }  # fmt: skip


def junit_text(verdicts: Sequence[Verdict], file: str, *, strict: bool) -> str:
    """Return verdicts as JUnit XML, a test case each; errors fail, and warnings where they are to."""
    failing = ("error", "warning") if strict else ("error",)
    cases = verdicts or [Verdict("check", "none", "", "nothing to say")]
    suite = ElementTree.Element(
        "testsuite", name=f"ramulus {file}", tests=str(len(cases)),
        failures=str(sum(one.level in failing for one in cases)),
    )  # fmt: skip
    for one in cases:
        case = ElementTree.SubElement(suite, "testcase", classname=one.code, name=one.place or file)
        if one.level in failing:
            ElementTree.SubElement(case, "failure", message=one.text, type=one.level).text = one.text
        elif one.level != "none":
            ElementTree.SubElement(case, "system-out").text = f"{one.level}: {one.text}"
    ElementTree.indent(suite)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(suite, encoding="unicode")
