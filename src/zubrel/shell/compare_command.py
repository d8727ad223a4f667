"""`zubrel compare`: what an edit changed."""

from __future__ import annotations

from typing import Any

import click
from msgspec.structs import replace

from zubrel.base.budget import Interrupted
from zubrel.narrated.difference import Difference, difference
from zubrel.narrated.report import Report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    fail_on_option,
    format_option,
    take_common,
)
from zubrel.shell.revisions import world_at
from zubrel.shell.streams import write_pretty, write_text
from zubrel.shell.surveys import report_on


@click.command(
    "compare",
    epilog=example(
        "zubrel compare before.yaml after.yaml",
        "zubrel compare HEAD:island.yaml island.yaml --format markdown",
    ),
)
@click.argument("old")
@click.argument("new")
@format_option(["text", "json", "markdown"])
@fail_on_option("warning", "a new finding")
@common_options("output", "quiet", "color", *SEARCHING)
def compare_command(old: str, new: str, form: str, fail_on: str, **options: Any) -> int:
    """What is different in NEW: verdict, findings new and gone, shortest win, what wins include.

    OLD and NEW are world files, or REV:path for a file in a revision of a git repository, with its
    path from the top: zubrel compare HEAD:island.yaml island.yaml

    Exit code 1 when the verdict got worse or a finding is new, 3 when a search hit a limit or has
    left open whether one is.
    """
    common = take_common(options)
    reports: list[Report] = []
    # one after the other, each with the limits for itself
    for path in (old, new):
        with world_at(path) as file:
            known = report_on(file, common, True, again=bool(reports), with_odds=True)
            reports.append(replace(known, path=path))
        if reports[-1].stopped == CTRL_C:
            raise Interrupted(CTRL_C)
    changed = difference(*reports)
    _write(changed, form, common)
    if changed.worse(fail_on):
        return 1
    return 3 if changed.leaves_open(fail_on) else 0


def _write(changed: Difference, form: str, common: Common) -> None:
    from zubrel.output import differences

    if form == "json":
        write_text(differences.difference_as_json(changed), common.output)
    elif form == "markdown":
        write_text(differences.difference_as_markdown(changed), common.output)
    else:
        write_pretty(
            lambda console: differences.write_difference(changed, console, common.quiet),
            common.output,
            common.color,
        )
