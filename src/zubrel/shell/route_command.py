"""`zubrel route`: the shortest sequence of moves to a goal."""

from __future__ import annotations

from typing import Any

import click

from zubrel.pipeline import find_route
from zubrel.shell.meter import Meter
from zubrel.shell.options import common_options, take_common
from zubrel.shell.streams import write_pretty, write_text


@click.command("route")
@click.argument("world")
@click.option(
    "--to",
    "goal",
    metavar="CONDITION|ENDING",
    help="Where to get: an ending, or a condition (default: any good ending).",
)
@click.option("--avoid", metavar="CONDITION", help="What must never hold on the way.")
@click.option(
    "--format",
    "form",
    type=click.Choice(["text", "json"]),
    default="text",
    show_default=True,
    help="How the route is written.",
)
@common_options
def route_command(
    world: str, goal: str | None, avoid: str | None, form: str, **options: Any
) -> int:
    """The fewest moves from the start of WORLD to a goal, with what is held after each.

    Exit code 1 when no play ever gets there, 3 when the search hit a limit before it knew.
    """
    common = take_common(options)
    meter = Meter()
    try:
        route = find_route(world, goal, avoid, common.limits, meter)
    finally:
        meter.clear()
    if form == "json":
        from zubrel.output.as_json import moves_as_json

        write_text(moves_as_json(world, route.goal, route.moves), common.output)
    elif route.moves is not None:
        moves = route.moves

        def draw(console: Any) -> None:
            from zubrel.output.text import write_route

            write_route(route.goal, moves, console)

        write_pretty(draw, common.output, common.color)
    else:
        words = (
            f"the search stopped at {route.stopped} without a way"
            if route.stopped
            else ("no play ever gets")
        )
        click.echo(f"{words} to {route.goal}", err=True)
    if route.moves is not None:
        return 0
    return 3 if route.stopped else 1
