"""Candidates -> proposals: each changed world is searched, and only what helps is told."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Sequence

from msgspec import Struct

from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.kinds import GRAVITY
from zubrel.base.progress import Progress, Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.checked.world import World
from zubrel.mended.candidates import Candidate, Candidates
from zubrel.mended.edits import applied
from zubrel.narrated.difference import Difference, difference
from zubrel.narrated.report import Report, Told
from zubrel.pipeline import report

MOST = 5
"""Proposals that are told of a finding."""


class Proposal(Struct, frozen=True):
    """A change of the file, what a search of the changed world says, and the file as it would be.

    `text` is the whole file, `lines` those of a unified diff.
    """

    words: str
    text: str
    lines: tuple[str, ...]
    change: Difference
    last: bool

    @property
    def gone(self) -> tuple[Told, ...]:
        """The findings that are gone, or accepted now."""
        return self.change.gone

    @property
    def new(self) -> tuple[Told, ...]:
        """The findings that there were none of, but for accepted ones."""
        return tuple(f for f in self.change.appeared if not f.accepted)


class Mended(Struct, frozen=True):
    """What was proposed for a finding, what was tried and does not help, and what is `open`: with
    that change the finding could not be decided."""

    finding: Told
    proposals: tuple[Proposal, ...]
    tried: tuple[str, ...]
    open: tuple[str, ...] = ()


def mend(
    source: Source,
    text: str,
    world: World,
    before: Report,
    finding: Told,
    budget: Budget | None = None,
    progress: Progress | None = None,
) -> Mended:
    """Changes of the main file of `world` after which a finding is gone, each proved.

    `before` is the report on the world as it is. Raises `LimitReached` where a limit comes first.
    """
    budget = budget or Budget(Limits())
    progress = progress or Silence()
    candidates = Candidates(world, document_of(source, text), text).of(finding)
    proposals, tried, undecided = list[Proposal](), list[str](), list[str]()
    for candidate in candidates:
        progress.stage(f"trying: {candidate.words}")
        budget.check_limits()
        try:
            proposal = _tried(source, text, before, finding, candidate, budget)
        except _Undecided:
            undecided.append(candidate.words)
            continue
        if proposal is None:
            tried.append(candidate.words)
        else:
            proposals.append(proposal)
    best = tuple(sorted(proposals, key=_rank)[:MOST])
    return Mended(finding, best, tuple(tried), tuple(undecided))


class _Undecided(Exception):
    """Whether a changed world still has the finding was not proved."""


def _tried(
    source: Source,
    text: str,
    before: Report,
    finding: Told,
    candidate: Candidate,
    budget: Budget,
) -> Proposal | None:
    """The proposal where the changed world is proved not to have the finding; None where it has
    it, or something as grave is new. Raises `LimitReached` and `_Undecided`."""
    changed = applied(text, candidate.edits)
    try:
        world = check(document_of(Source.of(source.path, changed), changed))
        after = report(world, Budget(budget.limits, budget.seconds()), with_reasons=False)
    except InvalidInput:
        return None
    if after.stopped is not None:
        raise LimitReached(after.stopped)
    if (finding.kind, finding.subject) in after.undecided:
        raise _Undecided
    change = difference(before, after)
    if not any((f.kind, f.subject) == (finding.kind, finding.subject) for f in change.gone):
        return None
    if change.worse("error"):
        return None
    return Proposal(
        candidate.words, changed, tuple(_diff(source, text, changed)), change, candidate.last
    )


def _diff(source: Source, old: str, new: str) -> Iterator[str]:
    """A unified diff with three lines around each change."""
    before, after = old.splitlines(), new.splitlines()
    yield from difflib.unified_diff(before, after, source.path, source.path, lineterm="")


def _rank(proposal: Proposal) -> tuple[bool, int, int, int]:
    """The best first: it mends, brings nothing grave, takes most away, changes least."""
    grave = sum(GRAVITY[f.severity] >= GRAVITY["warning"] for f in proposal.new)
    changed = sum(line[:1] in "+-" for line in proposal.lines)
    return proposal.last, grave, -len(proposal.gone), changed


def findings_to_mend(report_: Report, kind: str | None, subject: str) -> Sequence[Told]:
    """The open findings on a subject; of those that follow from another the other."""
    found = [
        f
        for f in report_.findings
        if f.subject == subject and kind in (None, f.kind) and not f.accepted
    ]
    return [
        next((o for o in report_.findings if (o.kind, o.subject) == (f.kind, f.cause)), f)
        for f in found
    ]
