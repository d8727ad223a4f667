"""`zubrel probe`: one thing against every combination of what it asks for."""

from __future__ import annotations

from typing import Any

import click

from zubrel.base.spelling import suggestion
from zubrel.played.probe import rules_named
from zubrel.probing import probes_of
from zubrel.shell.options import SEARCHING, common_options, example, format_option, take_common
from zubrel.shell.streams import write_pretty, write_text
from zubrel.shell.surveys import at_work, loaded


@click.command(
    "probe",
    epilog=example("zubrel probe island.yaml hut_door", "zubrel probe island.yaml tower -v"),
)
@click.argument("world")
@click.argument("name", metavar="ID")
@format_option(["text", "json"])
@click.option("-v", "--verbose", is_flag=True, help="The shortest walk to each row, and all rows.")
@common_options("output", "quiet", "color", *SEARCHING)
def probe_command(world: str, name: str, form: str, verbose: bool, **options: Any) -> int:
    """Hold a lock, way, find, deed, recipe, shop, talk or quest step against every combination of
    what it asks for that occurs while the player stands before it: possible or not, what the
    player is told, how often, and how soon. Of an area: which of its texts is read when.
    """
    common = take_common(options)
    read = loaded(world, common)
    # before the search: a mistyped id is told at once
    if name not in read.areas and not rules_named(read, name):
        known = {i for r in read.rules for i in (r.id, r.common, r.owner)} | set(read.areas)
        near = suggestion(name, known) or '"zubrel list" shows the ids.'
        raise click.UsageError(f'there is nothing to probe with the id "{name}". {near}')
    with at_work(common) as meter:
        probes = probes_of(read, name, common.budget, meter)
    if form == "json":
        from zubrel.output.probes import probes_as_json

        write_text(probes_as_json(probes), common.output)
        return 0

    def draw(console: Any) -> None:
        from zubrel.output.probes import write_probes

        write_probes(probes, console, verbose)

    write_pretty(draw, common.output, common.color)
    return 0
