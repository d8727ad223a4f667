"""The questions of one world of full size, answered by the workers of a cluster."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from threading import Event
from typing import Any

from zubrel.base.budget import Limits
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.compiled.system import System
from zubrel.findings.large.batches import answered
from zubrel.findings.large.helpers import BatchResult, HelperGone, PendingAnswer
from zubrel.findings.large.questions import AskedQuestion
from zubrel.mended.files import Files
from zubrel.swept.workers import Cluster


class ClusterHelpers:
    """The workers of an open cluster, for questions about the world in some files.

    What no worker answers, since it, or the scheduler, is gone, is answered by the process that
    asks; so the result stays the same.
    """

    def __init__(self, cluster: Cluster, files: Files) -> None:
        self.client = cluster.client
        self.main = files.main
        self.texts = tuple(sorted(files.texts.items()))
        self.limits: Limits | None = None
        self.waiting: list[Any] = []

    @property
    def count(self) -> int:
        try:
            return len(self.client.nthreads())
        except Exception:  # whatever it is that a client says whose scheduler is gone
            return 0

    def begin(self, system: System, limits: Limits) -> None:
        # the worker makes the system again, of the texts: worlds do not travel as code
        self.limits = limits

    def submit(self, batch: Sequence[AskedQuestion]) -> PendingAnswer:
        given = (self.main, self.texts, list(batch), self.limits)
        try:
            future = self.client.submit(answered_there, *given, pure=False)
        except Exception:
            raise HelperGone from None
        self.waiting.append(future)
        return _OfCluster(future)

    def end(self) -> None:
        with suppress(Exception):
            self.client.cancel(self.waiting)
        self.waiting.clear()


class _OfCluster:
    def __init__(self, future: Any) -> None:
        self.future = future
        self.ended = Event()
        future.add_done_callback(lambda _: self.ended.set())

    def done(self) -> bool:
        return self.ended.is_set() or bool(self.future.done())

    def wait(self, seconds: float) -> None:
        self.ended.wait(seconds)

    def result(self) -> BatchResult:
        try:
            result: BatchResult = self.future.result()
        except Exception:  # a worker or the scheduler is gone, or there is no memory left there
            raise HelperGone from None
        return result


def answered_there(
    main: str,
    texts: Sequence[tuple[str, str]],
    batch: Sequence[AskedQuestion],
    limits: Limits,
) -> BatchResult:
    """In a worker: what is said of a batch about the world in some texts by their paths."""
    return answered(_system_of(main, tuple(texts)), batch, limits)


@lru_cache(maxsize=1)
def _system_of(main: str, texts: tuple[tuple[str, str], ...]) -> System:
    by_path: Mapping[str, str] = dict(texts)
    return compile_world(check(Files(main, by_path).document()))
