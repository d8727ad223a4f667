"""`zubrel demo`: the demo worlds, checked."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path
from typing import Any

import click

from zubrel.narrated.report import Report
from zubrel.shell.options import common_options, take_common
from zubrel.shell.streams import write_bytes, write_pretty, write_text
from zubrel.shell.surveys import report_on

DRAFT, FINISHED = "draft.yaml", "tidewrack.yaml"


@click.command("demo")
@click.argument("folder", default="zubrel-demo", metavar="[DIR]")
@click.option("--force", is_flag=True, help="Overwrite demo worlds that are already there.")
@common_options
def demo_command(folder: str, force: bool, **options: Any) -> int:
    """Write the demo worlds into DIR (default: zubrel-demo), check the flawed draft and show what
    is wrong with it, then check the finished world and show its shortest win. The four pictures of
    the draft are drawn beside it.
    """
    common = take_common(options)
    target = Path(folder)
    present = [name for name in (DRAFT, FINISHED) if (target / name).exists()]
    if present and not force:
        raise click.UsageError(
            f"{target / present[0]} is already there; --force overwrites it, or name another folder"
        )
    try:
        target.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise click.UsageError(f"{folder} cannot be made: {error.strerror}") from None
    for name in (DRAFT, FINISHED):
        text = files("zubrel.demo").joinpath(name).read_text(encoding="utf-8")
        write_text(text, str(target / name))
    draft = report_on(str(target / DRAFT), common.limits, with_outline=True)
    reports = [draft, report_on(str(target / FINISHED), common.limits)]
    drawn = _draw(draft, target)
    write_pretty(
        lambda console: _show(reports, drawn, target, console), common.output, common.color
    )
    return 0


def _draw(report: Report, target: Path) -> list[Path]:
    """The four pictures, and where they are; none where a limit was reached."""
    if report.sketch is None:
        return []
    from zubrel.drawn.draw import PICTURES, draw, lacking

    paths = []
    for picture in (p for p in PICTURES if not lacking(report, p)):
        paths.append(target / f"{Path(DRAFT).stem}-{picture}.png")
        write_bytes(draw(report, picture, "png"), str(paths[-1]))
    return paths


def _show(reports: list[Report], drawn: list[Path], target: Path, console: Any) -> None:
    from zubrel.output.text import write_report, write_route

    draft, finished = reports
    console.print(f"$ zubrel check {target / DRAFT}", style="bold cyan")
    write_report(draft, console)
    console.print(f"\n$ zubrel check {target / FINISHED}", style="bold cyan")
    write_report(finished, console)
    if finished.shortest_win:
        console.print(f"\n$ zubrel route {target / FINISHED}", style="bold cyan")
        win = finished.shortest_win
        write_route(f"the ending {win.name}", win.moves, console)
    if drawn:
        console.print(f"\n$ zubrel draw {target / DRAFT} map -o {drawn[0]}", style="bold cyan")
        console.print("Pictures of the draft: " + ", ".join(str(path) for path in drawn))
    console.print(f"\nBoth worlds are in {target}: change them and check again.")
