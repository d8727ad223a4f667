"""How much was searched, in a few words that all writers share."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.narrated.report import Report
from zubrel.narrated.words import counted, listed


def extent(report: Report) -> str:
    """`12 situations, 3 won, 4 doomed`, or how many classes of situations there are."""
    if report.situations is None:
        many = counted(report.classes or 0, "class", "classes")
        return f"{many} of situations that bear on the end of the game"
    won, doomed = report.won or 0, report.doomed or 0
    return f"{counted(report.situations, 'situation')}, {won:,} won, {doomed:,} doomed"


def undecided(report: Report) -> Iterator[str]:
    """What was not proved, a line for each kind; nothing where all was."""
    kinds = [kind for kind, subject in report.undecided if not subject]
    subjects: dict[str, list[str]] = {}
    for kind, subject in report.undecided:
        if subject:
            subjects.setdefault(kind, []).append(subject)
    for kind, ids in subjects.items():
        yield f"{kind} of {listed(ids)}"
    if kinds:
        yield f"the kinds {listed(kinds)}, which nobody can look for in a world of this size yet"
