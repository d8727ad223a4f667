"""How much was searched, in a few words that all writers share."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.narrated.report import Report
from zubrel.narrated.words import counted, listed

MOST = 12
"""Undecided subjects of a kind that are named; all of them stand in the JSON output."""


def extent(report: Report) -> str:
    """`12 situations, 3 won, 4 doomed`, or how many classes of situations there are."""
    if report.situations is None and report.classes is None:
        # sets closed backwards decide what can be, and count nothing; and of a search that was cut
        # short what is certain does not come of the situations that it has met
        return "situations not counted"
    if report.situations is None:
        many = counted(report.classes or 0, "class", "classes")
        return f"{many} of situations that bear on the end of the game"
    won, doomed = report.won or 0, report.doomed or 0
    return f"{counted(report.situations, 'situation')}, {won:,} won, {doomed:,} doomed"


def undecided(report: Report) -> Iterator[str]:
    """What was not proved, a line for each kind; nothing where all was."""
    subjects: dict[str, list[str]] = {}
    for kind, subject in report.undecided:
        subjects.setdefault(kind, []).append(subject)
    for kind, ids in subjects.items():
        more = [f"{len(ids) - MOST:,} more"] if len(ids) > MOST else []
        yield f"{kind} of {listed([*ids[:MOST], *more])}"
    # of a proof that was cut short only moves are gone through one by one
    if subjects and not report.complete:
        yield "whatever else is not told above"


def safe_moves(report: Report) -> Iterator[str]:
    """Of how many moves it is known that they never doom, where a proof was cut short."""
    if report.safe is not None:
        known, every = report.safe
        moves = counted(every, "move")
        yield f"{known:,} of {moves} are proved safe: none of them can make winning impossible"
