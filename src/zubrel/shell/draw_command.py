"""`zubrel draw`: pictures of a world."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED, OK, STOPPED
from zubrel.shell.options import SEARCHING, common_options, example, take_common
from zubrel.shell.streams import note, write_bytes
from zubrel.shell.surveys import report_on

KINDS = ("map", "chain", "windows", "growth")
FORMATS = ("png", "svg", "pdf")


@click.command(
    "draw",
    epilog=example(
        "zubrel draw island.yaml map -o island.png",
        "zubrel draw island.yaml windows -o windows.svg",
    ),
)
@click.argument("world")
@click.argument("picture", type=click.Choice(KINDS))
@common_options("output", "quiet", *SEARCHING)
def draw_command(world: str, picture: str, **options: Any) -> int:
    """Draw a picture of WORLD into a file (-o FILE.png, FILE.svg or FILE.pdf).

    \b
    map      areas and ways, gates, chapters of progress, softlocks
    chain    what every win includes, in its proved order
    windows  when each thing can be had, and what closes it
    growth   how many situations there are after each move

    Exit code 3 when the search hit a limit: then nothing is drawn.
    """
    common = take_common(options)
    if common.output is None:
        raise click.UsageError(f"say where the picture goes: -o {picture}.png (or .svg, .pdf)")
    form = Path(common.output).suffix.lower().removeprefix(".")
    if form not in FORMATS:
        raise click.UsageError(
            f"{common.output} does not end with .png, .svg or .pdf, which tells the format"
        )
    report = report_on(world, common, with_outline=True)
    from zubrel.drawn.draw import draw, lacking

    if missing := lacking(report, picture):
        note(f"{missing}: nothing is drawn")
        return INTERRUPTED if report.stopped == CTRL_C else STOPPED

    write_bytes(draw(report, picture, form), common.output)
    return OK
