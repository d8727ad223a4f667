"""Report -> a page for a terminal: the verdict, and at most three lines for each finding.

What is wrong, where, how soon it can happen; its cause in a sentence; what follows from it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct
from rich.console import Console
from rich.text import Text

from zubrel.base.plain import plain
from zubrel.narrated.report import Report, Told
from zubrel.narrated.words import counted
from zubrel.output.heads import QUIET, STYLES, numbers_of, tally_of, title_of, verdict_of
from zubrel.output.text import headline, sentence, write_undecided
from zubrel.output.walks import indented

MANY = 4
"""Findings of one kind that need no reason, and from so many on are told as one."""
SAID_BY_KIND = ("softlock", "bad_luck", "missable", "too_early")
"""Kinds whose message tells no more than their name and the reason do."""
INDENT = 4
Key = tuple[str, str]


class Entry(Struct, frozen=True):
    """Findings that are told as one: the first leads, `others` of its kind go the same way.

    `also` are findings of other kinds on the same subject that the same moves show.
    """

    leading: Told
    others: tuple[Told, ...] = ()
    also: tuple[Told, ...] = ()


def write_overview(report: Report, console: Console, quiet: bool = False) -> None:
    """The page; `quiet`: the verdict, and one line for each finding."""
    console.print(title_of(report))
    console.print(verdict_of(report))
    for line in numbers_of(report):
        console.print(indented(Text(line, QUIET), 2))
    open_findings = [f for f in report.findings if not f.accepted]
    accepted = len(report.findings) - len(open_findings)
    if open_findings or accepted:
        console.print()
        console.print(Text(_tally(open_findings, accepted), "bold"))
    if quiet:
        for finding in open_findings:
            console.print(headline(finding))
        return
    followers = _followers(open_findings)
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


def entries(findings: Sequence[Told]) -> list[Entry]:
    """The gravest first, within a kind those that can be met soonest."""
    known = {(f.kind, f.subject) for f in findings}
    leading = [f for f in findings if f.cause is None or (f.kind, f.cause) not in known]
    unexplained = Counter((f.severity, f.kind) for f in leading if not f.explanation)
    groups: dict[object, list[Told]] = {}
    for finding in leading:
        groups.setdefault(_likeness(finding, unexplained), []).append(finding)
    made: dict[object, Entry] = {}
    for group in groups.values():
        first = min(group, key=lambda f: len(f.evidence))
        shown = (first.subject, first.evidence)
        if first.evidence and len(group) == 1 and shown in made:
            other = made[shown]
            made[shown] = Entry(other.leading, other.others, (*other.also, first))
            continue
        entry = Entry(first, tuple(f for f in group if f is not first))
        made[shown if first.evidence else (first.kind, first.subject)] = entry
    kinds = list(dict.fromkeys((f.severity, f.kind) for f in findings))
    return sorted(
        made.values(),
        key=lambda e: (
            kinds.index((e.leading.severity, e.leading.kind)),
            len(e.leading.evidence),
        ),
    )


def _likeness(finding: Told, unexplained: Mapping[Key, int]) -> object:
    """What findings have in common that are told as one.

    `unexplained`: how many there are of each severity and kind without a reason.
    """
    kind = (finding.severity, finding.kind)
    if finding.kind == "missable" and finding.evidence:
        return (*kind, finding.evidence[-1].rule)
    # a win that leaves something out shows no more of one thing than of another
    plain_one = not finding.evidence or finding.kind == "skippable"
    if plain_one and not finding.explanation and unexplained[kind] >= MANY:
        return kind
    return (*kind, finding.subject)


def _followers(findings: Iterable[Told]) -> dict[Key, list[str]]:
    """For each kind and cause, the subjects of the findings that follow from it."""
    followers: dict[Key, list[str]] = {}
    for finding in findings:
        if finding.cause is not None:
            followers.setdefault((finding.kind, finding.cause), []).append(finding.subject)
    return followers


def _write(entry: Entry, followers: Mapping[Key, Sequence[str]], console: Console) -> None:
    first = entry.leading
    console.print(_head(entry), no_wrap=True, overflow="ellipsis")
    wide = max(20, console.width - INDENT)
    follows = list(_follows(entry, followers))
    cause = _cause(first)
    lines = 1 if follows else 2
    console.print(indented(_fitted(cause, wide, lines, console), INDENT))
    for words in follows[:1]:
        console.print(indented(_fitted(words, wide, 1, console), INDENT))


def _head(entry: Entry) -> Text:
    first = entry.leading
    place = f"  {first.span.place}" if first.span else ""
    many = f" and {len(entry.others)} more" if entry.others else ""
    soon = ""
    if first.evidence:
        known = "" if first.shortest else "at most "
        soon = f"  after {known}{counted(len(first.evidence), 'move')}"
    return Text.assemble(
        (first.severity, STYLES[first.severity]),
        "  ",
        (first.kind, "bold"),
        f"  {first.subject}{many}",
        (place + soon, QUIET),
    )


def _cause(finding: Told) -> str:
    """The first sentence of the reason, with what it is about where it does not say so."""
    words = sentence(finding.message)
    if not finding.explanation:
        return words
    reason = finding.explanation[0].strip()
    return reason if finding.kind in SAID_BY_KIND else f"{words} {reason}"


def _follows(entry: Entry, followers: Mapping[Key, Sequence[str]]) -> Iterator[str]:
    """What comes with it: the others of its kind, and what other findings follow."""
    first = entry.leading
    names = [f.subject for f in entry.others]
    for finding in (first, *entry.others):
        names += followers.get((finding.kind, finding.subject), ())
    also = [f"{f.kind} {f.subject}" for f in entry.also]
    if names or also:
        yield f"With it: {', '.join([*also, *dict.fromkeys(names)])}"


def _fitted(words: str, wide: int, lines: int, console: Console) -> Text:
    """The words in so many lines at most; where more are needed, it ends in "…" at a word."""
    text = plain(words)
    if len(Text(text).wrap(console, wide)) <= lines:
        return Text(text)
    kept = text.split(" ")
    while len(kept) > 1 and len(Text(" ".join(kept) + " …").wrap(console, wide)) > lines:
        kept.pop()
    return Text(" ".join(kept).rstrip(",;:") + " …")


def _write_more(report: Report, shown: Sequence[Entry], console: Console) -> None:
    """The commands that show more."""
    path = plain(report.path)
    console.print()
    if shown:
        told = "why it is so, and how it happens"
        console.print(_command(f"zubrel why {path} {shown[0].leading.subject}", told))
    console.print(_command(f"zubrel check {path} -v", "everything, what is accepted included"))


def _command(words: str, told: str) -> Text:
    return Text.assemble((words, "bold"), (f"   {told}", QUIET))
