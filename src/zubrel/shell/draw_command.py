"""`zubrel draw`: pictures of a world."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED, OK, STOPPED
from zubrel.shell.options import SEARCHING, Common, common_options, example, take_common
from zubrel.shell.streams import note, write_bytes
from zubrel.shell.surveys import loaded, report_on

KINDS = ("map", "chain", "windows", "growth", "losses", "pace")
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
    losses   where, and after how many moves, aimless plays lose their last win
    pace     how often curious plays come to something new

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
    # drawn from simulated plays, and not from a report
    if picture == "pace":
        write_bytes(_pace(world, form, common), common.output)
        return OK
    report = report_on(world, common, with_outline=True, with_odds=picture == "losses")
    # plotting takes long to load: only where something is drawn
    from zubrel.drawn.draw import draw, lacking

    if missing := lacking(report, picture):
        note(f"{missing}: nothing is drawn")
        return INTERRUPTED if report.stopped == CTRL_C else STOPPED

    write_bytes(draw(report, picture, form), common.output)
    return OK


def _pace(path: str, form: str, common: Common) -> bytes:
    """The pace of simulated plays, as many as `odds` makes where nobody says how many."""
    world = loaded(path, common)
    from zubrel.drawn.pace import draw_pace
    from zubrel.odds.odds import OddsOptions, players_of
    from zubrel.odds.players import CURIOUS
    from zubrel.shell.odds_command import odds_on

    (known,) = odds_on(world, OddsOptions(players_of([CURIOUS], 0.0)), common).players
    assert known.seen is not None, "plays of those who remember are always simulated"
    return draw_pace(world, CURIOUS, known.seen).written(form)
