"""Report -> Markdown, for a comment under a change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zubrel.base.plain import one_line
from zubrel.narrated.report import MoveLine, Report
from zubrel.narrated.words import length
from zubrel.output.entries import Key, ReportEntry, cause_of, entries, followers_of, follows
from zubrel.output.extent import extent, safe_moves, undecided
from zubrel.output.heads import soon_of, with_deal

VERDICTS = {
    "solvable": "From every situation of every play a win can still be reached.",
    "softlocks": "It can be won, but some moves can make that impossible.",
    "unwinnable": "No play whatever comes to a good ending.",
    "incomplete": "The search was cut short: what is told is certain, and not all that there is.",
}


def reports_as_markdown(reports: Sequence[Report]) -> str:
    """Each report under a heading; evidence and accepted findings fold away."""
    return "\n".join(line for report in reports for line in _report(report)) + "\n"


def _report(report: Report) -> list[str]:
    lines = [
        f"## {plain_markdown(report.title)}: {report.verdict}",
        "",
        f"{VERDICTS[report.verdict]} `{code_markdown(report.path)}`, {extent(report)}.",
    ]
    lines += [f"{line}." for line in safe_moves(report)]
    lines += [f"Not decided: {line}." for line in undecided(report)]
    if report.shortest_win:
        win = report.shortest_win
        words = length(len(win.moves), win.shortest)
        lines.append(f"Shortest win: {words} to {plain_markdown(win.name + with_deal(win.deal))}.")
    lines.append("")
    open_findings = [f for f in report.findings if not f.accepted]
    followers = followers_of(open_findings)
    for entry in entries(open_findings):
        lines += _entry(entry, followers)
    # folded away: a reviewer wants to see what is open
    accepted = [f for f in report.findings if f.accepted]
    if accepted:
        lines += ["<details><summary>" + f"{len(accepted)} accepted</summary>", ""]
        lines += [
            f"- {f.kind} `{code_markdown(f.subject)}`: {plain_markdown(f.because or '')}"
            for f in accepted
        ]
        lines += ["", "</details>", ""]
    return lines


def _entry(entry: ReportEntry, followers: Mapping[Key, Sequence[str]]) -> list[str]:
    """Findings that go the same way, told as one; the reason and the moves fold away."""
    finding = entry.leading
    place = f" `{code_markdown(finding.span.place)}`" if finding.span else ""
    soon = soon_of(finding)
    soon = f", {soon}" if soon else ""
    many = f" and {len(entry.others)} more" if entry.others else ""
    lines = [
        f"- **{finding.severity}** {finding.kind} `{code_markdown(finding.subject)}`{many}{place}"
        f"{soon}: {plain_markdown(cause_of(finding))}"
    ]
    lines += [f"  {plain_markdown(words)}" for words in follows(entry, followers)]
    if finding.explanation or finding.evidence:
        lines += ["", "  <details><summary>why, and how to see it</summary>", ""]
        # the indentation of a reason is its depth, and Markdown has lists for that
        for line in finding.explanation:
            indent = (len(line) - len(line.lstrip())) // 2
            lines.append(f"  {'  ' * indent}- {plain_markdown(line.strip())}")
        if finding.deal:
            lines += ["", f"  {plain_markdown('For example' + with_deal(finding.deal))}."]
        lines += ["", *_walk(finding.evidence), "", "  </details>", ""]
    return lines


def _walk(moves: Sequence[MoveLine]) -> list[str]:
    return [
        f"  {number}. {plain_markdown(move.area)}: {plain_markdown(move.label)}"
        + (f" (outcome {move.outcome})" if move.outcome is not None else "")
        for number, move in enumerate(moves, 1)
    ]


def plain_markdown(text: str) -> str:
    """Text of a world that must not turn into markup."""
    text = one_line(text).replace("&", "&amp;").replace("<", "&lt;")
    for char in "\\`*_[]|#":
        text = text.replace(char, f"\\{char}")
    return text


def code_markdown(text: str) -> str:
    """What stands between back quotes."""
    return one_line(text).replace("`", "'")
