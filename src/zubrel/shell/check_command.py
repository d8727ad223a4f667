"""`zubrel check`: prove worlds, or show what is wrong with them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import click

from zubrel.base.budget import Interrupted
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.kinds import GRAVITY, KINDS
from zubrel.narrated.report import Report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import FOUND, INTERRUPTED, INVALID, OK, STOPPED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    fail_on_option,
    format_option,
    jobs_option,
    take_common,
)
from zubrel.shell.streams import note, write_pretty, write_problems, write_text
from zubrel.shell.surveys import Result, kept_reports_on, reports_on

FORMATS = ["text", "json", "sarif", "junit", "markdown"]


@click.command(
    "check",
    epilog=example(
        "zubrel check island.yaml",
        "zubrel check worlds/*.yaml --fail-on warning --jobs 2",
        "zubrel check island.yaml --format sarif -o island.sarif",
    ),
)
@click.argument("worlds", nargs=-1, required=True, metavar="WORLD...")
@format_option(FORMATS)
@fail_on_option("error", "a finding")
@jobs_option("Up to N processes at once: a world each, or parts of a large one.")
@click.option(
    "--keep",
    "folder",
    metavar="DIR",
    help="Keep what is proved in DIR, and answer at once where nothing has changed since.",
)
@click.option(
    "--cluster",
    metavar="ADDRESS",
    help="Check on a Dask cluster: tcp://HOST:PORT of its scheduler, or local.",
)
@click.option("-v", "--verbose", is_flag=True, help="Everything, nothing folded.")
@common_options("output", "quiet", "color", *SEARCHING)
def check_command(
    worlds: tuple[str, ...],
    form: str,
    fail_on: str,
    jobs: int,
    verbose: bool,
    folder: str | None,
    cluster: str | None,
    **options: Any,
) -> int:
    """Search every situation of each WORLD: verdict and findings.

    Exit code 0: nothing at or above --fail-on; 1: findings; 2: a world is invalid; 3: the search
    hit a limit, and nothing is certain. Worlds that are valid are told of beside invalid ones.
    """
    common = take_common(options)
    # what every win includes takes work that the overview does not show
    with_progression = verbose or form == "json"

    def reports_of(paths: Sequence[str]) -> list[Result]:
        if cluster is not None:
            from zubrel.shell.clusters import reports_by_cluster  # few have one

            return reports_by_cluster(paths, common, with_progression, jobs, cluster)
        return reports_on(paths, common, with_progression, jobs)

    if folder is None:
        results = reports_of(worlds)
    else:
        results = kept_reports_on(worlds, common, folder, with_progression, reports_of)
    reports = [r for r in results if isinstance(r, Report)]
    if reports or len(worlds) > 1:
        _write(reports, form, fail_on, verbose, len(worlds) > 1, common)
    # after the reports: the last thing on a terminal is what has to be mended
    invalid = [r for r in results if isinstance(r, InvalidInput)]
    for number, problems in enumerate(invalid):
        if number:
            note("")
        write_problems(problems)
    if any(isinstance(r, Interrupted) for r in results):
        note(f"interrupted: {len(reports)} of {len(worlds)} worlds are told of")
        return INTERRUPTED
    if any(r.stopped == CTRL_C for r in reports):
        return INTERRUPTED
    return INVALID if invalid else exit_code(reports, fail_on)


def _write(
    reports: list[Report], form: str, fail_on: str, verbose: bool, several: bool, common: Common
) -> None:
    # machines get bytes, a terminal gets what fits its width
    if form != "text":
        write_text(_machine_text(reports, form, fail_on, several), common.output)
        return

    def draw(console: Any) -> None:
        from zubrel.output.overview import write_overview
        from zubrel.output.text import write_report

        for number, report in enumerate(reports):
            if number:
                console.print()
            if verbose and not common.quiet:
                write_report(report, console)
            else:
                write_overview(report, console, common.quiet)

    write_pretty(draw, common.output, common.color)


def _machine_text(reports: list[Report], form: str, fail_on: str, several: bool) -> str:
    if form == "sarif":
        from zubrel.output.as_sarif import reports_as_sarif

        return reports_as_sarif(reports)
    if form == "junit":
        from zubrel.output.as_junit import reports_as_junit

        return reports_as_junit(reports, fail_on)
    if form == "markdown":
        from zubrel.output.as_markdown import reports_as_markdown

        return reports_as_markdown(reports)
    from zubrel.output.as_json import reports_as_json

    return reports_as_json(reports, several)


def exit_code(reports: list[Report], fail_on: str) -> int:
    """What the program's exit code says about several worlds."""
    bar = GRAVITY[fail_on]
    if any(GRAVITY[f.severity] >= bar for r in reports for f in r.findings if not f.accepted):
        return FOUND
    open_kinds = {kind for r in reports for kind, _ in r.undecided}
    if any(GRAVITY[KINDS[kind].severity] >= bar for kind in open_kinds):
        return STOPPED
    return OK if all(r.complete for r in reports) else STOPPED
