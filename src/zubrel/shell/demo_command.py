"""`zubrel demo`: the demo worlds, checked."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from zubrel.base.packaged import packaged
from zubrel.narrated.report import Report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED, OK, STOPPED
from zubrel.shell.options import SEARCHING, common_options, example, take_common
from zubrel.shell.streams import write_files, write_pretty
from zubrel.shell.surveys import report_on

DRAFT, FINISHED = "draft.yaml", "tidewrack.yaml"
DRAWN = ("map", "chain", "windows", "growth", "losses")
"""Pictures of the draft; its pace takes a thousand plays more."""
SHOWN = "crate"
"""The finding of the draft that is shown whole."""


@click.command("demo", epilog=example("zubrel demo", "zubrel demo playground --no-color"))
@click.argument("folder", default="zubrel-demo", metavar="[DIR]")
@click.option(
    "--force", is_flag=True, help="Overwrite demo worlds and pictures that are already there."
)
@common_options("quiet", "color", *SEARCHING)
def demo_command(folder: str, force: bool, **options: Any) -> int:
    """Write the demo worlds into DIR (default: zubrel-demo), check the flawed draft and show what
    is wrong with it, then check the finished world and show its shortest win. Pictures of
    the draft are drawn beside it.
    """
    common = take_common(options)
    target = Path(folder)
    pictures = [_picture(picture) for picture in DRAWN]
    # looked for before anything is written: it is all or nothing
    present = [name for name in (DRAFT, FINISHED, *pictures) if (target / name).exists()]
    if present and not force:
        raise click.UsageError(
            f"{target / present[0]} is already there; --force overwrites it, or name another folder"
        )
    try:
        target.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise click.UsageError(f"{folder} cannot be made: {error.strerror}") from None
    worlds = {name: packaged("zubrel.demo", name) for name in (DRAFT, FINISHED)}
    write_files({str(target / name): content for name, content in worlds.items()})
    # the draft with everything that its pictures need
    draft = report_on(str(target / DRAFT), common, with_outline=True, with_odds=True)
    reports = [draft, report_on(str(target / FINISHED), common, again=True)]
    drawn = _draw(draft, target)
    write_pretty(lambda console: _show(reports, drawn, target, console), None, common.color)
    if any(report.stopped == CTRL_C for report in reports):
        return INTERRUPTED
    return OK if all(report.complete for report in reports) else STOPPED


def _draw(report: Report, target: Path) -> list[Path]:
    """Pictures, and where they are; none where a limit was reached."""
    if report.sketch is None:
        return []
    from zubrel.drawn.draw import draw, lacking

    made = {
        target / _picture(kind): draw(report, kind, "png")
        for kind in DRAWN
        if not lacking(report, kind)
    }
    write_files({str(path): content for path, content in made.items()})
    return list(made)


def _picture(kind: str) -> str:
    return f"{Path(DRAFT).stem}-{kind}.png"


def _show(reports: list[Report], drawn: list[Path], target: Path, console: Any) -> None:
    from zubrel.output.answers import write_findings
    from zubrel.output.overview import write_overview

    draft, finished = reports
    console.print(f"$ zubrel check {target / DRAFT}", style="bold cyan")
    write_overview(draft, console)
    # one finding with its whole reason, as an example of `why`
    shown = next((f for f in draft.findings if f.subject == SHOWN and f.evidence), None)
    if shown is not None:
        command = f"zubrel why {target / DRAFT} {shown.kind} {SHOWN}"
        console.print(f"\n$ {command}", style="bold cyan")
        write_findings(draft, [shown], console)
    console.print(f"\n$ zubrel check {target / FINISHED}", style="bold cyan")
    write_overview(finished, console)
    if drawn:
        console.print(f"\n$ zubrel draw {target / DRAFT} map -o {drawn[0]}", style="bold cyan")
        console.print("Pictures of the draft: " + ", ".join(str(path) for path in drawn))
    console.print(f"\nBoth worlds are in {target}. What to try next:")
    for command, told in (
        (f"zubrel play {target / DRAFT}", "walk through it, and get stuck"),
        (f"zubrel mend {target / DRAFT} {SHOWN}", "changes that are proved to help"),
        (f"zubrel report {target / DRAFT} -o draft.html", "everything on one page"),
        (f"zubrel watch {target / DRAFT}", "mend it in your editor, and see what goes"),
        ("zubrel new island.yaml", "begin a world of your own"),
    ):
        console.print(f"  {command:<50} {told}", highlight=False)
