"""Who searches variants: this process, several on this machine, or a cluster."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from threading import Event
from typing import Any, Protocol, Self, TypeVar

from msgspec.structs import replace

from zubrel import __version__
from zubrel.base.budget import Budget, Limits
from zubrel.base.processes import end_workers, pool_of
from zubrel.mended.files import Files
from zubrel.swept.outcome import VariantOutcome, cut_short, outcome_of

TICK = 0.1
"""Seconds between two looks at whether somebody wants to stop while a worker is waited for."""
CONNECT = 10.0
"""Seconds within which a scheduler has to answer."""
AHEAD = 2
"""Variants that each worker is given before the first of them is asked for."""
LOCAL = "local"
T = TypeVar("T")


class NoCluster(Exception):
    """A cluster that is not there, or not of this version."""


class Workers(Protocol):
    """Searches files within limits; ended by its `with` statement, whatever is still at work."""

    def __enter__(self) -> Self: ...

    def __exit__(self, *error: object) -> None: ...

    def outcomes(self, made: Sequence[Files]) -> Iterator[VariantOutcome]:
        """What is proved of some files, in their order, however that is shared out."""
        ...


class InThisProcess:
    """One after the other, in this process."""

    def __init__(self, limits: Limits, on_check: Callable[[], None] | None) -> None:
        self.limits = limits
        self.on_check = on_check

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        pass

    def outcomes(self, made: Sequence[Files]) -> Iterator[VariantOutcome]:
        for files in made:
            budget = Budget(self.limits)
            budget.on_check = self.on_check
            yield outcome_of(files, budget)


class LocalProcesses:
    """So many processes on this machine, which share its memory."""

    def __init__(self, limits: Limits, on_check: Callable[[], None] | None, jobs: int) -> None:
        memory = limits.memory
        self.limits = limits if memory is None else replace(limits, memory=memory // jobs)
        self.on_check = on_check
        self.jobs = jobs
        self.pool: ProcessPoolExecutor | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        if self.pool is not None:
            end_workers(self.pool)

    def outcomes(self, made: Sequence[Files]) -> Iterator[VariantOutcome]:
        self.pool = pool_of(self.jobs)
        pool, limits = self.pool, self.limits
        waiting: list[Future[VariantOutcome]] = []
        left = list(made)
        while left or waiting:
            while left and len(waiting) < AHEAD * self.jobs:
                files = left.pop(0)
                waiting.append(pool.submit(searched, files.main, dict(files.texts), limits))
            try:
                yield _result(waiting.pop(0), self.on_check)
            # who was at work at that moment is cut short, and the others begin anew
            except BrokenProcessPool:
                yield cut_short("the end of a process that was at work")
                end_workers(pool)
                self.pool = pool = pool_of(self.jobs)
                waiting.clear()


class Cluster:
    """Workers of a Dask scheduler: those of `address`, or `local` ones, so many as `jobs`.

    Worlds travel as text. A worker that dies costs what it was at work on, which is done again.
    Raises `NoCluster` where there is none, or one of another version.
    """

    def __init__(
        self, address: str, limits: Limits, on_check: Callable[[], None] | None, jobs: int
    ) -> None:
        self.address = address
        self.limits = limits
        self.on_check = on_check
        self.jobs = jobs
        self.client: Any = None
        self.cluster: Any = None

    def __enter__(self) -> Self:
        try:
            import distributed
        except ImportError:
            words = "clusters need more to be installed: pip install 'zubrel[cluster]'"
            raise NoCluster(words) from None
        library: Any = distributed  # which tells nothing of its types
        # what goes wrong there is told once, by what is raised here
        for name in list(logging.root.manager.loggerDict):
            if name.partition(".")[0] == "distributed":
                logging.getLogger(name).setLevel(logging.CRITICAL + 1)
        try:
            if self.address == LOCAL:
                self.cluster = library.LocalCluster(
                    n_workers=self.jobs,
                    threads_per_worker=1,
                    processes=True,
                    dashboard_address="127.0.0.1:0",  # whatever port is free
                    memory_limit=0,
                    silence_logs=50,
                )
            where = self.cluster or self.address
            self.client = library.Client(where, timeout=CONNECT, direct_to_workers=False)
            versions = self.client.run(version_here)
        except (OSError, TimeoutError, ValueError) as error:
            self.__exit__()
            raise NoCluster(f"no scheduler answers at {self.address}: {error}") from None
        except Exception as error:  # whatever a worker without this program says
            self.__exit__()
            raise NoCluster(f"the workers at {self.address} cannot do this: {error}") from None
        self._compare(versions)
        return self

    def _compare(self, versions: Mapping[str, str]) -> None:
        others = sorted({v for v in versions.values() if v != __version__})
        if others or not versions:
            self.__exit__()
            what = f"have zubrel {', '.join(others)}" if others else "are none"
            raise NoCluster(f"the workers at {self.address} {what}; here it is {__version__}")

    def __exit__(self, *error: object) -> None:
        for thing in (self.client, self.cluster):
            if thing is not None:
                with suppress(Exception):  # whoever has gone away need not be told to
                    thing.close(timeout=CONNECT)
        self.client = self.cluster = None

    def outcomes(self, made: Sequence[Files]) -> Iterator[VariantOutcome]:
        given = [(files.main, dict(files.texts), self.limits) for files in made]
        yield from self.run(searched, given, cut_short)

    def run(
        self,
        work: Callable[..., T],
        given: Sequence[tuple[Any, ...]],
        lost: Callable[[str], T],
    ) -> Iterator[T]:
        """What `work`, a function of a module, makes of each of some things, in their order.

        `lost` makes something of what is not known because a worker, or the scheduler, is gone.
        """
        waiting: list[Any] = []
        left = list(given)
        gone, killed = _gone_away()
        try:
            while left or waiting:
                ahead = AHEAD * max(1, len(self.client.nthreads()))
                while left and len(waiting) < ahead:
                    waiting.append(self.client.submit(work, *left[0], pure=False))
                    del left[0]
                try:
                    result: T = _result(waiting[0], self.on_check)
                except killed:  # it has taken several workers with it, and would take more
                    result = lost("the end of the workers that were at work")
                waiting.pop(0)
                yield result
        except gone:
            # what is known is known; of all else it is said why it is not
            for _ in range(len(waiting) + len(left)):
                yield lost("the end of the cluster")
        finally:
            with suppress(Exception):
                self.client.cancel(waiting)


def _gone_away() -> tuple[tuple[type[BaseException], ...], type[BaseException]]:
    """What is raised where a scheduler is gone, and where a task kills its workers."""
    from concurrent.futures import CancelledError

    from distributed import KilledWorker
    from distributed.client import FutureCancelledError
    from distributed.comm.core import CommClosedError

    return (CancelledError, FutureCancelledError, CommClosedError, OSError), KilledWorker


def _result(future: Any, on_check: Callable[[], None] | None) -> Any:
    """The result of a future, while somebody may want to stop."""
    # asked for with a limit of time, a cluster may fail to say that it is not there yet
    ended = Event()
    future.add_done_callback(lambda _: ended.set())
    while not (ended.wait(TICK) or future.done()):
        if on_check is not None:
            on_check()
    return future.result()


def searched(main: str, texts: dict[str, str], limits: Limits) -> VariantOutcome:
    """In a worker: what can be proved of some texts, by their paths; `main` is the first file."""
    return outcome_of(Files(main, texts), Budget(limits))


def version_here() -> str:
    """In a worker: the version of the program there."""
    return __version__
