"""Report -> a page for a terminal: the verdict, and at most three lines for each finding.

What is wrong, where, how soon it can happen; its cause in a sentence; what follows from it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.console import Console
from rich.text import Text

from zubrel.base.plain import plain
from zubrel.narrated.report import Report, Told
from zubrel.output.entries import Key, ReportEntry, cause_of, entries, followers_of, follows
from zubrel.output.heads import (
    QUIET,
    STYLES,
    moves_of,
    numbers_of,
    share_of,
    tally_of,
    title_of,
    verdict_of,
)
from zubrel.output.text import headline, write_undecided
from zubrel.output.walks import indented

INDENT = 4


def write_overview(report: Report, console: Console, quiet: bool = False) -> None:
    """The page; `quiet`: the verdict, and one line for each finding."""
    console.print(title_of(report))
    console.print(verdict_of(report))
    for line in numbers_of(report):
        console.print(indented(Text(line, QUIET), 2))
    # what is accepted is counted, and not shown
    open_findings = [f for f in report.findings if not f.accepted]
    accepted = len(report.findings) - len(open_findings)
    if open_findings or accepted:
        console.print()
        console.print(Text(_tally(open_findings, accepted), "bold"))
    # whoever asks for one line each has no use for what follows from what
    if quiet:
        for finding in open_findings:
            console.print(headline(finding))
        return
    followers = followers_of(open_findings)
    shown = entries(open_findings)
    for entry in shown:
        console.print()
        _write(entry, followers, console)
    write_undecided(report, console)
    if report.findings:
        _write_more(report, shown, console)


def _tally(findings: Sequence[Told], accepted: int) -> str:
    """How many are open, and how many accepted."""
    known = f"{accepted} accepted"
    if not findings:
        return f"Nothing open: {known}"
    return tally_of(findings) + (f"; {known}" if accepted else "")


def _write(entry: ReportEntry, followers: Mapping[Key, Sequence[str]], console: Console) -> None:
    first = entry.leading
    console.print(_head(entry, console.width), no_wrap=True, overflow="ellipsis")
    # the page promises three lines a finding at the most, however wide the terminal is
    wide = max(20, console.width - INDENT)
    cause, also = cause_of(first), "".join(follows(entry, followers))
    if not also or len(Text(plain(cause)).wrap(console, wide)) == 1:
        for words, lines in ((cause, 1 if also else 2), (also, 1)):
            if words:
                console.print(indented(_fitted(words, wide, lines, console), INDENT))
        return
    # a cause of two lines leaves what is left of the second to what comes with it
    joined = f"{cause} {also}"
    if len(Text(plain(joined)).wrap(console, wide)) > 2:
        joined = f"{cause} With it {also.count(',') + 1} more."
    if len(Text(plain(joined)).wrap(console, wide)) > 2:
        joined = cause
    console.print(indented(_fitted(joined, wide, 2, console), INDENT))


def _head(entry: ReportEntry, width: int) -> Text:
    """What it is, where, how soon and how often; that in fewer words where it does not fit."""
    share = share_of(entry.leading)
    shorter = share.removesuffix(" plays")
    for soon in (share, shorter, ""):
        head = _head_with(entry, ", ".join(w for w in (moves_of(entry.leading), soon) if w))
        if head.cell_len <= width:
            break
    return head


def _head_with(entry: ReportEntry, soon: str) -> Text:
    first = entry.leading
    place = f"  {first.span.place}" if first.span else ""
    many = f" and {len(entry.others)} more" if entry.others else ""
    soon = f"  {soon}" if soon else ""
    return Text.assemble(
        (first.severity, STYLES[first.severity]),
        "  ",
        (first.kind, "bold"),
        f"  {first.subject}{many}",
        (place + soon, QUIET),
    )


def _fitted(words: str, wide: int, lines: int, console: Console) -> Text:
    """The words in so many lines at most; where more are needed, it ends in "…" at a word."""
    text = plain(words)
    if len(Text(text).wrap(console, wide)) <= lines:
        return Text(text)
    kept = text.split(" ")
    while len(kept) > 1 and len(Text(" ".join(kept) + " …").wrap(console, wide)) > lines:
        kept.pop()
    return Text(" ".join(kept).rstrip(",;:") + " …")


def _write_more(report: Report, shown: Sequence[ReportEntry], console: Console) -> None:
    """The commands that show more."""
    path = plain(report.path)
    console.print()
    if shown:
        told = "why it is so, and how it happens"
        console.print(_command(f"zubrel why {path} {shown[0].leading.subject}", told))
    if report.complete and any(entry.leading.severity == "error" for entry in shown):
        told = "a set of changes after which no error is left"
        console.print(_command(f"zubrel mend {path}", told))
    console.print(_command(f"zubrel check {path} -v", "everything, what is accepted included"))


def _command(words: str, told: str) -> Text:
    return Text.assemble((words, "bold"), (f"   {told}", QUIET))
