"""Several worlds at once, each in a process of its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress

from msgspec.structs import replace

from zubrel.authored.document import read_document
from zubrel.base.budget import Budget, Interrupted, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.processes import end_workers, pool_of
from zubrel.narrated.report import Report
from zubrel.pipeline import load, report
from zubrel.shell.alarm import CTRL_C, watched
from zubrel.shell.options import Common
from zubrel.shell.streams import refuse_to_write_over

Result = Report | InvalidInput | Interrupted
"""The report on a world; what is wrong with it; or nothing, since Ctrl-C came before."""


def in_processes(
    paths: Sequence[str],
    common: Common,
    with_progression: bool,
    jobs: int,
    here: Callable[[str], Result],
) -> list[Result]:
    """The report on each world; `here` makes it where the worker was ended from outside."""
    limits = common.limits
    # together they may take what one of them was allowed
    if limits.memory is not None:
        limits = replace(limits, memory=limits.memory // jobs)
    if common.output is not None:  # so that it is known what is read, and not written over
        for path in paths:
            with suppress(InvalidInput):
                read_document(path)
        refuse_to_write_over(common.output)
    results: list[Result] = []
    pool = pool_of(jobs)
    try:
        work = [pool.submit(_one, path, limits, with_progression) for path in paths]
        for path, future in zip(paths, work, strict=True):
            try:
                results.append(future.result())
            # ended from outside, by lack of memory perhaps: tried once more without others beside
            # it
            except BrokenProcessPool:
                results.append(here(path))
    except KeyboardInterrupt:
        results += [Interrupted(CTRL_C) for _ in range(len(paths) - len(results))]
    finally:
        end_workers(pool)
    return results


def _one(path: str, limits: Limits, with_progression: bool) -> Report | InvalidInput:
    """In a worker: the report on a world, or what is wrong with it."""
    budget = Budget(limits)
    try:
        with watched(budget):
            return report(load(path), budget, None, with_progression)
    except InvalidInput as invalid:
        return invalid
