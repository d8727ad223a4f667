"""`zubrel mend`: changes to a world that are proved to help."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from zubrel.authored.files import read_source
from zubrel.base.plain import plain
from zubrel.base.spelling import suggestion
from zubrel.mended.files import Files
from zubrel.mended.mend import Mended, Mender, Proposal, findings_to_mend, mender_of
from zubrel.mended.trials import Trials
from zubrel.mended.whole import Whole, mend_whole, to_mend
from zubrel.narrated.report import Told
from zubrel.shell.exits import FOUND, OK, STOPPED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    jobs_option,
    kind_and_subject,
    take_common,
)
from zubrel.shell.streams import note, refuse_to_write_over, write_files, write_pretty, write_text
from zubrel.shell.surveys import at_work


@click.command(
    "mend",
    epilog=example(
        "zubrel mend island.yaml",
        "zubrel mend island.yaml crate",
        "zubrel mend island.yaml missable spyglass --format json",
        "zubrel mend island.yaml crate --apply 1",
    ),
)
@click.argument("world")
@click.argument("about", nargs=-1, metavar="[[KIND] SUBJECT]")
@click.option(
    "--apply",
    "chosen",
    type=click.IntRange(1),
    metavar="N",
    help="Write change number N into WORLD, or into the file that -o names.",
)
@format_option(["text", "json"])
@jobs_option("Up to N changed worlds are searched at once, each in a process.")
@common_options("output", "quiet", "color", *SEARCHING)
def mend_command(
    world: str,
    about: tuple[str, ...],
    chosen: int | None,
    form: str,
    jobs: int,
    **options: Any,
) -> int:
    """Propose changes to WORLD after which the finding on SUBJECT is gone, at most five, the best
    first; without a SUBJECT, one set of changes after which there is no error left. Each is
    searched completely before it is told: what goes, what comes, how the shortest win changes. Last
    come an end of the game there, and to accept the finding.

    Nothing is written unless --apply asks for it. Exit code 0: there is a change that mends; 1:
    none of those that were tried; 3: a limit came first.
    """
    common = take_common(options)
    kind, subject = kind_and_subject(about) if about else (None, None)
    # an answer for machines and a change of files are two commands
    if chosen is not None and form == "json":
        raise click.UsageError("--apply writes a world, and --format json tells of changes")
    with at_work(common) as meter, Trials(common.budget, meter, jobs) as trials:
        meter.stage("reading")
        mender = mender_of(Files.read(world), common.budget, meter)
        # without a whole search nothing is proved of any change
        if not mender.before.complete:
            note(f"nothing can be proposed: the search stopped at {mender.before.stopped}")
            return STOPPED
        if subject is None:
            whole = mend_whole(mender, trials)
            return _end_whole(mender, whole, chosen, form, common)
        findings = findings_to_mend(mender.before, kind, subject)
        if not findings:
            raise click.UsageError(_unknown(mender.before.findings, kind, subject))
        mended = [mender.of(finding, trials) for finding in findings]
    if chosen is not None:
        proposals = [p for one in mended for p in one.proposals]
        return _write(mender.files, proposals, chosen, common)
    _tell(world, mended, form, common)
    return OK if any(not p.last for one in mended for p in one.proposals) else FOUND


def _end_whole(mender: Mender, whole: Whole, chosen: int | None, form: str, common: Common) -> int:
    """Write or tell of a set of changes."""
    if chosen is not None:
        proposals = [whole.proposal] if whole.proposal is not None else []
        return _write(mender.files, proposals, chosen, common)
    from zubrel.output.mends import whole_as_json, write_whole

    refuse_to_write_over(common.output)
    errors = len(to_mend(mender.before))
    if form == "json":
        write_text(whole_as_json(mender.files.main, whole), common.output)
    else:
        write_pretty(lambda c: write_whole(whole, errors, c), common.output, common.color)
    return FOUND if whole.left else OK


def _unknown(findings: Sequence[Told], kind: str | None, subject: str) -> str:
    words = f"there is no open finding {kind or 'on'} {plain(subject)}"
    known = sorted({f.subject for f in findings if not f.accepted})
    hint = suggestion(subject, known) or "zubrel check shows them."
    return f"{words}. {hint}"


def _tell(world: str, mended: Sequence[Mended], form: str, common: Common) -> None:
    from zubrel.output.mends import mended_as_json, write_mended

    refuse_to_write_over(common.output)
    if form == "json":
        write_text(mended_as_json(world, mended), common.output)
        return
    write_pretty(lambda console: write_mended(mended, console), common.output, common.color)


def _write(files: Files, proposals: Sequence[Proposal], chosen: int, common: Common) -> int:
    """Write a proposal into the files of the world, or beside them; never over what was changed
    meanwhile."""
    if chosen > len(proposals):
        raise click.UsageError(f"there is no change {chosen}: there are {len(proposals)}")
    proposal = proposals[chosen - 1]
    # a proposal may touch several files of the world
    changed = files.differing(proposal.files)
    if common.output is not None:
        refuse_to_write_over(common.output)
        if len(changed) > 1:
            names = ", ".join(plain(path) for path in changed)
            raise click.UsageError(f"change {chosen} is one of {names}: -o names a single file")
    for path in changed:
        if read_source(path)[1] != files.texts[path]:
            raise click.UsageError(f"{plain(path)} has changed meanwhile; nothing was written")
    contents = {}
    for path in changed:
        encoded = proposal.files.texts[path].encode()
        marked = common.output is None and Path(path).read_bytes().startswith(_MARK)
        contents[common.output or path] = _MARK + encoded if marked else encoded
    # asked for by the author, and the only files of the author's that are ever replaced
    write_files(contents, over=() if common.output else changed)
    for path in contents:
        note(f"{plain(path)}: {proposal.words}")
    return OK


_MARK = b"\xef\xbb\xbf"
"""What some editors put before UTF-8."""
