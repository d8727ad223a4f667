"""`zubrel probe`: one thing against every combination of what it asks for."""

from __future__ import annotations

from typing import Any

import click

from zubrel.atoms.budget import Budget
from zubrel.atoms.spelling import suggestion
from zubrel.pipeline import load, survey
from zubrel.played.probe import probe, rules_named
from zubrel.shell.meter import Meter
from zubrel.shell.options import common_options, take_common
from zubrel.shell.streams import write_pretty, write_text


@click.command("probe")
@click.argument("world")
@click.argument("name", metavar="ID")
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text",
              show_default=True, help="How the result is written.")  # fmt: skip
@click.option("-v", "--verbose", is_flag=True, help="The shortest walk to each row, and all rows.")
@common_options
def probe_command(world: str, name: str, form: str, verbose: bool, **options: Any) -> int:
    """Hold a lock, way, find, deed, recipe, shop, talk or quest step against every combination of
    what it asks for that occurs while the player stands before it: possible or not, what the
    player is told, how often, and how soon.
    """
    common = take_common(options)
    loaded = load(world)
    rules = rules_named(loaded, name)
    if not rules:
        known = {i for r in loaded.rules for i in (r.id, r.common, r.owner)}
        near = suggestion(name, known) or '"zubrel list" shows the ids.'
        raise click.UsageError(f'there is nothing to probe with the id "{name}". {near}')
    meter = Meter()
    try:
        space = survey(loaded, Budget(common.limits), meter)
        if space.stopped is not None:
            click.echo(f"the search stopped at {space.stopped}, so nothing is proved", err=True)
            return 3
        probes = probe(space, rules)
    finally:
        meter.clear()
    if form == "json":
        from zubrel.output.probes import probes_as_json

        write_text(probes_as_json(probes), common.output)
        return 0

    def draw(console: Any) -> None:
        from zubrel.output.probes import write_probes

        write_probes(probes, console, verbose)

    write_pretty(draw, common.output, common.color)
    return 0
