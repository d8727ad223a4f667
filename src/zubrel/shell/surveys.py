"""Running the pipeline with a progress bar, on one world or on several at once."""

from __future__ import annotations

import multiprocessing
import signal
from collections.abc import Sequence

from msgspec.structs import replace

from zubrel.atoms.budget import Limits
from zubrel.atoms.diagnostics import Diagnostic, InvalidInput
from zubrel.narrated.report import Report
from zubrel.pipeline import load, report
from zubrel.shell.meter import Meter


def report_on(
    path: str, limits: Limits, with_progression: bool = False, with_outline: bool = False,
    jobs: int = 1,
) -> Report:  # fmt: skip
    """The report on the world at `path`; a bar on the terminal while it takes long."""
    meter = Meter()
    try:
        return report(load(path), limits, meter, with_progression, with_outline, jobs)
    finally:
        meter.clear()


def reports_on(
    paths: Sequence[str], limits: Limits, with_progression: bool, jobs: int
) -> list[Report]:
    """The report on each world, in their order; up to `jobs` of them in processes of their own.

    Of a single world, what does not depend on each other is done in processes. The memory limit is
    shared out among them. Raises `InvalidInput` for the first invalid world.
    """
    if len(paths) == 1:
        return [report_on(paths[0], limits, with_progression, jobs=jobs)]
    jobs = min(jobs, len(paths))
    if jobs < 2:
        return [report_on(path, limits, with_progression) for path in paths]
    if limits.memory is not None:
        limits = replace(limits, memory=limits.memory // jobs)
    work = [(path, limits, with_progression) for path in paths]
    found = []
    with multiprocessing.get_context("spawn").Pool(jobs, _leave_interrupts_to_the_parent) as pool:
        for result in pool.imap(_one, work):
            if not isinstance(result, Report):
                raise InvalidInput(result)
            found.append(result)
    return found


def _leave_interrupts_to_the_parent() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _one(work: tuple[str, Limits, bool]) -> Report | tuple[Diagnostic, ...]:
    path, limits, with_progression = work
    try:
        return report(load(path), limits, None, with_progression)
    except InvalidInput as invalid:
        return invalid.diagnostics
