"""`zubrel route`: the shortest sequence of moves to a goal."""

from __future__ import annotations

from typing import Any

import click

from zubrel.base.plain import plain
from zubrel.routes import find_route
from zubrel.shell.options import SEARCHING, common_options, example, format_option, take_common
from zubrel.shell.streams import note, refuse_to_write_over, write_pretty, write_text
from zubrel.shell.surveys import at_work


@click.command(
    "route",
    epilog=example(
        "zubrel route island.yaml", "zubrel route island.yaml --to 'at tower' --avoid lamp_lit"
    ),
)
@click.argument("world")
@click.option(
    "--to",
    "goal",
    metavar="CONDITION|ENDING",
    help="Where to get: an ending, or a condition (default: any good ending).",
)
@click.option("--avoid", metavar="CONDITION", help="What must never hold on the way.")
@format_option(["text", "json"], "How the route is written.")
@common_options("output", "quiet", "color", *SEARCHING)
def route_command(
    world: str, goal: str | None, avoid: str | None, form: str, **options: Any
) -> int:
    """The fewest moves from the start of WORLD to a goal, with what is held after each.

    Exit code 1 when no play ever gets there, 3 when the search hit a limit before it knew. "At
    most" stands before the length where a shorter walk was not ruled out.
    """
    common = take_common(options)
    with at_work(common) as meter:
        meter.stage("reading")
        route = find_route(world, goal, avoid, common.budget, meter)
    # the world and all that it includes are known by now
    refuse_to_write_over(common.output)
    if form == "json":
        from zubrel.output.as_json import moves_as_json

        text = moves_as_json(world, route.goal, route.moves, route.shortest, route.deals)
        write_text(text, common.output)
    elif route.moves is not None:
        moves = route.moves

        def draw(console: Any) -> None:
            from zubrel.output.walks import write_route

            write_route(route.goal, moves, route.shortest, console, common.quiet, route.deals)

        write_pretty(draw, common.output, common.color)
    else:
        note(f"no play ever gets to {plain(route.goal)}")
    return 1 if route.moves is None else 0
