"""Processes that work for this one, and end with it however it ends."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import connection
from types import TracebackType
from typing import Any, Self


def pool_of(
    workers: int, begin: Callable[..., None] | None = None, given: tuple[Any, ...] = ()
) -> ProcessPoolExecutor:
    """So many workers, in each of which `begin` is called with `given` first.

    They leave Ctrl-C to this process, and end when it is gone, even when it was killed.
    """
    return ProcessPoolExecutor(
        workers, multiprocessing.get_context("spawn"), _begin_worker, (begin, given)
    )


def live_with_parent() -> None:
    """In a new process: leave Ctrl-C to the one that began it, and end when that is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the parent is interrupted, and ends them
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _begin_worker(begin: Callable[..., None] | None, given: tuple[Any, ...]) -> None:
    live_with_parent()
    if begin is not None:
        begin(*given)


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        connection.wait([parent.sentinel])
        os._exit(1)


def end_workers(pool: ProcessPoolExecutor) -> None:
    """End the workers of a pool, whatever they are at work on, and those that just begin."""
    for process in multiprocessing.active_children():  # there is one pool at a time
        process.terminate()
    pool.shutdown(wait=True, cancel_futures=True)


class WithWorkers:
    """Has a pool of workers at times, which end with the `with` statement."""

    pool: ProcessPoolExecutor | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._end_workers()

    def _end_workers(self) -> None:
        if self.pool is not None:
            end_workers(self.pool)
            self.pool = None
