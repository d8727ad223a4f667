"""`zubrel watch`: check again whenever a file of a world is saved."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from zubrel.atoms.diagnostics import InvalidInput
from zubrel.authored.document import read_document
from zubrel.narrated.difference import difference
from zubrel.narrated.report import Report
from zubrel.shell.options import Common, common_options, take_common
from zubrel.shell.streams import write_pretty, write_problems
from zubrel.shell.surveys import report_on

SETTLES = 100
"""Milliseconds without a further change after which a save counts as finished."""


@click.command("watch")
@click.argument("world")
@common_options
def watch_command(world: str, **options: Any) -> int:
    """Check WORLD, and again each time that it, or a file that it includes, is saved; then only
    what has changed is printed. Ends with Ctrl-C.
    """
    common = take_common(options)
    if common.output is not None:
        raise click.UsageError("watch prints to the terminal; use check -o FILE for a file")
    files = _files(world)
    report = _report(world, common)
    if report is not None:
        _show(report, common)
    for changed in _saves(world, files):
        click.echo(f"\n{time.strftime('%H:%M:%S')} {', '.join(changed)} saved")
        latest = _report(world, common)
        if latest is None:
            continue
        if report is None:
            _show(latest, common)
        else:
            _show_difference(report, latest, common)
        report = latest
    return 0


def _report(world: str, common: Common) -> Report | None:
    """The report, or None when the world is invalid: the problems are printed."""
    try:
        return report_on(world, common.limits, True)
    except InvalidInput as invalid:
        write_problems(invalid)
        return None


def _files(world: str) -> set[Path]:
    """The files of a world as far as they can be read, and at least the world itself."""
    found = {Path(world)}
    try:
        found |= {Path(source.path) for source in read_document(world).files}
    except InvalidInput as invalid:
        found |= {Path(d.span.source.path) for d in invalid.diagnostics if d.span}
    return {path.resolve() for path in found}


def _saves(world: str, files: set[Path]) -> Iterator[list[str]]:
    """The names of the files of each save, for ever; what is included is looked up each time."""
    from watchfiles import watch

    while True:
        folders = {path.parent for path in files}
        for changes in watch(*folders, step=SETTLES, recursive=False, raise_interrupt=True):
            paths = [Path(path) for _, path in changes]
            saved = sorted({path.name for path in paths if path.resolve() in files})
            if saved:
                yield saved
                files |= _files(world)
                if {path.parent for path in files} != folders:
                    break


def _show(report: Report, common: Common) -> None:
    def draw(console: Any) -> None:
        from zubrel.output.text import write_report

        write_report(report, console, common.quiet)

    write_pretty(draw, None, common.color)


def _show_difference(old: Report, new: Report, common: Common) -> None:
    def draw(console: Any) -> None:
        from zubrel.output.differences import write_difference

        write_difference(difference(old, new), console, common.quiet)

    write_pretty(draw, None, common.color)
