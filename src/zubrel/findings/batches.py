"""Answering batches of questions one after the other, or several at once in processes."""

from __future__ import annotations

import multiprocessing
import signal
import time
from collections import deque
from collections.abc import Iterable, Sequence
from multiprocessing.pool import AsyncResult, Pool
from types import TracebackType
from typing import cast

from msgspec.structs import replace

from zubrel.atoms.budget import Budget, Limits
from zubrel.atoms.progress import Progress, Silence
from zubrel.compiled.formulas import Formula
from zubrel.compiled.system import System
from zubrel.explored.space import LimitReached, Trace
from zubrel.findings.finding import Finding
from zubrel.findings.questions import Answer, Question, answer, look_within, with_plays
from zubrel.findings.verdict import AnySpace, judge

PATIENCE = 40.0
"""Seconds that a batch may take before it is halved."""
SLACK = 15.0
"""Seconds after its time in which an answer is still waited for."""
AHEAD = 2
"""Batches that are given to each process before it asks."""

Waiting = tuple[Sequence[Question], "AsyncResult[Answer | None]"]


class Batches:
    """Answers to batches of questions; what time does not suffice for stays in `undecided`.

    `jobs` counts this process and its workers, which end with the `with` statement.
    """

    def __init__(
        self, system: System, budget: Budget, progress: Progress, until: float, jobs: int
    ) -> None:
        self.system = system
        self.budget = budget
        self.progress = progress
        self.until = until
        self.workers = jobs - 1
        self.waiting: deque[Sequence[Question]] = deque()
        self.given: deque[Waiting] = deque()
        self.undecided: list[Question] = []
        self.found: list[Finding] = []
        self.known: dict[Formula, bool] = {}
        self.pool: Pool | None = None

    def __enter__(self) -> Batches:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        if self.pool is not None:
            self.pool.terminate()

    def ask(self, batches: Iterable[Sequence[Question]]) -> None:
        """Put batches into the queue; workers begin with them at once."""
        self.waiting.extend(batches)
        if self.workers and self.waiting and self.pool is None:
            limits = self.budget.limits
            if limits.memory is not None:
                limits = replace(limits, memory=limits.memory // (self.workers + 1))
            context = multiprocessing.get_context("spawn")
            self.pool = context.Pool(self.workers, _begin, (self.system, limits))
        self.give()

    def give(self) -> None:
        """Take what workers have answered, and give them more."""
        while self.given and self.given[0][1].ready():
            batch, result = self.given.popleft()
            self._take(batch, result.get())
        while self.pool and self.waiting and len(self.given) < AHEAD * self.workers:
            if self._seconds() <= 0:
                return
            batch = self.waiting.popleft()
            until = time.time() + self._left()  # it may wait a while before it is begun
            self.given.append((batch, self.pool.apply_async(_work, (batch, until))))

    def finish(self) -> None:
        """Answer all that still waits."""
        while self.waiting or self.given:
            self.give()
            if self.waiting:
                batch = self.waiting.popleft()
                self._take(batch, self._answered(batch))
            elif self.given:
                self._wait()

    def _wait(self) -> None:
        """For the answer that comes next; a worker that has died would never give one."""
        self.given[0][1].wait(max(0.0, self._left()) + SLACK)
        if not self.given[0][1].ready():
            self.undecided += [question for batch, _ in self.given for question in batch]
            self.given.clear()

    def _seconds(self) -> float:
        """How long a batch may take from now on."""
        return 0.0 if self.budget.spent_by(0) is not None else min(PATIENCE, self._left())

    def _left(self) -> float:
        limit = self.budget.limits.seconds
        until = self.until if limit is None else min(self.until, limit)
        return until - self.budget.seconds()

    def _answered(self, batch: Sequence[Question]) -> Answer | None:
        seconds = self._seconds()
        if seconds <= 0:
            return None
        return _answered(self.system, batch, seconds, self.budget, self.progress)

    def _take(self, batch: Sequence[Question], found: Answer | None) -> None:
        if found is not None:
            self.found += [with_plays(f, self._at_home) for f in found.findings]
            self.known |= found.known
        elif len(batch) > 1 and self._seconds() > 0:
            half = len(batch) // 2
            self.waiting.extendleft([batch[half:], batch[:half]])
        else:
            self.undecided += batch

    def _at_home(self, trace: Trace) -> Trace:
        """A trace with the steps of this process."""
        return replace(trace, steps=tuple(self.system.steps[s.number] for s in trace.steps))


def _answered(
    system: System, batch: Sequence[Question], seconds: float, budget: Budget, progress: Progress
) -> Answer | None:
    """What a lens made for a batch says; None where the time or the memory is not enough."""
    try:
        asked = dict.fromkeys(f for question in batch for f in question.asked)
        lens = look_within(seconds, system, list(asked), budget, progress)
        return None if lens is None else answer(judge(cast(AnySpace, lens)), batch)
    except (LimitReached, MemoryError):
        return None


# in the worker processes

_GIVEN: list[tuple[System, Limits]] = []


def _begin(system: System, limits: Limits) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the parent is interrupted, and ends them
    _GIVEN.append((system, limits))


def _work(batch: Sequence[Question], until: float) -> Answer | None:
    ((system, limits),) = _GIVEN
    seconds = min(PATIENCE, until - time.time())
    if seconds <= 0:
        return None
    budget = Budget(replace(limits, seconds=None, situations=None))
    return _answered(system, batch, seconds, budget, Silence())
