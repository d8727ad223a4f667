"""Report -> SARIF 2.1.0, the format in which code hosts take the results of analyses."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from pathlib import PurePath
from typing import Any
from urllib.parse import quote

from zubrel import __version__
from zubrel.base.kinds import KINDS
from zubrel.base.source import Span
from zubrel.narrated.report import MoveLine, Report, Told

SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"
LEVELS = {"error": "error", "warning": "warning", "note": "note"}


def reports_as_sarif(reports: Sequence[Report]) -> str:
    """One run with the findings of all worlds; accepted ones are suppressed, with their reason."""
    run = {
        "tool": {"driver": {"name": "zubrel", "version": __version__, "rules": _rules()}},
        "columnKind": "unicodeCodePoints",
        "results": [_result(r, f) for r in reports for f in r.findings],
    }
    results = {"$schema": SCHEMA, "version": "2.1.0", "runs": [run]}
    return json.dumps(results, indent=2, ensure_ascii=False) + "\n"


def _rules() -> list[dict[str, Any]]:
    return [
        {
            "id": kind.slug,
            "name": kind.title.replace(" ", ""),
            "shortDescription": {"text": kind.title},
            "fullDescription": {"text": kind.about},
            "help": {"text": kind.about},
            "defaultConfiguration": {"level": LEVELS[kind.severity]},
        }
        for kind in KINDS.values()
    ]


def _result(report: Report, finding: Told) -> dict[str, Any]:
    # hosts show this text alone, often without the walk
    text = finding.message[:1].upper() + finding.message[1:] + "."
    if finding.explanation:
        text += "\n" + "\n".join(finding.explanation)
    result: dict[str, Any] = {
        "ruleId": finding.kind,
        "ruleIndex": list(KINDS).index(finding.kind),
        "level": LEVELS[finding.severity],
        "message": {"text": text},
        "locations": [_location(report, finding.span)],
        "partialFingerprints": {"zubrelFinding/v1": _fingerprint(report, finding)},
    }
    # a walk is what the format calls a flow: places in their order, each with a message
    if finding.evidence:
        result["codeFlows"] = [
            {
                "threadFlows": [
                    {
                        "locations": [
                            {
                                "location": {
                                    **_location(report, m.span),
                                    "message": {"text": _words(n, m)},
                                }
                            }
                            for n, m in enumerate(finding.evidence, 1)
                        ]
                    }
                ]
            }
        ]
    if finding.accepted:
        reason = finding.because or "accepted in the world file"
        result["suppressions"] = [{"kind": "inSource", "justification": reason}]
    return result


def _fingerprint(report: Report, finding: Told) -> str:
    """The same for the same finding wherever it stands: the world's file, kind and subject."""
    identity = "\n".join((PurePath(report.path).name, finding.kind, finding.subject))
    return hashlib.sha256(identity.encode("utf-8", "backslashreplace")).hexdigest()[:32]


def _location(report: Report, span: Span | None) -> dict[str, Any]:
    path = span.source.path if span else report.path
    place: dict[str, Any] = {"artifactLocation": {"uri": _uri(path)}}
    if span:
        place["region"] = {
            "startLine": span.line,
            "startColumn": span.column,
            "endColumn": span.column + span.width,
        }
    return {"physicalLocation": place}


def _uri(path: str) -> str:
    """A path as a reference of RFC 3986: everything but plain letters and signs in percents."""
    pure = PurePath(path)
    if pure.is_absolute():
        return pure.as_uri()
    return quote(pure.as_posix(), errors="surrogateescape")


def _words(number: int, move: MoveLine) -> str:
    luck = f" (outcome {move.outcome})" if move.outcome is not None else ""
    return f"{number}. {move.area}: {move.label}{luck}"
