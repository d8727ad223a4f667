"""Helpers that are processes of this machine."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress

from msgspec.structs import replace

from zubrel.base.budget import Limits
from zubrel.base.processes import end_workers, pool_of
from zubrel.compiled.system import System
from zubrel.findings.large.batches import answered
from zubrel.findings.large.helpers import BatchResult, HelperGone, PendingAnswer
from zubrel.findings.large.questions import AskedQuestion


class ProcessHelpers:
    """Processes of this machine, which share its memory with this one."""

    def __init__(self, count: int) -> None:
        self.count = count
        self.pool: ProcessPoolExecutor | None = None

    def begin(self, system: System, limits: Limits) -> None:
        if limits.memory is not None:
            limits = replace(limits, memory=limits.memory // (self.count + 1))
        self.pool = pool_of(self.count, _begin, (system, limits))

    def submit(self, batch: Sequence[AskedQuestion]) -> PendingAnswer:
        # the pool broke earlier: everything is done here from then on
        if self.pool is None:
            raise HelperGone
        try:
            return _OfProcess(self.pool.submit(_answered_here, batch))
        except BrokenProcessPool:
            raise HelperGone from None

    def end(self) -> None:
        if self.pool is not None:
            end_workers(self.pool)
            self.pool = None


class _OfProcess:
    def __init__(self, future: Future[BatchResult]) -> None:
        self.future = future

    def done(self) -> bool:
        return self.future.done()

    def wait(self, seconds: float) -> None:
        with suppress(TimeoutError):
            self.future.exception(seconds)

    def result(self) -> BatchResult:
        try:
            return self.future.result()
        except (BrokenProcessPool, MemoryError):
            raise HelperGone from None


# in the processes

_GIVEN: list[tuple[System, Limits]] = []


def _begin(system: System, limits: Limits) -> None:
    _GIVEN.append((system, limits))


def _answered_here(batch: Sequence[AskedQuestion]) -> BatchResult:
    ((system, limits),) = _GIVEN
    return answered(system, batch, limits)
