"""Candidates -> proposals: each changed world is searched, and only what helps is told."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget
from zubrel.base.kinds import GRAVITY
from zubrel.base.progress import Progress
from zubrel.checked.check import check
from zubrel.checked.conditions import At
from zubrel.checked.world import World
from zubrel.findings.judged import Judged
from zubrel.mended.candidates import Candidate, Candidates
from zubrel.mended.files import Files
from zubrel.mended.guards import guards
from zubrel.mended.trials import Identity, Trial, Trials, WantedChange, wanted_of
from zubrel.narrated.difference import Difference, difference
from zubrel.narrated.report import Report, Told
from zubrel.pipeline import report

MOST = 5
"""Proposals that are told of a finding."""


class Proposal(Struct, frozen=True):
    """A change of the files, and what a search of the changed world says.

    `files` are all of them as they would read, `lines` those of a unified diff.
    """

    candidate: Candidate
    files: Files
    lines: tuple[str, ...]
    change: Difference

    @property
    def words(self) -> str:
        """The change in words."""
        return self.candidate.words

    @property
    def last(self) -> bool:
        """It does not mend what is wrong, but says that it is meant so."""
        return self.candidate.last

    @property
    def gone(self) -> tuple[Told, ...]:
        """The findings that are gone, or accepted now."""
        return self.change.gone

    @property
    def new(self) -> tuple[Told, ...]:
        """The findings that there were none of, but for accepted ones."""
        return tuple(f for f in self.change.appeared if not f.accepted)

    @property
    def is_clean(self) -> bool:
        """It mends, brings nothing that matters, and every must-have stays one."""
        return not self.last and not any(self.rank[1:4])

    @property
    def rank(self) -> tuple[bool, int, int, int, int, int]:
        """The smaller, the better: it mends, brings nothing grave, keeps the must-haves and their
        order, makes nothing needless, takes most away, changes least."""
        # a change that mends one thing and breaks another is told, but never first
        grave = sum(GRAVITY[f.severity] >= GRAVITY["warning"] for f in self.new)
        # opening everything mends most softlocks, and takes the game away: what every win includes
        # is kept first
        lost = len(self.change.lost or ()) + self._order_lost()
        # what nobody could ever have before could not be called needless before
        unknown = {f.subject for f in self.change.old.findings if f.kind == "unreachable"}
        needless = sum(
            f.kind in ("skippable", "unused") and f.subject not in unknown for f in self.new
        )
        # of equal ones the one that touches the file least
        edited = sum(len(e.text) + e.end - e.begin for e in self.candidate.edits)
        return self.last, grave, lost, needless, -len(self.gone), edited

    def _order_lost(self) -> int:
        """Pairs of must-haves of which the one need not come before the other any more."""
        new = self.change.new.progress
        before = {m.id: set(m.after) for m in new.must_haves} if new is not None else {}
        lost = 0
        for one, other in self.change.order_lost or ():
            # only the nearest pairs are told: an order that follows from others is no loss
            known, waiting = set[str](), [other]
            while waiting:
                added = before.get(waiting.pop(), set()) - known
                known |= added
                waiting.extend(added)
            lost += one not in known
        return lost


class Mended(Struct, frozen=True):
    """What was proposed for a finding, what was tried and does not help, and what is `open`: with
    that change the finding could not be decided."""

    finding: Told
    proposals: tuple[Proposal, ...]
    tried: tuple[str, ...]
    open: tuple[str, ...] = ()


class Mender:
    """A world with its report, and changes of its files that mend what was found.

    `before` is the report on the world as it is, which took so much `work`; `judged` are its
    situations, where they are known and nothing is merged.
    """

    def __init__(
        self, files: Files, world: World, before: Report, judged: Judged[Any] | None, work: float
    ) -> None:
        self.work = work
        self.files = files
        self.world = world
        self.before = before
        self.judged = judged
        document = files.document()
        self.candidates = Candidates(world, document, files, _areas(world, judged))

    def of(self, finding: Told, trials: Trials) -> Mended:
        """Changes after which a finding is gone, each proved, the best first. Raises
        `LimitReached` where a limit comes first."""
        proposals, tried, undecided = list[Proposal](), list[str](), list[str]()
        # a trial ends as soon as it is known whether it does this: most candidates need no whole
        # search
        wanted = self.wanted((finding.kind, finding.subject))
        for trial in trials.of(self.files, self.suggested(finding), wanted):
            proposal = self.proposal(trial, finding)
            if proposal is not None:
                proposals.append(proposal)
            elif trial.fate == "undecided":
                undecided.append(trial.candidate.words)
            else:
                tried.append(trial.candidate.words)
        best = tuple(sorted(proposals, key=lambda p: p.rank)[:MOST])
        return Mended(finding, best, tuple(tried), tuple(undecided))

    def wanted(self, gone: Identity | None) -> WantedChange:
        """What a change has to do."""
        return wanted_of(self.before, gone, self.work)

    def suggested(self, finding: Told) -> list[Candidate]:
        """All that may help against a finding."""
        if finding.kind == "unwinnable":  # what is never had is why
            # a world that cannot be won has no move to blame, but things that are out of reach
            missing = [f.why for f in self.before.findings if f.kind == "unreachable"]
            finding = replace(finding, why=sum(missing, finding.why))
        return self.candidates.of(finding, self._guards(finding))

    def _guards(self, finding: Told) -> list[tuple[str, str]]:
        if self.judged is None:
            return []
        # a guard is looked for where one rule does the harm
        rules = {p.rule for p in finding.points} or {m.rule for m in finding.evidence[-1:]}
        if len(rules) != 1:
            return []
        (rule,) = rules
        return [(rule, c) for c in guards(self.judged, finding.kind, finding.subject, rule)]

    def proposal(self, trial: Trial, finding: Told | None) -> Proposal | None:
        """The proposal that a trial amounts to; None where a finding (or any: None) is not gone,
        or something as grave is new."""
        if trial.report is None:
            return None
        change = difference(self.before, trial.report)
        gone = {(f.kind, f.subject) for f in change.gone}
        # what was wanted is proved, or it is no proposal
        if finding is not None and (finding.kind, finding.subject) not in gone:
            return None
        # where nothing could be won before, softlocks that show now are progress
        if change.worse("error") and ("unwinnable", "world") not in gone:
            return None
        files = self.files.changed(trial.candidate.edits)
        return Proposal(trial.candidate, files, tuple(self.files.diff(files)), change)


def mender_of(
    files: Files, budget: Budget, progress: Progress, with_progression: bool = True
) -> Mender:
    """The world in some files, searched. Raises `InvalidInput`; where the search did not end,
    `before` says so."""
    world = check(files.document())
    # the space of the search is kept: guards are looked for in its sets
    judged: list[Judged[Any]] = []
    before = report(
        world, budget, progress, with_progression, with_windows=False, seen=judged.append
    )
    # a cut search knows neither what is live nor what is doomed
    known = judged[-1] if judged and judged[-1].complete else None
    return Mender(files, world, before, known, budget.work)


def _areas(world: World, judged: Judged[Any] | None) -> Sequence[str]:
    """The areas that can be entered, the soonest first; in the order of the files where that is
    not known."""
    if judged is None or judged.space.merged:
        return list(world.areas)
    # where a thing could lie as well: players should come upon it soon
    space, walks = judged.space, judged.space.walks()
    soon: list[tuple[int, str]] = []
    for area in world.areas:
        # areas that no play comes to are no place for a thing
        distance = walks.moves_to(space.where(judged.system.formula(At(area))))
        if distance is not None:
            soon.append((distance.steps, area))
    return [area for _, area in sorted(soon, key=lambda known: known[0])]


def findings_to_mend(report_: Report, kind: str | None, subject: str) -> Sequence[Told]:
    """The open findings on a subject, without a kind only the gravest; of those that follow from
    another the other."""
    open_findings = [
        f
        for f in report_.findings
        if f.subject == subject and kind in (None, f.kind) and not f.accepted
    ]
    if kind is None and open_findings:
        # somebody who names a subject means what is worst about it
        worst = max(GRAVITY[f.severity] for f in open_findings)
        open_findings = [f for f in open_findings if GRAVITY[f.severity] == worst]
    return [
        # what follows from another finding goes with it
        next((o for o in report_.findings if (o.kind, o.subject) == (f.kind, f.cause)), f)
        for f in open_findings
    ]
