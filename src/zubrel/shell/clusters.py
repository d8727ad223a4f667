"""Checking by the workers of a cluster: several worlds, or the questions of one large world."""

from __future__ import annotations

from collections.abc import Sequence

import click

from zubrel.base.budget import Interrupted
from zubrel.base.diagnostics import InvalidInput
from zubrel.narrated.narrate import nothing_known
from zubrel.shell.options import Common
from zubrel.shell.streams import refuse_to_write_over
from zubrel.shell.surveys import Result, at_work, report_here
from zubrel.swept.helpers import ClusterHelpers
from zubrel.swept.reports import report_of
from zubrel.swept.settings import read_whole
from zubrel.swept.workers import Cluster, NoCluster


def reports_by_cluster(
    paths: Sequence[str], common: Common, with_progression: bool, jobs: int, address: str
) -> list[Result]:
    """As `reports_on`, by the workers of a cluster; `jobs` is how many a local one has.

    Of a single world the workers answer what does not depend on each other. Raises
    `click.UsageError` where there is no cluster.
    """
    try:
        if len(paths) == 1:
            return [_one_world(paths[0], common, with_progression, jobs, address)]
        return _a_world_each(paths, common, with_progression, jobs, address)
    except NoCluster as none:
        raise click.UsageError(str(none)) from None


def _one_world(
    path: str, common: Common, with_progression: bool, jobs: int, address: str
) -> Result:
    """The report on a world whose questions are answered by workers."""
    try:
        files = read_whole(path)
    except InvalidInput as invalid:
        return invalid
    with Cluster(address, common.limits, None, jobs) as cluster:
        helpers = ClusterHelpers(cluster, files)
        return report_here(path, common, with_progression, helpers, again=False)


def _a_world_each(
    paths: Sequence[str], common: Common, with_progression: bool, jobs: int, address: str
) -> list[Result]:
    """The reports on some worlds, each made by one worker."""
    given: list[tuple[object, ...]] = []
    results: dict[int, Result] = {}
    # files are read here: workers may not see this file system
    for number, path in enumerate(paths):
        try:
            files = read_whole(path)
            given.append((files.main, dict(files.texts), common.limits, with_progression))
        except InvalidInput as invalid:
            results[number] = invalid
    refuse_to_write_over(common.output)
    sent = [number for number in range(len(paths)) if number not in results]

    # results come in the order in which worlds were sent: the next one is whose worker was lost
    def lost(words: str) -> Result:
        path = paths[sent[len(results) - (len(paths) - len(sent))]]
        return nothing_known(path, path, words, common.budget.seconds())

    try:
        with at_work(common) as meter:
            meter.stage("searching")
            with Cluster(address, common.limits, common.budget.on_check, jobs) as cluster:
                for number, result in zip(sent, cluster.run(report_of, given, lost), strict=True):
                    results[number] = result
    except Interrupted as interrupted:
        results |= {number: interrupted for number in sent if number not in results}
    return [results[number] for number in range(len(paths))]
