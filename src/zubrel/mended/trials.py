"""Changed worlds, each searched: here one after the other, or several at once in processes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.kinds import DOOMING
from zubrel.base.processes import WithWorkers, pool_of
from zubrel.base.progress import Progress
from zubrel.checked.check import check
from zubrel.findings.detectors.softlocks import culprits
from zubrel.findings.find import is_found
from zubrel.findings.judged import Judged
from zubrel.mended.candidates import Candidate
from zubrel.mended.files import Files
from zubrel.narrated.difference import RANKS
from zubrel.narrated.report import Report
from zubrel.pipeline import report
from zubrel.policy import TRIAL, TRIAL_MORE

TICK = 0.1
"""Seconds between two looks at the limits while a worker is waited for."""
Identity = tuple[str, str]
"""The kind and the subject of a finding."""


class WantedChange(Struct, frozen=True):
    """What a change has to do: what is `gone` (None: nothing special); `known` are the softlocks
    there may be, `verdict` is the worst there may be. `work`: what a search may take."""

    gone: Identity | None
    known: frozenset[Identity]
    verdict: str
    with_progression: bool
    work: float


class Trial(Struct, frozen=True):
    """What came of a candidate: the report on the changed world, or why there is none.

    `fate` is `searched`, `no help`, `undecided`, or the name of a limit that came first.
    """

    candidate: Candidate
    fate: str
    report: Report | None = None


def wanted_of(before: Report, gone: Identity | None, work: float) -> WantedChange:
    """What a change of the world of a report has to do, for one finding to be gone; `work` is what
    that report took."""
    known = frozenset((f.kind, f.subject) for f in before.findings)
    most = max(TRIAL, TRIAL_MORE * work)
    return WantedChange(gone, known, before.verdict, before.progress is not None, most)


class Trials(WithWorkers):
    """Searches changed worlds within the limits of `budget`; `jobs` counts processes.

    Workers end with the `with` statement.
    """

    def __init__(self, budget: Budget, progress: Progress, jobs: int = 1) -> None:
        self.budget = budget
        self.progress = progress
        self.jobs = jobs

    def of(
        self, files: Files, candidates: Sequence[Candidate], wanted: WantedChange
    ) -> Iterator[Trial]:
        """What comes of each candidate, in their order. Raises `LimitReached`."""
        if self.jobs > 1 and len(candidates) > 1:
            yield from self._by_workers(files, candidates, wanted)
            return
        for candidate in candidates:
            yield self._here(files, candidate, wanted)

    def _here(self, files: Files, candidate: Candidate, wanted: WantedChange) -> Trial:
        self.progress.stage(f"trying: {candidate.words}")
        self.budget.check_limits()
        # each trial counts its own work, so that the share of one does not depend on those before
        # it
        own = Budget(self.budget.limits, self.budget.seconds())
        own.on_check = self.budget.on_check
        return _trial(candidate, *tried(files, candidate, wanted, own))

    def _by_workers(
        self, files: Files, candidates: Sequence[Candidate], wanted: WantedChange
    ) -> Iterator[Trial]:
        pool = self._workers()
        waiting: list[Future[Any]] = []
        left = list(candidates)
        try:
            for candidate in candidates:
                # no more than there are processes: most is thrown away once something helps
                while left and len(waiting) < self.jobs:
                    waiting.append(pool.submit(_work, files, left.pop(0), wanted))
                self.progress.stage(f"trying: {candidate.words}")
                # answers in the order of the candidates, whoever is ready first: the same proposals
                # with any number of processes
                yield _trial(candidate, *self._answer(waiting.pop(0)))
        finally:
            if waiting:  # nobody wants to know any more
                self._end_workers()

    def _answer(self, future: Future[Any]) -> tuple[str, Report | None]:
        while True:
            try:
                answer: tuple[str, Report | None] = future.result(timeout=TICK)
                return answer
            except BrokenProcessPool:  # somebody has ended a worker
                raise LimitReached("the end of a process that was at work") from None
            except TimeoutError:
                self.budget.check_limits()
                if self.budget.on_check is not None:
                    self.budget.on_check()

    def _workers(self) -> ProcessPoolExecutor:
        if self.pool is None:
            limits = self.budget.limits
            if limits.memory is not None:
                # they are at work at once, and share the memory that one is allowed
                limits = replace(limits, memory=limits.memory // self.jobs)
            self.pool = pool_of(self.jobs, _begin, (limits, self.budget.seconds()))
        return self.pool


def _trial(candidate: Candidate, fate: str, report: Report | None) -> Trial:
    if fate not in _FATES:
        raise LimitReached(fate)
    return Trial(candidate, fate, report)


_FATES = ("searched", "no help", "undecided")
_BUDGET: list[Budget] = []
"""In a worker: the budget of all that it does, with its clock."""


def _begin(limits: Limits, before: float) -> None:
    _BUDGET.append(Budget(limits, before))


def _work(files: Files, candidate: Candidate, wanted: WantedChange) -> tuple[str, Report | None]:
    budget = Budget(_BUDGET[0].limits, _BUDGET[0].seconds())
    return tried(files, candidate, wanted, budget)


class _NoHelp(Exception):
    """A changed world still has what was to go, or something as grave is new."""


def tried(
    files: Files, candidate: Candidate, wanted: WantedChange, budget: Budget
) -> tuple[str, Report | None]:
    """The fate of a candidate, and the report on the changed world where that was searched."""

    def seen(judged: Judged[Any]) -> None:
        if not judged.complete:
            return
        # told by the sets of the verdict alone, before anything else is looked for: most candidates
        # end here
        if RANKS.index(judged.verdict) > RANKS.index(wanted.verdict):
            raise _NoHelp
        dooming = set(culprits(judged))
        # a softlock that was not there before is as grave as the one that is to go
        if wanted.verdict != "unwinnable" and not dooming <= wanted.known:
            raise _NoHelp
        if candidate.last or wanted.gone is None:
            return
        if wanted.gone in dooming or is_found(judged, *wanted.gone):
            raise _NoHelp

    try:
        world = check(files.changed(candidate.edits).document())
        with budget.within(wanted.work):
            after = report(
                world,
                budget,
                with_progression=wanted.with_progression,
                with_reasons=False,
                with_windows=False,
                seen=seen,
            )
    # an edit may make a world that is not valid: it is none that helps
    except (InvalidInput, ValueError, _NoHelp):
        return "no help", None
    if after.stopped is not None:
        return "undecided" if budget.work >= wanted.work else after.stopped, None
    if wanted.gone is not None and wanted.gone in after.undecided:
        return "undecided", None
    # a move that was harmless before may doom now
    if any(kind in DOOMING and (kind, s) not in wanted.known for kind, s in after.undecided):
        return "undecided", None
    return "searched", after
