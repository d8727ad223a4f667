"""Proposals for a finding, as text and as JSON."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Any

from rich.console import Console
from rich.text import Text

from zubrel import __version__
from zubrel.base.plain import plain
from zubrel.mended.mend import Mended, Proposal
from zubrel.mended.whole import Whole
from zubrel.narrated.report import Told
from zubrel.narrated.words import length, sentence
from zubrel.output.as_json import FORMAT
from zubrel.output.entries import cause_of
from zubrel.output.heads import QUIET
from zubrel.output.text import headline
from zubrel.output.walks import indented

SHOWN = 6
"""Findings that are named of those that go or come with a change."""


def write_mended(mended: Sequence[Mended], console: Console) -> None:
    """For each finding its proposals, numbered through; the diff of each, and what it does."""
    number = 0
    for place, one in enumerate(mended):
        if place:
            console.print()
        console.print(headline(one.finding))
        console.print(indented(Text(cause_of(one.finding)), 2))
        # last resorts are proposals as well, but no mend
        if all(p.last for p in one.proposals):
            console.print()
            console.print(indented(Text(_nothing(one)), 2))
        if one.open:
            console.print()
            words = f"Not decided, and so not proposed: {plain('; '.join(one.open))}."
            console.print(indented(Text(words), 2))
        for proposal in one.proposals:
            number += 1
            console.print()
            _write(number, proposal, console)
    if number:
        console.print()
        words = "Each was proved by a search of the changed world. --apply N writes one."
        console.print(Text(words, QUIET))


def write_whole(whole: Whole, errors: int, console: Console) -> None:
    """What each change of a set mends, the diff of all, what they do together, and what is left."""
    if not errors:
        console.print(Text("There is no open error: nothing has to be mended."))
        return
    for number, (words, finding) in enumerate(zip(whole.changes, whole.mends, strict=True), 1):
        console.print(Text.assemble((f"{number}  ", "bold"), (sentence(words), "bold")))
        console.print(indented(Text(f"Mends {finding.kind} {finding.subject}."), 3))
    if whole.proposal is not None:
        console.print()
        _write_lines(whole.proposal, console)
        console.print()
        for words in _effects(whole.proposal):
            console.print(Text(words))
    for finding in whole.left:
        console.print(Text(f"Left: {finding.kind} {finding.subject}. No single change helps."))
    if whole.proposal is not None:
        console.print()
        words = "The changed world was searched as a whole"
        if whole.smallest and len(whole.changes) > 1:
            words += ", and without each of the changes: none can be left out"
        words += ". --apply 1 writes all of them."
        console.print(Text(words, QUIET))


def _nothing(mended: Mended) -> str:
    """What was tried, where nothing helps."""
    if not mended.tried:
        return "No single change suggests itself."
    tried = "; ".join(mended.tried)
    return f"No single change of these kinds helps. Tried: {plain(tried)}."


def _write(number: int, proposal: Proposal, console: Console) -> None:
    console.print(Text.assemble((f"{number}  ", "bold"), (sentence(proposal.words), "bold")))
    _write_lines(proposal, console)
    for words in _effects(proposal):
        console.print(indented(Text(words), 3))


def _write_lines(proposal: Proposal, console: Console) -> None:
    """The diff; of several files with their names."""
    several = sum(line.startswith("--- ") for line in proposal.lines) > 1
    for line in proposal.lines if several else proposal.lines[2:]:
        style = {"+": "green", "-": "red"}.get(line[:1], QUIET)
        text = Text(plain(line), style)
        if line[:1] not in "+-":
            text.truncate(max(20, console.width - 8), overflow="ellipsis")
        console.print(indented(text, 5))


def _effects(proposal: Proposal) -> Iterator[str]:
    """What goes, what comes, and how the way to a win changes."""
    old, new = proposal.change.old, proposal.change.new
    # a finding that the change accepts is still there: to say that it is gone would be untrue
    accepted = {(f.kind, f.subject) for f in new.findings if f.accepted}
    meant = [f for f in proposal.gone if (f.kind, f.subject) in accepted]
    gone = [f for f in proposal.gone if f not in meant]
    for word, findings in (("Gone", gone), ("Accepted", meant)):
        if findings:
            yield f"{word}: {_named(findings)}."
    if proposal.new:
        yield f"New: {_named(proposal.new)}."
    if new.verdict != old.verdict:
        yield f"The verdict is {new.verdict} instead of {old.verdict}."
    if old.shortest_win and new.shortest_win:
        before, after = (
            length(len(w.moves), w.shortest) for w in (old.shortest_win, new.shortest_win)
        )
        if before != after:
            yield f"Shortest win: {after} instead of {before}."
    elif new.shortest_win:
        words = length(len(new.shortest_win.moves), new.shortest_win.shortest)
        yield f"It can be won, in {words}."


def _named(findings: Sequence[Told]) -> str:
    names = [f"{f.kind} {f.subject}" for f in findings[:SHOWN]]
    left = len(findings) - len(names)
    return ", ".join([*names, *([f"{left:,} more"] if left else [])])


def mended_as_json(path: str, mended: Sequence[Mended]) -> str:
    """The proposals, numbered as in the text, with what each does."""
    number, told = 0, list[dict[str, object]]()
    for one in mended:
        proposals = []
        for proposal in one.proposals:
            number += 1
            proposals.append(_proposal(number, proposal))
        told.append(
            {
                "kind": one.finding.kind,
                "subject": one.finding.subject,
                "proposals": proposals,
                "tried": list(one.tried),
                "open": list(one.open),
            }
        )
    return _as_json(path, {"findings": told})


def whole_as_json(path: str, whole: Whole) -> str:
    """A set of changes, each with the finding that it mends, and what all of them do."""
    changes = [
        {"words": words, "mends": [finding.kind, finding.subject]}
        for words, finding in zip(whole.changes, whole.mends, strict=True)
    ]
    data = {
        "changes": changes,
        "smallest": whole.smallest,
        "left": [[f.kind, f.subject] for f in whole.left],
        "proposal": None if whole.proposal is None else _proposal(1, whole.proposal),
    }
    return _as_json(path, data)


def _as_json(path: str, told: dict[str, Any]) -> str:
    data = {"zubrel": __version__, "format": FORMAT, "world": path, **told}
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def _proposal(number: int, proposal: Proposal) -> dict[str, Any]:
    win = proposal.change.new.shortest_win
    return {
        "number": number,
        "words": proposal.words,
        "diff": list(proposal.lines),
        "gone": [[f.kind, f.subject] for f in proposal.gone],
        "new": [[f.kind, f.subject] for f in proposal.new],
        "verdict": proposal.change.new.verdict,
        "shortest_win": win and len(win.moves),
        "mends": not proposal.last,
    }
