"""`zubrel odds`: how likely it is that players win, get stuck, or miss things."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from zubrel.base.diagnostics import InvalidInput
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import EndlessSettling
from zubrel.narrated.unrest import never_rests
from zubrel.policy import SEED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    take_common,
)
from zubrel.shell.streams import write_pretty, write_text
from zubrel.shell.surveys import at_work, loaded

if TYPE_CHECKING:  # SciPy is loaded when odds are asked for
    from zubrel.odds.odds import Odds, OddsOptions

PLAYERS = ("aimless", "curious", "homing", "perfect")


class Chance(click.ParamType[float]):
    """A number above 0 and below 1."""

    name = "chance"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        try:
            read = float(value)
        except ValueError:
            read = 0.0
        if not 0 < read < 1:
            self.fail(f"{value!r} is no share; write for example 0.8", param, ctx)
        return read


def odds_on(world: World, asked: OddsOptions, common: Common) -> Odds:
    """The odds of a world. Raises `InvalidInput` where it never rests, `LimitReached`."""
    from zubrel.odds.odds import odds_of

    with at_work(common) as meter:
        system = compile_world(world, common.budget)
        try:
            return odds_of(system, asked, common.budget, meter)
        except EndlessSettling as endless:
            raise InvalidInput([never_rests(world, endless)]) from None


@click.command(
    "odds",
    epilog=example(
        "zubrel odds island.yaml",
        "zubrel odds island.yaml --player curious --plays 5000",
        "zubrel odds island.yaml --player homing --homing 0.5 --format json",
    ),
)
@click.argument("world")
@click.option(
    "--player",
    "names",
    multiple=True,
    type=click.Choice(PLAYERS),
    help="Whose odds (default: all four). May be given several times.",
)
@click.option(
    "--homing",
    "homing_chance",
    type=Chance(),
    default=0.8,
    show_default=True,
    metavar="P",
    help="With chance P a homing player makes the next move of a shortest win.",
)
@click.option(
    "--plays",
    type=click.IntRange(1, 1_000_000),
    default=1_000,
    show_default=True,
    metavar="N",
    help="How many plays are simulated, where odds cannot be solved.",
)
@click.option(
    "--within",
    type=Chance(),
    metavar="D",
    help="Fewer plays, once the share of wins is known to plus or minus D.",
)
@click.option("--seed", type=int, default=SEED, show_default=True, help="Draws simulated plays.")
@click.option("--simulate", is_flag=True, help="Simulate aimless players too.")
@format_option(["text", "csv", "json"])
@common_options("output", "quiet", "color", *SEARCHING)
def odds_command(
    world: str,
    names: tuple[str, ...],
    homing_chance: float,
    plays: int,
    within: float | None,
    seed: int,
    simulate: bool,
    form: str,
    **options: Any,
) -> int:
    """How likely it is in WORLD that somebody who plays by chance wins, is doomed or misses
    things, where and by which move, and after how many moves; and what the best player can still
    lose by luck.

    An aimless player makes any possible move, all alike likely; a curious one what was not done
    yet; a homing one mostly the next move of a shortest win; a perfect one the best move.
    """
    common = take_common(options)
    read = loaded(world, common)
    # arrays take long to load: after the world was read, so that a mistake in it is told at once
    from zubrel.odds.odds import OddsOptions, players_of
    from zubrel.output.odds import odds_as_csv, odds_as_json, write_odds

    players = players_of(names or PLAYERS, homing_chance)
    odds = odds_on(read, OddsOptions(players, plays, within, seed, simulate), common)
    if form == "json":
        write_text(odds_as_json(read, odds), common.output)
    elif form == "csv":
        write_text(odds_as_csv(odds), common.output)
    else:
        write_pretty(lambda c: write_odds(read, odds, c), common.output, common.color)
    return 0
