"""`zubrel list`: what a world defines, and where each thing is used."""

from __future__ import annotations

from typing import Any

import click

from zubrel.narrated.tables import SECTIONS, listing
from zubrel.shell.options import READING, common_options, example, format_option, take_common
from zubrel.shell.streams import write_pretty, write_text
from zubrel.shell.surveys import at_work, loaded

SIZE = "size"


@click.command(
    "list",
    epilog=example(
        "zubrel list island.yaml",
        "zubrel list island.yaml items --format csv -o items.csv",
        "zubrel list island.yaml size --try",
    ),
)
@click.argument("world")
@click.argument("section", required=False, type=click.Choice([*SECTIONS, SIZE]))
@format_option(["table", "csv", "json"], "How the tables are written.")
@click.option(
    "--try",
    "tried",
    is_flag=True,
    help="With size: try what would make a world small enough that is too large for a proof.",
)
@common_options("output", "color", *READING)
def list_command(world: str, section: str | None, form: str, tried: bool, **options: Any) -> int:
    """Tables of what WORLD defines: items with where they come from, are needed and are spent,
    areas, locks, deeds and so on. Without SECTION, all of them but `size`: what makes the world
    large for a proof, and what of that bears on how the game ends.
    """
    # an option that would do nothing is told, and not ignored
    if tried and section != SIZE:
        raise click.UsageError(
            f"--try goes with the section {SIZE}: zubrel list WORLD {SIZE} --try"
        )
    common = take_common(options)
    read = loaded(world, common)
    if section == SIZE:
        from zubrel.narrated.size import size_of

        with at_work(common) as meter:
            meter.stage("measuring")
            listings = [size_of(read, common.budget)]
            if tried:
                from zubrel.mended.smaller import smaller

                listings.append(smaller(world, common.budget, meter))
    else:
        listings = [listing(read, name) for name in ([section] if section else SECTIONS)]
    # empty tables of a whole listing only take room; asked for by name they are an answer
    if section is None:
        listings = [table for table in listings if table.rows]
    if form == "table":

        def draw(console: Any) -> None:
            from zubrel.output.listings import write_tables

            write_tables(listings, console)

        write_pretty(draw, common.output, common.color)
        return 0
    from zubrel.output import listings as writers

    write = writers.listings_as_csv if form == "csv" else writers.listings_as_json
    write_text(write(listings), common.output)
    return 0
