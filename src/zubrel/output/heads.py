"""What stands at the head of a report on a terminal: title, verdict, numbers."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from rich.text import Text

from zubrel.base.kinds import DOOMING
from zubrel.base.plain import plain
from zubrel.narrated.report import Dealt, Report, Told
from zubrel.narrated.shares import one_in
from zubrel.narrated.words import counted, length, listed
from zubrel.output.extent import extent, safe_moves

STYLES = {"error": "bold red", "warning": "bold magenta", "note": "bold"}
GOOD, BAD, QUIET = "green", "bold red", "dim"


def title_of(report: Report) -> Text:
    """The title of a world, and its file."""
    title = Text(report.title, "bold")
    path = plain(report.path)
    return title if report.title == path else title.append(f"  ({path})", QUIET)


def verdict_of(report: Report) -> Text:
    """The verdict in one sentence."""
    match report.verdict:
        case "solvable":
            words = "from every situation of every play a win can still be reached"
            return Text.assemble(("SOLVABLE", GOOD), f": {words}.")
        # as many culprits as are known: a cut search may have found only some
        case "softlocks":
            culprits = sum(f.kind in DOOMING for f in report.findings)
            # of some it may be left open whether they do
            least = "at least " if any(kind in DOOMING for kind, _ in report.undecided) else ""
            words = f"{least}{counted(culprits, 'move')} can make that impossible"
            but = [words] if culprits else []
            if any(f.kind == "bad_deal" for f in report.findings):
                but.insert(0, "not from every deal")
            # which moves, or which deals, may be what is not decided
            but = but or ["from some situation no win is left"]
            words = f"it can be won, but {', and '.join(but)}"
            return Text.assemble(("SOFTLOCKS", BAD), f": {words}.")
        case "unwinnable":
            words = ": no play whatever comes to a good ending."
            if not report.complete:
                words += f" The search for all else stopped at {report.stopped}."
            return Text.assemble(("UNWINNABLE", BAD), words)
    # no verdict: then what is certain all the same
    words = f"the search stopped at {report.stopped}, so "
    if report.findings:
        many = len(report.findings)
        verb = "is" if many == 1 else "are"
        words += f"not everything is known; {counted(many, 'finding')} {verb} certain all the same"
    elif report.shortest_win is not None:
        words += "nothing is proved but that it can be won"
    else:
        words += "nothing is proved"
    return Text.assemble(("INCOMPLETE", "bold magenta"), f": {words}.")


def numbers_of(report: Report) -> Iterable[str]:
    """How much was searched, and how long the shortest win is; a line each."""
    searched = "every one searched" if report.complete else "those found so far"
    moves = "" if report.moves is None else f"{counted(report.moves, 'move')}, "
    took = "known from an earlier time" if report.known else f"{report.seconds:.2f} s"
    how = f"({searched}; {report.engine} search, {took})"
    # no number is told that nobody has counted
    if report.situations is None and report.classes is None:
        how = f"({report.engine} search, {took})" if report.complete else f"({took})"
    if report.situations is None:
        yield f"{extent(report)} {how}"
    else:
        won, doomed = report.won or 0, report.doomed or 0
        many = counted(report.situations, "situation")
        yield f"{many} {how}, {moves}{won:,} won, {doomed:,} doomed"
    if report.shortest_win:
        win = report.shortest_win
        words = length(len(win.moves), win.shortest)
        yield f"shortest win: {words} to the ending {win.name}{with_deal(win.deal)}"
    yield from safe_moves(report)


def with_deal(deal: Sequence[Dealt]) -> str:
    """With what deal something is so: `, with Key a in Cellar`."""
    return f", with {listed([d.words for d in deal])}" if deal else ""


def soon_of(finding: Told) -> str:
    """After how many moves it can come about, and how often it does: `after 15 moves, 1 in 3
    aimless plays`; nothing where neither is known."""
    return ", ".join(words for words in (moves_of(finding), share_of(finding)) if words)


def moves_of(finding: Told) -> str:
    """After how many moves it can come about; nothing where there is no walk."""
    known = "" if finding.shortest else "at most "
    many = counted(len(finding.evidence), "move")
    return f"after {known}{many}" if finding.evidence else ""


def share_of(finding: Told) -> str:
    """In how many aimless plays it comes about; nothing where nobody knows."""
    return "" if finding.aimless is None else f"{one_in(finding.aimless)} aimless plays"


def tally_of(findings: Sequence[Told]) -> str:
    """How many findings there are of each severity."""
    parts = []
    for severity in ("error", "warning", "note"):
        count = sum(f.severity == severity for f in findings)
        if count:
            parts.append(counted(count, severity))
    return listed(parts)
