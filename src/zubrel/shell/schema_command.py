"""`zubrel schema`: what a world file may say, for editors."""

from __future__ import annotations

import click

from zubrel.shell.options import example
from zubrel.shell.streams import write_text


@click.command("schema", epilog=example("zubrel schema -o zubrel.schema.json"))
@click.option("-o", "--output", metavar="FILE", help="Write to FILE instead of the terminal.")
def schema_command(output: str | None) -> int:
    """Print a JSON Schema (draft 2020-12) of a world file: editors use it to complete and explain
    fields while you write. The language reference says how to switch it on.
    """
    from zubrel.output.schema import schema_text

    write_text(schema_text(), output)
    return 0
