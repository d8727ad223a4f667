"""A set of changes after which a world is sound, with none that could be left out."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached
from zubrel.checked.check import check
from zubrel.mended.candidates import Candidate
from zubrel.mended.edits import Edit, before_them
from zubrel.mended.files import Files
from zubrel.mended.mend import Mender, Proposal, mender_of
from zubrel.mended.trials import Identity, Trial, Trials
from zubrel.narrated.report import Report, Told

MOST_CHANGES = 40
"""Changes of one set."""


class Whole(Struct, frozen=True):
    """A set of changes: what each does, and all of them as one proposal (None: nothing helps).

    `mends` are the findings that the changes were made for, in their order; `left` are findings
    against which no single change helps. `smallest`: without any of the changes the world, that was
    searched again, has an error that it has not with all of them.
    """

    changes: tuple[str, ...]
    mends: tuple[Told, ...]
    proposal: Proposal | None
    left: tuple[Told, ...]
    smallest: bool


class _Change(Struct, frozen=True):
    """One change: its edits are in terms of the files with all that come before it."""

    candidate: Candidate
    finding: Told


def to_mend(report: Report) -> list[Told]:
    """The open errors, but for those that follow from another."""
    return [f for f in report.findings if f.severity == "error" and not f.accepted and not f.cause]


def mend_whole(mender: Mender, trials: Trials) -> Whole:
    """Changes for every error, found by adding one after the other and then by leaving out.

    Raises `LimitReached` where a limit comes first.
    """
    changes, now = _added(mender, trials)
    if not changes:
        return Whole((), (), None, tuple(to_mend(mender.before)), True)
    lifted = _lifted(changes)
    if lifted is None:  # some change what others have put there
        words = "; ".join(change.candidate.words for change in changes)
        candidate = Candidate(words, _rewritten(mender.files, now.files))
        return _whole(mender, changes, candidate, now.before, len(changes) == 1)
    allowed = {_identity(f) for f in to_mend(now.before)}
    left_out: set[int] = set()
    report, smallest = now.before, True
    wanted = mender.wanted(None)
    wanted = replace(wanted, verdict=now.before.verdict, known=wanted.known | allowed)
    while len(changes) - len(left_out) > 1:
        # whatever can be left out is: a later change may have mended what an earlier one was made
        # for
        left = [n for n in range(len(changes)) if n not in left_out]
        without = {_together(changes, lifted, left_out | {n}): n for n in left}
        smallest = True
        for trial in trials.of(mender.files, list(without), wanted):
            after = trial.report
            # a set that was not searched to its end may have done as well
            smallest &= trial.fate != "undecided"
            if after is not None and {_identity(f) for f in to_mend(after)} <= allowed:
                left_out.add(without[trial.candidate])
                report = after
                break
        else:
            break
    kept = [c for n, c in enumerate(changes) if n not in left_out]
    candidate = _together(changes, lifted, left_out)
    return _whole(mender, kept, candidate, report, smallest)


def _whole(
    mender: Mender,
    changes: Sequence[_Change],
    candidate: Candidate,
    report: Report,
    smallest: bool,
) -> Whole:
    # as one change, so that texts and numbers of it are made as those of single ones
    proposal = mender.proposal(Trial(candidate, "searched", report), None)
    assert proposal is not None, "every change was proved by itself"
    return Whole(
        tuple(c.candidate.words for c in changes),
        tuple(c.finding for c in changes),
        proposal,
        tuple(to_mend(report)),
        smallest,
    )


def _rewritten(old: Files, new: Files) -> tuple[Edit, ...]:
    """Every file that differs, as a whole."""
    # where changes touch each other their edits cannot be told apart any more
    paths = old.differing(new)
    return tuple(Edit(p, 0, len(old.texts[p]), new.texts[p]) for p in paths)


def _identity(finding: Told) -> Identity:
    return finding.kind, finding.subject


def _added(mender: Mender, trials: Trials) -> tuple[list[_Change], Mender]:
    """Changes one after the other, until no error is left but those that nothing helps against;
    and the world with all of them."""
    reasons = {_identity(f): f for f in mender.before.findings}
    hopeless: set[Identity] = set()
    changes: list[_Change] = []
    now = mender
    while len(changes) < MOST_CHANGES:
        # one change may mend several errors, and bring new ones: they are looked at anew after each
        errors = [f for f in to_mend(now.before) if _identity(f) not in hopeless]
        if not errors:
            break
        finding = errors[0]
        known = reasons.get(_identity(finding))
        # an error that came with an earlier change has no reasons yet
        if known is None:
            now = _searched_again(now, trials)
            reasons.update({_identity(f): f for f in now.before.findings})
            known = reasons[_identity(finding)]
        # its claims are of the world as it was, and suggest the same
        finding = replace(finding, why=known.why)
        proposal = _first_good(now, finding, trials)
        if proposal is None:
            hopeless.add(_identity(finding))
            continue
        changes.append(_Change(proposal.candidate, finding))
        # what comes next is suggested for the world with all changes so far
        world = check(proposal.files.document())
        now = Mender(proposal.files, world, proposal.change.new, mender.judged, mender.work)
    return changes, now


def _searched_again(mender: Mender, trials: Trials) -> Mender:
    """The same world with reasons for what is new in it."""
    budget = Budget(trials.budget.limits, trials.budget.seconds())
    again = mender_of(mender.files, budget, trials.progress)
    if again.before.stopped is not None:
        raise LimitReached(again.before.stopped)
    return again


def _first_good(mender: Mender, finding: Told, trials: Trials) -> Proposal | None:
    """The first change that mends and does nothing else, or the best of those that mend."""
    # last resorts would mend anything, and are never the smallest change
    candidates = [c for c in mender.suggested(finding) if not c.last]
    proposals: list[Proposal] = []
    # a trial may stop as soon as it is seen that the finding stays
    wanted = mender.wanted(_identity(finding))
    for trial in trials.of(mender.files, candidates, wanted):
        proposal = mender.proposal(trial, finding)
        if proposal is not None:
            proposals.append(proposal)
            if proposal.is_clean:
                break
    return min(proposals, key=lambda p: p.rank, default=None)


def _lifted(changes: Sequence[_Change]) -> list[tuple[Edit, ...]] | None:
    """The edits of each change in terms of the files as they are; None where that cannot be."""
    lifted: list[tuple[Edit, ...]] = []
    # each edit was made in files that the changes before it had changed already
    for number, change in enumerate(changes):
        # where an earlier change has rewritten the same place, no edit of the file as it is says
        # both
        edits: list[Edit] = []
        for edit in change.candidate.edits:
            own: Edit | None = edit
            # from the last change back to the first: each has moved what comes after it in the text
            for earlier in reversed(changes[:number]):
                own = own and before_them(own, earlier.candidate.edits)
            if own is None:
                return None
            edits.append(own)
        lifted.append(tuple(edits))
    return lifted


def _together(
    changes: Sequence[_Change], lifted: Sequence[tuple[Edit, ...]], without: set[int]
) -> Candidate:
    kept = [n for n in range(len(changes)) if n not in without]
    words = "; ".join(changes[n].candidate.words for n in kept)
    return Candidate(words, tuple(e for n in kept for e in lifted[n]))
