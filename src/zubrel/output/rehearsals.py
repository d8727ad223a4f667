"""Rehearsals -> text, JSON, JUnit XML."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from zubrel.narrated.words import counted
from zubrel.played.rehearse import Failure, Rehearsal


def rehearsals_as_text(rehearsals: Sequence[Rehearsal], quiet: bool = False) -> str:
    """A line for each script, what went wrong below it, and a closing line; `quiet`: of failures
    the place only, and nothing of what went well."""
    lines = []
    for rehearsal in rehearsals:
        size = (
            f"{counted(rehearsal.moves, 'move')}, {counted(rehearsal.expectations, 'expectation')}"
        )
        if rehearsal.failure is None:
            # what went well is told all the same: a script that was not found would look like it
            lines += [] if quiet else [f"as expected  {rehearsal.path}  ({size})"]
            continue
        lines.append(f"FAILED       {rehearsal.path}  (after {size})")
        mentioned = failure_lines(rehearsal.failure)
        lines += [f"  {line}" for line in (mentioned[:1] if quiet else mentioned)]
    # the closing line stays also where nothing else is said: silence could mean that nothing ran
    failed = sum(r.failure is not None for r in rehearsals)
    lines.append(
        f"{counted(len(rehearsals), 'script')}: {len(rehearsals) - failed} as expected, "
        f"{failed} failed"
    )
    return "\n".join(lines) + "\n"


def failure_lines(failure: Failure) -> list[str]:
    """Where it went wrong, what was expected and what was so."""
    span = failure.span
    return [
        f"{span.place}  {span.source.line(span.line).strip()}",
        f"expected: {failure.expected}",
        f"found:    {failure.actual}",
        f"held:     {', '.join(failure.held) or 'nothing'}",
        f"possible: {', '.join(failure.possible) or 'nothing at all'}",
    ]


def rehearsals_as_json(rehearsals: Sequence[Rehearsal]) -> str:
    document = [
        {
            "script": r.path,
            "moves": r.moves,
            "expectations": r.expectations,
            "failure": r.failure
            and {
                "line": r.failure.span.line,
                "column": r.failure.span.column,
                "expected": r.failure.expected,
                "found": r.failure.actual,
                "held": list(r.failure.held),
                "possible": list(r.failure.possible),
            },
        }
        for r in rehearsals
    ]
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def rehearsals_as_junit(world: str, rehearsals: Sequence[Rehearsal]) -> str:
    """JUnit XML: one suite for the world, one case for each script."""
    from junitparser import Failure as JUnitFailure
    from junitparser import JUnitXml, TestCase, TestSuite

    suite = TestSuite(world)
    for rehearsal in rehearsals:
        # a script is a case, so that a dashboard shows which of them failed
        case = TestCase(rehearsal.path, world)
        if rehearsal.failure is not None:
            failure = JUnitFailure(rehearsal.failure.expected, "expectation")
            failure.text = "\n".join(failure_lines(rehearsal.failure))
            case.result = [failure]
        suite.add_testcase(case)
    report = JUnitXml()
    report.add_testsuite(suite)
    text: Any = report.tostring()  # type: ignore[no-untyped-call]
    return (text.decode("utf-8") if isinstance(text, bytes) else str(text)) + "\n"
