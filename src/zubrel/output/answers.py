"""Everything about one finding, or an answer to a question, as text and as JSON."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from rich.console import Console
from rich.text import Text

from zubrel import __version__
from zubrel.base.kinds import KINDS
from zubrel.base.plain import plain
from zubrel.narrated.report import MoveLine, Report, Told
from zubrel.narrated.words import counted, length, sentence
from zubrel.output.as_json import FORMAT, because_as_json, finding_as_json, move_as_json
from zubrel.output.heads import QUIET, with_deal
from zubrel.output.text import headline
from zubrel.output.walks import closing_words, indented, spoken_of, walk_table
from zubrel.whys import Possibility

SHARED = 4
"""Moves that a walk has to begin with as the shortest win does, so that they are not told again."""


def about(report: Report, kind: str | None, subject: str) -> list[Told]:
    """The findings on a subject, of one kind or of all, each before that from which it follows."""
    findings: list[Told] = []
    for finding in report.findings:
        if finding.subject == subject and kind in (None, finding.kind):
            findings.append(finding)
            cause = (finding.kind, finding.cause)
            findings += [
                f for f in report.findings if (f.kind, f.subject) == cause and f not in findings
            ]
    return findings


Mends = Mapping[tuple[str, str], Sequence[str]]
"""By kind and subject of a finding, changes in words that are proved to mend it."""


def write_findings(
    report: Report, findings: Sequence[Told], console: Console, mends: Mends | None = None
) -> None:
    """Each finding with its reason to the leaves, its moves, what follows from it, and what would
    mend it, where that is known."""
    for number, finding in enumerate(findings):
        if number:
            console.print()
        _write_finding(report, finding, console, mends or {})


def _write_finding(report: Report, finding: Told, console: Console, mends: Mends) -> None:
    console.print(headline(finding))
    console.print(indented(Text(sentence(finding.message)), 2))
    if finding.accepted:
        because = f": {plain(finding.because)}" if finding.because else ""
        console.print(indented(Text(f"Accepted{because}."), 2))
    if finding.cause is not None:
        console.print(indented(Text(f"It follows from {finding.kind} {finding.cause}."), 2))
    _write_reason(finding.explanation, console)
    if finding.deal and not finding.evidence:
        console.print()
        console.print(indented(Text(f"For example{with_deal(finding.deal)}."), 2))
    if finding.evidence:
        _write_walk(report, finding, console)
    # causes are named by kind and subject, which tell findings apart
    own = (finding.kind, finding.subject)
    follows = [f.subject for f in report.findings if (f.kind, f.cause) == own]
    if follows:
        console.print()
        console.print(indented(Text(f"With it: {', '.join(follows)}."), 2))
    console.print()
    remedy = KINDS[finding.kind].remedy
    console.print(indented(Text(f"What is usually done: {remedy}", QUIET), 2))
    # what was tried already is told; else only how to try it
    known = mends.get((finding.kind, finding.subject), ())
    if known:
        console.print()
        console.print(indented(Text("What would mend it, proved by a search each:", QUIET), 2))
        for number, words in enumerate(known, 1):
            console.print(indented(Text(f"{number}  {plain(sentence(words))}"), 4))
    tried = f"zubrel mend {plain(report.path)} {finding.kind} {finding.subject}"
    title = "How to make one of these changes" if known else "What would mend it"
    console.print(indented(Text(f"{title}: {tried}", QUIET), 2))


def _write_reason(lines: Sequence[str], console: Console) -> None:
    if lines:
        console.print()
        console.print(indented(Text("Why:", QUIET), 2))
    for line in lines:
        console.print(indented(Text(line.strip()), 4 + len(line) - len(line.lstrip())))


def _write_walk(report: Report, finding: Told, console: Console) -> None:
    """The moves, without those that the shortest win begins with too."""
    moves = finding.evidence
    # a reader who knows the win sees at once where the walk leaves it
    shared = _shared(report, moves)
    marked = frozenset(spoken_of(finding.why))
    title = f"How it happens, in {length(len(moves), finding.shortest)}{with_deal(finding.deal)}"
    if shared:
        title += f" (the first {shared} as in the shortest win)"
    console.print()
    console.print(indented(Text(f"{title}:", QUIET), 2))
    table = walk_table(moves[shared:], full=False, first=shared + 1, marked=marked)
    console.print(indented(table, 4))
    if any(number > shared for number in marked):
        console.print(indented(Text("* what the reason speaks of", QUIET), 4))
    # a reason may speak of moves that were left out above
    earlier = sorted(number for number in marked if number <= shared)
    for number in earlier:
        move = moves[number - 1]
        console.print(indented(Text(f"Move {number} was: {move.area}: {move.label}", QUIET), 4))
    for point in finding.points:
        if len(finding.points) > 1 or point.moves != finding.evidence:
            console.print(indented(Text(closing_words(point)), 2))


def _shared(report: Report, moves: Sequence[MoveLine]) -> int:
    """With how many of the first moves of the shortest win some moves begin."""
    if report.shortest_win is None:
        return 0
    shared = 0
    for own, other in zip(moves[:-1], report.shortest_win.moves, strict=False):
        if (own.rule, own.outcome) != (other.rule, other.outcome):
            break
        shared += 1
    return shared if shared >= SHARED else 0


def write_answer(answer: Possibility, console: Console) -> None:
    """Whether something can be, and why not or how."""
    where = f"after {counted(answer.made, 'move')}" if answer.made else "from the start on"
    # a reason for what can never be, a walk or a distance for what can
    if not answer.possible:
        console.print(Text.assemble(("Never", "bold red"), f", {where}: {plain(answer.asked)}"))
        _write_reason(answer.explained.lines(), console)
        return
    title = Text.assemble(("It can be", "green"), f": {plain(answer.asked)}")
    console.print(title)
    if answer.further is not None:
        soon = "as it is" if answer.further == 0 else f"in {counted(answer.further, 'more move')}"
        when = "at the earliest" if answer.shortest else "at most"
        console.print(indented(Text(f"{where}, {soon} {when}"), 2))
    elif answer.moves:
        console.print(indented(Text(f"{length(len(answer.moves), answer.shortest)}:", QUIET), 2))
        console.print(indented(walk_table(answer.moves, full=False), 4))
    else:
        console.print(indented(Text("at the very start"), 2))


def findings_as_json(path: str, findings: Sequence[Told]) -> str:
    """The findings with everything that is known of them."""
    told = [finding_as_json(f) for f in findings]
    return _dumped({"zubrel": __version__, "format": FORMAT, "world": path, "findings": told})


def answer_as_json(path: str, answer: Possibility) -> str:
    """An answer: whether it can be, how soon and how, or why not."""
    moves = answer.moves
    lines: dict[str, Any] = {
        "zubrel": __version__,
        "format": FORMAT,
        "world": path,
        "asked": answer.asked,
        "made": answer.made,
        "possible": answer.possible,
        "length": answer.further if moves is None else len(moves),
        "shortest": answer.shortest,
        "moves": None if moves is None else [move_as_json(m) for m in moves],
        "explanation": "\n".join(answer.explained.lines()) or None,
        "why": [because_as_json(b) for b in answer.explained.why],
    }
    return _dumped(lines)


def _dumped(data: dict[str, Any]) -> str:
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"
