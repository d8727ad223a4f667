"""Answering batches of questions one after the other, or several at once in processes.

Whatever the number of processes, answers count in the order of the queue, and the work that they
took is the same in each; so the result is the same as that of one process.
"""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from typing import Any, Self

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Allowance, Budget, LimitReached, Limits, WorkSpent
from zubrel.base.progress import Progress, Silence
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked, Trace
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, judge
from zubrel.findings.large.helpers import BatchResult, HelperGone, Helpers, PendingAnswer
from zubrel.findings.large.questions import AskedQuestion, answer, with_plays
from zubrel.policy import AT_ONCE, BATCH, FORWARD_AGAIN, QUESTION
from zubrel.quotient.lens import Lens
from zubrel.quotient.making import backward_lens, forward_lens, reduced_for
from zubrel.reduced.result import Reduced

AHEAD = 2
"""Batches that are given to each helper before it asks."""
TICK = 0.1
"""Seconds between two looks at the limits while an answer is waited for."""


log = logging.getLogger(__name__)


class _Waiting(Struct, eq=False):
    """A batch in the queue, with its answer where that is known or being worked on."""

    batch: Sequence[AskedQuestion]
    answer: PendingAnswer | None = None
    here: bool = False
    """Whether a helper has failed at it, and nobody else is to try."""
    result: BatchResult | None = None


class Batches:
    """Answers to batches of questions; what `allowance` does not suffice for stays `undecided`.

    This process and its `helpers`, which end with the `with` statement, are at work at once.
    """

    def __init__(
        self,
        system: System,
        budget: Budget,
        progress: Progress,
        allowance: Allowance,
        helpers: Helpers,
    ) -> None:
        self.system = system
        self.budget = budget
        self.progress = progress
        self.allowance = allowance
        # one process answers everything by itself, in the same order
        self.helpers: Helpers | None = helpers if helpers.count else None
        self.begun = False
        self.queue: deque[_Waiting] = deque()
        self.undecided: list[AskedQuestion] = []
        self.findings: list[Finding] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self._end_helpers()

    def _end_helpers(self) -> None:
        if self.helpers is not None:
            self.helpers.end()
            self.helpers = None

    def ask(self, batches: Iterable[Sequence[AskedQuestion]]) -> None:
        """Put batches into the queue; helpers begin with them at once."""
        self.queue.extend(_Waiting(batch) for batch in batches)
        if self.helpers is not None and self.queue and not self.begun:
            # the clock is watched here; a helper with limits of its own would end by its own speed
            limits = replace(self.budget.limits, seconds=None, situations=None)
            self.helpers.begin(self.system, limits)
            self.begun = True
        self.give()

    def give(self) -> None:
        """Keep the helpers at work on the batches that come first."""
        if self.helpers is None:
            return
        # the first of the queue are wanted first, and nothing is begun that may never be asked for
        busy = sum(w.answer is not None and not w.answer.done() for w in self.queue)
        for waiting in self.queue:
            if busy >= AHEAD * self.helpers.count or self.allowance.left <= 0:
                return
            if waiting.answer is None and waiting.result is None and not waiting.here:
                try:
                    waiting.answer = self.helpers.submit(waiting.batch)
                except HelperGone:  # the rest is done here
                    self._end_helpers()
                    return
                busy += 1

    def finish(self) -> None:
        """Answer all that still waits, in the order of the queue."""
        # in the order of the queue, whoever answers first: results do not depend on the helpers
        while self.queue:
            self.give()
            first = self.queue[0]
            # an answer that has come in costs nothing to wait for
            self._collect(first)
            if first.result is None and first.answer is not None:
                # nobody waits while there is something that can be done here
                own = next((w for w in self.queue if w.answer is None and w.result is None), None)
                if own is None:
                    self._wait(first.answer)
                else:
                    own.result = self._answered(own.batch)
                continue
            self.queue.popleft()
            self._take(first.batch, first.result or self._answered(first.batch))

    def _collect(self, waiting: _Waiting) -> None:
        """Take the answer of a helper, if there is one."""
        if waiting.answer is not None and waiting.answer.done():
            try:
                waiting.result = waiting.answer.result()
            except HelperGone:  # whatever it was that has ended it, it may do so again
                waiting.answer, waiting.here = None, True

    def _wait(self, answer: PendingAnswer) -> None:
        """For an answer, or for a limit, after which nothing is answered any more."""
        try:
            # a helper knows nothing of the limits of this process
            self.budget.check_limits()
            answer.wait(TICK)
        except LimitReached:
            self._give_up()

    def _give_up(self) -> None:
        self._end_helpers()
        for waiting in self.queue:
            waiting.answer, waiting.result = None, _nothing(waiting.batch, 0.0)
        self.allowance.left = 0.0

    def _answered(self, batch: Sequence[AskedQuestion]) -> BatchResult:
        return _answered(self.system, batch, self.allowance, self.budget, self.progress)

    def _take(self, batch: Sequence[AskedQuestion], result: BatchResult) -> None:
        # the same would not have been answered by one process, which counts in this order
        if result.work > self.allowance.left:
            result = _nothing(batch, result.work)
        self.allowance.left -= result.work
        log.info(
            "a batch of %d questions: %d findings, %d undecided, %d to be asked again, "
            "%.0f units of work",
            len(batch),
            len(result.findings),
            len(result.undecided),
            len(result.again),
            result.work,
        )
        # steps that came from a helper are copies; what compares them expects those of this process
        self.findings += [with_plays(f, self._at_home) for f in result.findings]
        self.undecided += [batch[n] for n in result.undecided]
        again = [batch[n] for n in result.again]
        if len(batch) > 1 and self.allowance.left > 0 and self.budget.ended is None:
            # one hard question keeps a whole batch from being answered: it is cornered by halving,
            # after all that may be easier
            middle = len(again) // 2
            parts = [part for part in (again[:middle], again[middle:]) if part]
            self.queue.extend(_Waiting(part) for part in parts)
        else:
            self.undecided += again

    def _at_home(self, trace: Trace) -> Trace:
        """A trace with the steps of this process."""
        return replace(trace, steps=tuple(self.system.steps[s.number] for s in trace.steps))


def _answered(
    system: System,
    batch: Sequence[AskedQuestion],
    allowance: Allowance,
    budget: Budget,
    progress: Progress,
) -> BatchResult:
    """What lenses made for a batch say: of all of it at once, or else of one after the other."""
    began = budget.work
    with suppress(LimitReached, MemoryError), budget.within(min(BATCH, allowance.left)):
        budget.check_limits()
        # in the order in which they are asked: a set would order reductions by chance
        formulas = list(dict.fromkeys(f for asked in batch for f in asked.formulas(system)))
        reduced = reduced_for(system, formulas, budget)
        at_once = _at_once(system, reduced, batch, budget, progress)
        if at_once is not None:
            findings = list(_shown(*at_once, batch, budget))
            return BatchResult(findings, (), (), budget.work - began)
        budget.spend(1)  # where it was the whole share that was spent, nothing more is asked
        return _one_by_one(backward_lens(system, reduced, budget), batch, budget, began)
    return _nothing(batch, budget.work - began)


def _at_once(
    system: System,
    reduced: Reduced,
    batch: Sequence[AskedQuestion],
    budget: Budget,
    progress: Progress,
) -> tuple[Judged[Any], list[Finding]] | None:
    """What all that is reached tells of a whole batch, and that; None where that is too much work,
    or one of the questions cannot be answered from it."""
    with suppress(WorkSpent, NotAsked), budget.within(AT_ONCE):
        lens = forward_lens(system, reduced, budget, progress, FORWARD_AGAIN)
        if lens is None:
            return None
        # a limit of the user's, after which nothing is asked any more
        if lens.stopped is not None:
            raise LimitReached(lens.stopped)
        judged = judge(lens)
        return judged, answer(judged, batch)
    return None


def _shown(
    judged: Judged[Any], findings: list[Finding], batch: Sequence[AskedQuestion], budget: Budget
) -> Iterator[Finding]:
    """Findings of a batch; those whose plays were no longer looked for are asked about again."""
    left = {(f.kind, f.subject) for f in findings if not f.is_shown}
    asked = [a for a in batch if (a.kind, a.subject) in left]
    again = dict[tuple[str, str], Finding]()
    # together, since what they are proved by is closed once more; a share of work for each
    with suppress(LimitReached, MemoryError), budget.within(QUESTION * len(asked)):
        again = {(f.kind, f.subject): f for f in answer(judged, asked)}
    for finding in findings:
        yield again.get((finding.kind, finding.subject), finding)


def _one_by_one(
    lens: Lens[Any], batch: Sequence[AskedQuestion], budget: Budget, began: float
) -> BatchResult:
    """What sets closed backwards say of each question, for which each has its share of work."""
    judged = judge(lens)
    findings, undecided, asked = list[Finding](), list[int](), 0
    # what a limit ends is asked again by whoever has room, or named as undecided
    with suppress(LimitReached, MemoryError):
        for number, question in enumerate(batch):
            asked = number
            try:
                with budget.within(QUESTION):
                    findings += answer(judged, [question])
            except (WorkSpent, NotAsked):
                budget.spend(1)
                undecided.append(number)
        # all were asked; where a limit ended the loop, what comes from there on is asked again
        asked = len(batch)
    again = tuple(range(asked, len(batch)))
    return BatchResult(findings, tuple(undecided), again, budget.work - began)


def _nothing(batch: Sequence[AskedQuestion], work: float) -> BatchResult:
    """All has to be asked again."""
    return BatchResult([], (), tuple(range(len(batch))), work)


def answered(system: System, batch: Sequence[AskedQuestion], limits: Limits) -> BatchResult:
    """What a helper, wherever it is, says of a batch."""
    return _answered(system, batch, Allowance(BATCH), Budget(limits), Silence())
