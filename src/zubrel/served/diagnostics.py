"""Mistakes and findings -> diagnostics of the Language Server Protocol, each in its file."""

from __future__ import annotations

from collections.abc import Iterator

from lsprotocol import types as lsp

from zubrel.base.diagnostics import Diagnostic
from zubrel.base.source import Span
from zubrel.narrated.report import MoveLine, Report, Told
from zubrel.output.heads import soon_of
from zubrel.served.layout import TextLayout
from zubrel.served.worlds import Desk, OpenWorld

SOURCE = "zubrel"
DOCS = "https://zubrel.example.org/docs"
SEVERITIES = {
    "error": lsp.DiagnosticSeverity.Error,
    "warning": lsp.DiagnosticSeverity.Warning,
    "note": lsp.DiagnosticSeverity.Information,
}
MOST_RELATED = 60
"""Moves of a walk that are told as related places, the last ones; the page has all of them."""
Diagnostics = dict[str, list[lsp.Diagnostic]]
"""By the paths of files."""


def diagnostics_of(world: OpenWorld) -> Diagnostics:
    """Everything that there is to say of a world now; every file of it is there, if only empty."""
    told = _Telling(world.desk, {path: [] for path in sorted(world.paths)}, world.main)
    for mistake in world.mistakes:
        told.mistake(mistake)
    if world.more:
        told.add(None, lsp.DiagnosticSeverity.Error, f"and {world.more:,} more mistakes", "more")
    if world.told is not None and not world.mistakes:
        report = world.told.report
        for finding in report.findings:
            told.finding(finding)
        told.undecided(report)
    return told.diagnostics


class _Telling:
    def __init__(self, desk: Desk, diagnostics: Diagnostics, main: str) -> None:
        self.desk = desk
        self.diagnostics = diagnostics
        self.main = main
        self.layouts: dict[str, TextLayout | None] = {}

    def add(
        self,
        span: Span | None,
        severity: lsp.DiagnosticSeverity,
        message: str,
        code: str,
        page: str = "",
        related: list[lsp.DiagnosticRelatedInformation] | None = None,
        data: dict[str, object] | None = None,
    ) -> None:
        # what has no place is told at the top of the main file
        path = span.source.path if span is not None else self.main
        self.diagnostics.setdefault(path, []).append(
            lsp.Diagnostic(
                self._range(span),
                message,
                severity,
                code,
                lsp.CodeDescription(f"{DOCS}/{page}") if page else None,
                SOURCE,
                None,
                related or None,
                data,
            )
        )

    def mistake(self, mistake: Diagnostic) -> None:
        message = mistake.message
        if mistake.alike:
            message += f"\nand {mistake.alike:,} more like this"
        if mistake.hint:
            message += f"\n{mistake.hint}"
        related = [r for words, span in mistake.also for r in self._related(words, span)]
        error = lsp.DiagnosticSeverity.Error
        self.add(mistake.span, error, message, mistake.code, f"errors.md#{mistake.code}", related)

    def finding(self, finding: Told) -> None:
        severity = lsp.DiagnosticSeverity.Hint if finding.accepted else SEVERITIES[finding.severity]
        related = list(self._walk(finding.evidence))
        identity: dict[str, object] = {"kind": finding.kind, "subject": finding.subject}
        page = f"findings.md#{finding.kind}"
        words = message_of(finding)
        self.add(finding.span, severity, words, finding.kind, page, related, identity)

    def undecided(self, report: Report) -> None:
        """What was left out is said: where a limit came first, and what was not decided."""
        if report.stopped is not None:
            words = f"the search stopped at {report.stopped}: there may be more findings"
            self.add(None, lsp.DiagnosticSeverity.Information, words, "incomplete")
        elif report.undecided:
            several = len(report.undecided)
            first = ", ".join(f"{kind} {subject}" for kind, subject in report.undecided[:5])
            words = f"undecided: {first}{', …' if several > 5 else ''} ({several:,} in all)"
            self.add(None, lsp.DiagnosticSeverity.Information, words, "undecided")

    def _walk(self, moves: tuple[MoveLine, ...]) -> Iterator[lsp.DiagnosticRelatedInformation]:
        """Each move at its line."""
        for number, move in list(enumerate(moves, 1))[-MOST_RELATED:]:
            luck = f" (outcome {move.outcome})" if move.outcome is not None else ""
            changes = f": {', '.join(move.changes)}" if move.changes else ""
            yield from self._related(f"{number}. {move.label}{luck}{changes}", move.span)

    def _related(self, words: str, span: Span) -> Iterator[lsp.DiagnosticRelatedInformation]:
        uri = self.desk.uri(span.source.path)
        yield lsp.DiagnosticRelatedInformation(lsp.Location(uri, self._range(span)), words)

    def _range(self, span: Span | None) -> lsp.Range:
        layout = self._layout(span.source.path) if span is not None else None
        if span is None or layout is None:
            return lsp.Range(lsp.Position(0, 0), lsp.Position(0, 0))
        return layout.of_span(span)

    def _layout(self, path: str) -> TextLayout | None:
        if path not in self.layouts:
            self.layouts[path] = self.desk.layout(path)
        return self.layouts[path]


def message_of(finding: Told) -> str:
    """A finding in words: what it is, why, how often aimless plays run into it."""
    soon = soon_of(finding)
    lines = [f"{finding.message} ({soon})" if soon else finding.message, *finding.explanation]
    if finding.accepted:
        lines.append(f"accepted: {finding.because}" if finding.because else "accepted")
    return "\n".join(lines)
