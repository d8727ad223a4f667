"""Findings drawn together as every output shows them: those that go the same way as one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct

from zubrel.narrated.report import Told
from zubrel.narrated.words import sentence

MANY = 4
"""Findings of one kind that need no reason, and from so many on are told as one."""
SAID_BY_KIND = ("softlock", "bad_luck", "missable", "too_early")
"""Kinds whose message tells no more than their name and the reason do."""
Key = tuple[str, str]


class ReportEntry(Struct, frozen=True):
    """Findings that are told as one: the first leads, `others` of its kind go the same way.

    `also` are findings of other kinds on the same subject that the same moves show.
    """

    leading: Told
    others: tuple[Told, ...] = ()
    also: tuple[Told, ...] = ()


def entries(findings: Sequence[Told]) -> list[ReportEntry]:
    """The gravest first; within a kind those that most aimless plays meet, then the soonest."""
    # a cause that is not among the findings shown cannot stand for what follows from it
    known = {(f.kind, f.subject) for f in findings}
    leading = [f for f in findings if f.cause is None or (f.kind, f.cause) not in known]
    unexplained = Counter((f.severity, f.kind) for f in leading if not f.explanation)
    groups: dict[object, list[Told]] = {}
    # findings that go the same way are one entry, under the one that can be had soonest
    for finding in leading:
        groups.setdefault(_likeness(finding, unexplained), []).append(finding)
    made: dict[object, ReportEntry] = {}
    for group in groups.values():
        first = min(group, key=lambda f: len(f.evidence))
        shown = (first.subject, first.evidence)
        # another kind about the same subject with the same walk: one head for both
        if first.evidence and len(group) == 1 and shown in made:
            other = made[shown]
            made[shown] = ReportEntry(other.leading, other.others, (*other.also, first))
            continue
        entry = ReportEntry(first, tuple(f for f in group if f is not first))
        made[shown if first.evidence else (first.kind, first.subject)] = entry
    # findings come in the order of gravity, which kinds keep
    kinds = list(dict.fromkeys((f.severity, f.kind) for f in findings))
    return sorted(
        made.values(),
        key=lambda e: (
            kinds.index((e.leading.severity, e.leading.kind)),
            -(e.leading.aimless or 0.0),
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


def followers_of(findings: Iterable[Told]) -> dict[Key, list[str]]:
    """For each kind and cause, the subjects of the findings that follow from it."""
    followers: dict[Key, list[str]] = {}
    for finding in findings:
        if finding.cause is not None:
            followers.setdefault((finding.kind, finding.cause), []).append(finding.subject)
    return followers


def cause_of(finding: Told) -> str:
    """The first sentence of the reason, with what it is about where it does not say so."""
    words = sentence(finding.message)
    if not finding.explanation:
        return words
    reason = finding.explanation[0].strip()
    return reason if finding.kind in SAID_BY_KIND else f"{words} {reason}"


def follows(entry: ReportEntry, followers: Mapping[Key, Sequence[str]]) -> Iterator[str]:
    """What comes with it: the others of its kind, and what other findings follow."""
    first = entry.leading
    names = [f.subject for f in entry.others]
    for finding in (first, *entry.others):
        names += followers.get((finding.kind, finding.subject), ())
    also = [f"{f.kind} {f.subject}" for f in entry.also]
    if names or also:
        yield f"With it: {', '.join([*also, *dict.fromkeys(names)])}"
