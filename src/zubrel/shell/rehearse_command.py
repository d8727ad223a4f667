"""`zubrel rehearse`: regression tests for a world."""

from __future__ import annotations

from typing import Any

import click

from zubrel.authored.files import read_source
from zubrel.output.rehearsals import (
    rehearsals_as_json,
    rehearsals_as_junit,
    rehearsals_as_text,
)
from zubrel.played.rehearse import recorded
from zubrel.played.script import check_names, deal_of, read_script
from zubrel.played.session import Impossible, NeedsOutcome
from zubrel.routes import rehearse_scripts
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    take_common,
)
from zubrel.shell.streams import note, refuse_to_write_over, write_text
from zubrel.shell.surveys import at_work, loaded


@click.command(
    "rehearse",
    epilog=example(
        "zubrel rehearse island.yaml walks/*.txt",
        "zubrel rehearse island.yaml walk.txt --record -o recorded.txt",
    ),
)
@click.argument("world")
@click.argument("scripts", nargs=-1, required=True, metavar="SCRIPT...")
@format_option(["text", "json", "junit"])
@click.option(
    "--record",
    is_flag=True,
    help="Instead write the one SCRIPT anew, with what is true after each move.",
)
@click.option(
    "--seed", type=int, help="Draw how items are dealt where a SCRIPT has no line that says it."
)
@common_options("output", "quiet", *SEARCHING)
def rehearse_command(
    world: str,
    scripts: tuple[str, ...],
    form: str,
    record: bool,
    seed: int | None,
    **options: Any,
) -> int:
    """Replay each SCRIPT on WORLD: one move a line (a rule id, "rule: 2" for the second outcome),
    comments after #, and expectations: expect CONDITION, expect possible RULE, expect impossible
    RULE, expect says "TEXT", expect live, expect doomed, expect ended ENDING. Where a world deals
    items, the first line says how: deal ITEM at AREA, ITEM at AREA.

    Exit code 0: everything as expected; 1: something is not; 2: a world or script is invalid.
    """
    common = take_common(options)
    if record:
        return _record(world, scripts, common, seed)
    with at_work(common) as meter:
        meter.stage("reading")
        rehearsals = rehearse_scripts(world, scripts, common.budget, meter, seed)
    # by now it is known which files were read
    refuse_to_write_over(common.output)
    if form == "junit":
        text = rehearsals_as_junit(world, rehearsals)
    elif form == "json":
        text = rehearsals_as_json(rehearsals)
    else:
        text = rehearsals_as_text(rehearsals, common.quiet)
    write_text(text, common.output)
    return int(any(r.failure is not None for r in rehearsals))


def _record(world_path: str, scripts: tuple[str, ...], common: Common, seed: int | None) -> int:
    # the output is one script
    if len(scripts) != 1:
        raise click.UsageError("--record takes one script at a time")
    source, text = read_source(scripts[0])
    lines, world = read_script(source, text), loaded(world_path, common)
    check_names(lines, world)
    try:
        deal = deal_of(lines, world, seed, source)
        write_text(recorded(world, lines, deal), common.output)
    except Impossible as impossible:
        note(f"“{impossible.rule.label}” is not possible there; rehearse says why")
        return 1
    except NeedsOutcome as luck:
        note(f"luck decides at “{luck.rule.label}”: write {luck.rule.id}: 1")
        return 1
    return 0
