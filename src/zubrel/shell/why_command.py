"""`zubrel why`: everything about one finding, or why something can never be."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

import click

from zubrel.base.budget import LimitReached
from zubrel.narrated.report import Report, Told
from zubrel.policy import MENDED_AT_ONCE
from zubrel.shell.exits import OK, STOPPED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    kind_and_subject,
    take_common,
)
from zubrel.shell.streams import note, refuse_to_write_over, write_pretty, write_text
from zubrel.shell.surveys import at_work, report_on

Key = tuple[str, str]


@click.command(
    "why",
    epilog=example(
        "zubrel why island.yaml crate",
        "zubrel why island.yaml missable spyglass",
        "zubrel why island.yaml 'lamp_lit and at tower' --after walk.txt",
    ),
)
@click.argument("world")
@click.argument("about", nargs=-1, required=True, metavar="[KIND] SUBJECT|CONDITION|RULE")
@click.option(
    "--after",
    "script",
    metavar="SCRIPT",
    help="Ask of a condition or a rule after the moves of this file.",
)
@format_option(["text", "json"])
@common_options("output", "quiet", "color", *SEARCHING)
def why_command(
    world: str, about: tuple[str, ...], script: str | None, form: str, **options: Any
) -> int:
    """Everything about the findings on SUBJECT in WORLD: the reason to its end, the moves, what
    follows. Of a CONDITION, or the id of a RULE on which nothing was found: why it can never be,
    or how it can.

    Exit code 3 when the search hit a limit before it knew.
    """
    common = take_common(options)
    kind, subject = kind_and_subject(about)
    # an id may have findings; anything else is a condition
    if script is None and subject.isidentifier():

        def suffices(finding: Told) -> bool:
            return finding.subject == subject and kind in (None, finding.kind)

        report = report_on(world, common, beside_win=subject, suffices=suffices)
        from zubrel.output.answers import about as findings_about

        findings = findings_about(report, kind, subject)
        if findings:
            _write_findings(report, findings, form, common)
            if not report.complete:
                note(f"the search stopped at {report.stopped}: there may be more about {subject}")
            return OK
        if not report.complete:
            note(f"nothing is known of {subject}: the search stopped at {report.stopped}")
            return STOPPED
        if kind is not None:
            raise click.UsageError(f"there is no finding {kind} {subject} in this world")
    _answer(world, subject, script, form, common)
    return OK


def _write_findings(report: Any, findings: Any, form: str, common: Common) -> None:
    from zubrel.output.answers import findings_as_json, write_findings

    if form == "json":
        write_text(findings_as_json(report.path, findings), common.output)
        return
    mends = _mends(report, findings, common)
    write_pretty(
        lambda console: write_findings(report, findings, console, mends),
        common.output,
        common.color,
    )


def _mends(report: Report, findings: Sequence[Told], common: Common) -> dict[Key, tuple[str, ...]]:
    """What would mend open errors and warnings in a word each, where that takes no time."""
    # mends are searched each: only where a search takes no time
    if not report.complete or (report.situations or MENDED_AT_ONCE) >= MENDED_AT_ONCE:
        return {}
    from zubrel.mended.files import Files
    from zubrel.mended.mend import mender_of
    from zubrel.mended.trials import Trials

    mends: dict[Key, tuple[str, ...]] = {}
    with at_work(common) as meter, suppress(LimitReached):
        mender = mender_of(Files.read(report.path), common.budget, meter)
        known = {(f.kind, f.subject): f for f in mender.before.findings}
        with Trials(common.budget, meter) as trials:
            for finding in findings:
                key = (finding.kind, finding.subject)
                if not finding.accepted and finding.severity != "note" and key in known:
                    proposals = mender.of(known[key], trials).proposals
                    mends[key] = tuple(p.words for p in proposals if not p.last)
    return mends


def _answer(world: str, asked: str, script: str | None, form: str, common: Common) -> None:
    from zubrel.output.answers import answer_as_json, write_answer
    from zubrel.whys import why

    with at_work(common) as meter:
        meter.stage("reading")
        answer = why(world, asked, script, common.budget, meter)
    refuse_to_write_over(common.output)
    if form == "json":
        write_text(answer_as_json(world, answer), common.output)
        return
    write_pretty(lambda console: write_answer(answer, console), common.output, common.color)
