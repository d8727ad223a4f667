"""`zubrel watch`: check again whenever a file of a world is saved."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from zubrel.authored.document import read_document
from zubrel.authored.files import read_source
from zubrel.base.budget import LimitReached
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.plain import plain
from zubrel.narrated.difference import difference
from zubrel.narrated.report import Report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED
from zubrel.shell.options import SEARCHING, Common, common_options, example, take_common
from zubrel.shell.streams import note, say, write_pretty, write_problems
from zubrel.shell.surveys import report_on

CHECK_FOLDERS = 1000
"""Milliseconds between two looks whether the folders are still the same."""
SETTLES = 100
"""Milliseconds without a further change after which a save counts as finished."""


@click.command(
    "watch", epilog=example("zubrel watch island.yaml", "zubrel watch island.yaml --max-seconds 20")
)
@click.argument("world")
@common_options("quiet", "color", *SEARCHING)
def watch_command(world: str, **options: Any) -> int:
    """Check WORLD, and again each time that it, or a file that it includes, is saved; then only
    what has changed is printed. Ends with Ctrl-C.
    """
    common = take_common(options)
    read_source(world)  # a world that is not there is wrong usage; one that is invalid is watched
    files = _files(world)
    report = _report(world, common)
    if report is not None and report.stopped == CTRL_C:
        return INTERRUPTED
    if report is not None:
        _show(report, common)
    for changed in _saves(world, files):
        say(f"\n{time.strftime('%H:%M:%S')} {', '.join(map(plain, changed))} saved")
        # what changed is told against the last world that could be read
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
        return report_on(world, common, True, again=True)
    except InvalidInput as invalid:
        write_problems(invalid)
    except LimitReached as limit:
        note(f"stopped at {limit}, so nothing is proved")
    return None


def _files(world: str) -> set[Path]:
    """The files of a world as far as they can be read, and at least the world itself."""
    files = {Path(world)}
    try:
        files |= {Path(source.path) for source in read_document(world).files}
    except InvalidInput as invalid:
        files |= {Path(d.span.source.path) for d in invalid.diagnostics if d.span}
    return {path.resolve() for path in files}


def _saves(world: str, files: set[Path]) -> Iterator[list[str]]:
    """The names of the files of each save, for ever; what is included is looked up each time."""
    from watchfiles import watch

    while True:
        # the folder above as well: one that is removed and made again is another folder
        folders = _folders(files)
        # by number: a folder that was replaced has the same name
        known = {folder: _number(folder) for folder in folders}
        for changes in watch(
            *folders,
            step=SETTLES,
            recursive=False,
            raise_interrupt=True,
            rust_timeout=CHECK_FOLDERS,
            yield_on_timeout=True,
        ):
            paths = [Path(path) for _, path in changes]
            saved = {path.name for path in paths if path.resolve() in files}
            moved = {folder: _number(folder) for folder in _folders(files)} != known
            if moved:
                saved |= {
                    p.name for p in files if p.exists() and _number(p.parent) != known.get(p.parent)
                }
            if saved:
                yield sorted(saved)
                files |= _files(world)
            # the watcher holds on to folders that are no longer those of the world
            if moved or _folders(files) != folders:
                break


def _folders(files: set[Path]) -> set[Path]:
    """The folders that the files lie in and that are there, and those right above them."""
    every = {path.parent for path in files}
    return {folder for folder in every | {folder.parent for folder in every} if folder.is_dir()}


def _number(folder: Path) -> int | None:
    """What tells a folder from another one of the same name; None: there is none."""
    try:
        return folder.stat().st_ino
    except OSError:
        return None


def _show(report: Report, common: Common) -> None:
    def draw(console: Any) -> None:
        from zubrel.output.overview import write_overview

        write_overview(report, console, common.quiet)

    write_pretty(draw, None, common.color)


def _show_difference(old: Report, new: Report, common: Common) -> None:
    def draw(console: Any) -> None:
        from zubrel.output.differences import write_difference

        write_difference(difference(old, new), console, common.quiet)

    write_pretty(draw, None, common.color)
