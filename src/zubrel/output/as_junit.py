"""Report -> JUnit XML: a suite for each world, a case for each finding, or one that passes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from junitparser import Error, Failure, JUnitXml, Skipped, TestCase, TestSuite

from zubrel.base.kinds import GRAVITY
from zubrel.base.plain import plain
from zubrel.narrated.report import Report, Told


def reports_as_junit(reports: Sequence[Report], fail_on: str) -> str:
    """Findings below `fail_on`, and accepted ones, are skipped cases with their message."""
    document = JUnitXml()
    for report in reports:
        path = plain(report.path)
        suite = TestSuite(path)
        verdict = TestCase("verdict", path)
        # a search that was cut is an error of the run, and no failure of the world
        if not report.complete:
            verdict.result = [Error(f"the search stopped at {report.stopped}", "incomplete")]
        suite.add_testcase(verdict)
        for finding in report.findings:
            suite.add_testcase(_case(report, finding, fail_on))
        document.add_testsuite(suite)
    # bytes or text, depending on the version of the library
    text: Any = document.tostring()  # type: ignore[no-untyped-call]
    return (text.decode("utf-8") if isinstance(text, bytes) else str(text)) + "\n"


def _case(report: Report, finding: Told, fail_on: str) -> TestCase:
    case = TestCase(f"{finding.kind} {finding.subject}", plain(report.path))
    if finding.accepted or GRAVITY[finding.severity] < GRAVITY[fail_on]:
        case.result = [Skipped(plain(finding.because or finding.message))]
        return case
    failure = Failure(plain(finding.message), finding.kind)
    place = [finding.span.place] if finding.span else []
    walk = [f"{n}. {m.area}: {m.label}" for n, m in enumerate(finding.evidence, 1)]
    failure.text = plain("\n".join([*place, *finding.explanation, *walk]))
    case.result = [failure]
    return case
