"""Report -> text for a terminal, whole: every finding with its reason and its moves."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from zubrel.narrated.report import MoveLine, ProgressChain, Report, Told
from zubrel.narrated.words import counted, listed, moment, sentence
from zubrel.output.extent import undecided
from zubrel.output.heads import (
    QUIET,
    STYLES,
    numbers_of,
    share_of,
    tally_of,
    title_of,
    verdict_of,
    with_deal,
)
from zubrel.output.walks import closing_words, indented, walk_table


def write_report(report: Report, console: Console) -> None:
    """The whole report, nothing folded."""
    console.print(title_of(report))
    console.print(verdict_of(report))
    for line in numbers_of(report):
        console.print(indented(Text(line, QUIET), 2))
    open_findings = [f for f in report.findings if not f.accepted]
    if open_findings:
        console.print()
        console.print(Text(tally_of(open_findings), "bold"))
    for finding in open_findings:
        console.print()
        write_finding(finding, console)
    _write_accepted([f for f in report.findings if f.accepted], console)
    write_undecided(report, console)
    if report.progress is not None:
        _write_progress(report.progress, console)


def write_finding(finding: Told, console: Console) -> None:
    """A finding with its reason, and the moves that show it."""
    console.print(headline(finding))
    console.print(indented(Text(sentence(finding.message)), 2))
    _write_showing(finding, console)


def _write_accepted(accepted: Sequence[Told], console: Console) -> None:
    """Accepted findings, folded: the kind, the subject and the reason of each."""
    if accepted:
        console.print()
        console.print(Text(f"{len(accepted)} accepted", "bold"))
    for finding in accepted:
        because = f": {finding.because}" if finding.because else ""
        line = Text(f"{finding.kind} {finding.subject}{because}", QUIET)
        console.print(indented(line, 2))


def write_undecided(report: Report, console: Console) -> None:
    """What was not proved, where there is any."""
    lines = list(undecided(report))
    if lines:
        console.print()
        console.print(Text("Not decided", "bold magenta"))
    for line in lines:
        console.print(indented(Text(line, QUIET), 2))


def _write_progress(progress: ProgressChain, console: Console) -> None:
    """Must-haves in the order in which they can first be had, and what closes before the end."""
    if progress.must_haves:
        console.print()
        console.print(Text("In every win", "bold"))
        table = _table("move", "", "must-have", "", "right after")
        for must in progress.must_haves:
            others = [name for _, name in must.merged_with if not name.startswith("“")]
            name = must.name + f" (with {listed(others)})" * bool(others)
            after = ", ".join(must.after)
            table.add_row(
                moment(must.first).removeprefix("move "),
                must.section,
                Text(name),
                Text(must.id, QUIET),
                after,
            )
        console.print(indented(table, 2))
    # a find that opens and closes with its item would say the same twice
    items = {(w.first, w.closed_by) for w in progress.windows if w.section != "find"}
    closing = [
        w
        for w in progress.windows
        if w.first is not None
        and w.closed_by
        and (w.section != "find" or (w.first, w.closed_by) not in items)
    ]
    console.print()
    console.print(Text("Windows", "bold"))
    if closing:
        table = _table("from move", "", "can be had", "may be closed by")
        for window in closing:
            closers = [
                f"{label} ({moment(move, later=True)})" for _, label, move in window.closed_by
            ]
            first = moment(window.first).removeprefix("move ") if window.first else ""
            table.add_row(first, window.section, Text(window.name), ", ".join(closers))
        console.print(indented(table, 2))
    open_ended = sum(w.first is not None and not w.closed_by for w in progress.windows)
    if open_ended:
        words = (
            f"{counted(open_ended, 'item, find or quest', 'items, finds and quests')} can be had "
        )
        words += "to the end of the game."
        console.print(indented(Text(words), 2))


def _table(*titles: str) -> Table:
    """Columns with quiet titles; the first holds numbers."""
    table = Table(box=None, padding=(0, 2, 0, 0), pad_edge=False, header_style="dim italic")
    for number, title in enumerate(titles):
        table.add_column(title, justify="right" if number == 0 else "left")
    return table


def headline(finding: Told) -> Text:
    """Severity, kind, subject and place, and how many aimless plays it comes about in."""
    place = f"  {finding.span.place}" if finding.span else ""
    share = f"  {share_of(finding)}".rstrip()
    return Text.assemble(
        (finding.severity, STYLES[finding.severity]),
        "  ",
        (finding.kind, "bold"),
        "  ",
        finding.subject,
        (place + share, QUIET),
    )


def _write_showing(finding: Told, console: Console) -> None:
    """Why it is so, and the moves that show it."""
    for line in finding.explanation:
        indent = len(line) - len(line.lstrip())
        console.print(indented(Text(line.strip()), 4 + indent))
    if finding.deal and not finding.evidence:
        console.print(indented(Text(f"For example{with_deal(finding.deal)}."), 4))
    if finding.evidence:
        title = "Seen after" if finding.points else "How to see it"
        title += "" if finding.shortest else " (perhaps there is a shorter way)"
        title += with_deal(finding.deal)
        _write_walk(title, finding.evidence, console)
    for point in finding.points:
        if len(finding.points) == 1 and point.moves == finding.evidence:
            console.print(indented(Text(f"{point.label} is what closes it."), 2))
        else:
            console.print(indented(Text(closing_words(point)), 2))


def _write_walk(title: str, moves: Sequence[MoveLine], console: Console) -> None:
    console.print(indented(Text(f"{title}:", QUIET), 2))
    console.print(indented(walk_table(moves), 4))
