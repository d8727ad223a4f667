"""Running the pipeline with a budget and its meter, on one world or on several at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING

import click

from zubrel.base.budget import Budget, Interrupted, LimitReached
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.plain import plain
from zubrel.checked.world import World
from zubrel.mended.files import Files
from zubrel.narrated.narrate import nothing_known
from zubrel.narrated.report import Report, Told
from zubrel.pipeline import load, report
from zubrel.shell.alarm import CTRL_C, watched
from zubrel.shell.meter import ProgressLine
from zubrel.shell.options import Common
from zubrel.shell.streams import refuse_to_write_over

if TYPE_CHECKING:  # worlds that need no help do without
    from zubrel.findings.large.helpers import Helpers

Result = Report | InvalidInput | Interrupted
"""The report on a world; what is wrong with it; or nothing, since Ctrl-C came before."""


@contextmanager
def at_work(common: Common, budget: Budget | None = None) -> Iterator[ProgressLine]:
    """A block of work under the limits of the command line, with its meter."""
    budget = budget or common.budget
    meter = ProgressLine(budget, common.quiet, common.color)
    try:
        with watched(budget):
            yield meter
    finally:
        meter.clear()


def loaded(path: str, common: Common) -> World:
    """The world at `path`, read within the limits; output must not go where it was read."""
    with at_work(common) as meter:
        meter.stage("reading")
        world = load(path)
        common.budget.check_limits()
    refuse_to_write_over(common.output)
    return world


def report_on(
    path: str,
    common: Common,
    with_progression: bool = False,
    with_outline: bool = False,
    jobs: int | Helpers = 1,
    again: bool = False,
    beside_win: str | None = None,
    with_odds: bool = False,
    suffices: Callable[[Told], bool] | None = None,
) -> Report:
    """The report on the world at `path`.

    `again`: with the limits of the command line for itself, their clock beginning now;
    `beside_win`, `with_odds` and `suffices` as for `report`.
    """
    # a second world has its own time, which begins now
    budget = Budget(common.limits) if again else common.budget
    with at_work(common, budget) as meter:
        meter.stage("reading")
        try:
            world = load(path)
        except LimitReached as limit:
            return nothing_known(path, path, str(limit), budget.seconds())
        # now it is known which files the world is made of
        refuse_to_write_over(common.output)
        return report(
            world,
            budget,
            meter,
            with_progression,
            with_outline,
            jobs,
            beside_win=beside_win,
            with_odds=with_odds,
            suffices=suffices,
        )


def reports_on(
    paths: Sequence[str], common: Common, with_progression: bool, own_jobs: int
) -> list[Result]:
    """The report on each world, in their order, or what is wrong with it; up to `own_jobs` of them
    in processes of their own.

    Of a single world, what does not depend on each other is done in processes. The memory limit is
    shared out among them; each world has the time for itself.
    """
    # several worlds a process each, or the questions of one: never both
    jobs = min(own_jobs, len(paths)) if len(paths) > 1 else 1
    if jobs > 1:
        from zubrel.shell.parallel import in_processes  # one world does without

        def here(path: str) -> Result:
            return report_here(path, common, with_progression, 1, True)

        return in_processes(paths, common, with_progression, jobs, here)
    reports: list[Result] = []
    for path in paths:
        # after Ctrl-C nothing is begun any more
        if reports and _was_interrupted(reports[-1]):
            reports.append(Interrupted(CTRL_C))
            continue
        reports.append(report_here(path, common, with_progression, own_jobs, len(paths) > 1))
    return reports


def _was_interrupted(result: Result) -> bool:
    stopped = result.stopped if isinstance(result, Report) else str(result)
    return stopped == CTRL_C


def report_here(
    path: str, common: Common, with_progression: bool, jobs: int | Helpers, again: bool
) -> Result:
    """As `report_on`, with what is wrong with a world for its report."""
    try:
        return report_on(path, common, with_progression, jobs=jobs, again=again)
    except (InvalidInput, Interrupted) as ended:
        return ended


def kept_reports_on(
    paths: Sequence[str],
    common: Common,
    folder: str,
    with_progression: bool,
    reports_of: Callable[[Sequence[str]], list[Result]],
) -> list[Result]:
    """As `reports_of`, of worlds of which a folder knows nothing; what is proved is kept there.

    Raises `click.UsageError` where the folder takes nothing.
    """
    from zubrel.swept.reports import Reports
    from zubrel.swept.settings import read_whole

    limits = common.limits
    # what changes a result has to be in its name; seconds and memory only cut it short
    decisive = (limits.engine, str(limits.situations), str(with_progression))
    reports = Reports(folder, decisive)
    known: dict[str, Result] = {}
    read: dict[str, Files] = {}
    for path in dict.fromkeys(paths):
        with suppress(InvalidInput):  # which is told when the world is read again
            read[path] = read_whole(path)
            report = reports.find(read[path], common.budget.seconds())
            known |= {path: report} if report is not None else {}
    refuse_to_write_over(common.output)
    missing = [path for path in dict.fromkeys(paths) if path not in known]
    results = reports_of(missing) if missing else []
    # only whole results are kept, which `keep` decides
    for path, result in zip(missing, results, strict=True):
        known[path] = result
        if isinstance(result, Report) and path in read:
            try:
                reports.keep(read[path], result)
            except OSError as error:
                words = f"{plain(folder)} takes no results: {error.strerror or error}"
                raise click.UsageError(words) from None
    return [known[path] for path in paths]
