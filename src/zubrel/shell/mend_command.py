"""`zubrel mend`: changes to a world that are proved to help."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from zubrel.authored.files import read_source
from zubrel.mended.mend import Mended, findings_to_mend, mend
from zubrel.pipeline import load, report
from zubrel.shell.exits import FOUND, OK, STOPPED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    kind_and_subject,
    take_common,
)
from zubrel.shell.streams import note, refuse_to_write_over, write_files, write_pretty, write_text
from zubrel.shell.surveys import at_work


@click.command(
    "mend",
    epilog=example(
        "zubrel mend island.yaml crate",
        "zubrel mend island.yaml missable spyglass --format json",
        "zubrel mend island.yaml crate --apply 1",
    ),
)
@click.argument("world")
@click.argument("about", nargs=-1, required=True, metavar="[KIND] SUBJECT")
@click.option(
    "--apply",
    "chosen",
    type=click.IntRange(1),
    metavar="N",
    help="Write change number N into WORLD, or into the file that -o names.",
)
@format_option(["text", "json"])
@common_options("output", "quiet", "color", *SEARCHING)
def mend_command(
    world: str, about: tuple[str, ...], chosen: int | None, form: str, **options: Any
) -> int:
    """Propose changes to WORLD after which the finding on SUBJECT is gone. Each is searched
    completely before it is told: what goes, what comes, how the shortest win changes. Last come
    an end of the game there, and to accept the finding.

    Nothing is written unless --apply asks for it. Exit code 0: there is a change that mends; 1:
    none of those that were tried; 3: a limit came first.
    """
    common = take_common(options)
    kind, subject = kind_and_subject(about)
    if chosen is not None and form == "json":
        raise click.UsageError("--apply writes a world, and --format json tells of changes")
    source, text = read_source(world)
    with at_work(common) as meter:
        meter.stage("reading")
        checked = load(world)
        before = report(checked, common.budget, meter)
        if not before.complete:
            note(f"nothing can be proposed: the search stopped at {before.stopped}")
            return STOPPED
        found = findings_to_mend(before, kind, subject)
        if not found:
            raise click.UsageError(_unknown(before.findings, kind, subject))
        mended = [mend(source, text, checked, before, f, common.budget, meter) for f in found]
    if chosen is not None:
        return _write(world, text, mended, chosen, common)
    _tell(world, mended, form, common)
    return OK if any(not p.last for one in mended for p in one.proposals) else FOUND


def _unknown(findings: Any, kind: str | None, subject: str) -> str:
    words = f"there is no open finding {kind or 'on'} {subject}"
    known = sorted({f.subject for f in findings if not f.accepted})
    from zubrel.base.spelling import suggestion

    hint = suggestion(subject, known) or "zubrel check shows them."
    return f"{words}. {hint}"


def _tell(world: str, mended: list[Mended], form: str, common: Common) -> None:
    from zubrel.output.mends import mended_as_json, write_mended

    refuse_to_write_over(common.output)
    if form == "json":
        write_text(mended_as_json(world, mended), common.output)
        return
    write_pretty(lambda console: write_mended(mended, console), common.output, common.color)


def _write(world: str, text: str, mended: list[Mended], chosen: int, common: Common) -> int:
    """Write a proposal into the world, or beside it; never over what was changed meanwhile."""
    proposals = [p for one in mended for p in one.proposals]
    if chosen > len(proposals):
        raise click.UsageError(f"there is no change {chosen}: there are {len(proposals)}")
    proposal = proposals[chosen - 1]
    target = common.output or world
    if common.output is not None:
        refuse_to_write_over(common.output)
    elif read_source(world)[1] != text:
        raise click.UsageError(f"{world} has changed meanwhile; nothing was written")
    encoded = proposal.text.encode()
    marked = common.output is None and Path(world).read_bytes().startswith(b"\xef\xbb\xbf")
    # asked for by the author, and the only file of the author's that is ever replaced
    write_files({target: b"\xef\xbb\xbf" + encoded if marked else encoded}, over=world)
    note(f"{target}: {proposal.words}")
    return OK
