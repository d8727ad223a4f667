"""`zubrel play`: walk a world by hand in a terminal, or by piped input."""

from __future__ import annotations

import random
from typing import Any

import click
from msgspec.structs import replace

from zubrel.base.budget import Budget, Interrupted, LimitReached, Limits, WorkSpent
from zubrel.checked.deals import drawn
from zubrel.compiled.compile import compile_world
from zubrel.findings.judged import judge
from zubrel.pipeline import refusing_unrest, whole_survey_of, words_of
from zubrel.played.advice import Advice, Hints
from zubrel.played.far import FarAdvice
from zubrel.played.session import Session
from zubrel.policy import HINTS, HINTS_WORK, MANY_RULES
from zubrel.shell.exits import OK
from zubrel.shell.options import SEARCHING, Common, common_options, example, take_common
from zubrel.shell.streams import say
from zubrel.shell.surveys import at_work, loaded
from zubrel.shell.terminal import Play


@click.command(
    "play", epilog=example("zubrel play island.yaml", "zubrel play island.yaml --seed 7 --hints")
)
@click.argument("world")
@click.option(
    "--hints/--no-hints",
    default=None,
    help="Tell whether the game can still be won, and mark moves that doom it "
    "(default: all of it when the search is quick, else what is certain).",
)
@click.option(
    "--seed",
    type=int,
    help="Draw outcomes of luck, and how items are dealt; the same ones for the same SEED.",
)
@common_options("quiet", *SEARCHING)
def play_command(world: str, hints: bool | None, seed: int | None, **options: Any) -> int:
    """Walk WORLD by hand: where you are, what you hold, what you can do, as numbered moves.
    "help" lists what else can be typed. Works with piped input too.
    """
    common = take_common(options)
    read = loaded(world, common)
    deal = drawn(read.deals, random.Random(seed or 0))
    session = Session(read, deal)
    luck = random.Random(seed) if seed is not None else None
    with refusing_unrest(read, common.budget):
        advice = None if hints is False else _advice(session, hints, common)
        Play(session, advice, luck).run()
    return OK


def _advice(session: Session, asked: bool | None, common: Common) -> Hints | None:
    """What the proof knows, where it is quick to have or was asked for; else what is certain."""
    budget, most = common.budget, float("inf")
    try:
        system = compile_world(session.world, budget)
        # nobody waits for hints that were not asked for, and each situation takes longer in a world
        # of so many rules
        if not asked:
            large = len(system.variables) * len(system.steps) >= MANY_RULES
            few = HINTS // 20 if large else HINTS
            situations = min(few, common.limits.situations or few)
            budget, most = Budget(replace(common.limits, situations=situations)), HINTS_WORK
        with at_work(common, budget) as meter, budget.within(most):
            space = whole_survey_of(system, budget, meter)
            return Advice(judge(space), session.walker)
    except Interrupted:
        say("(Interrupted: hints tell what is certain without a search of everything.)")
    # a play goes on with less, and is told why
    except (LimitReached, MemoryError) as limit:
        unasked = (
            isinstance(limit, WorkSpent) or common.limits.situations != budget.limits.situations
        )
        if unasked and not asked and common.limits.seconds is None:
            say("(This world is large: hints tell what is certain. --hints searches all of it.)")
        else:
            words = f"the search stopped at {words_of(limit)}"
            say(f"(Hints tell what is certain: {words}.)")
    say("(A move that is not marked may take the last win away as well.)")
    return _certain(session, common)


def _certain(session: Session, common: Common) -> Hints | None:
    """Hints by what is certain without a search of everything."""
    memory = Budget(Limits(memory=common.limits.memory))
    try:
        system = compile_world(session.world, memory)
        return FarAdvice(system, session.walker, session.start, memory)
    except (LimitReached, MemoryError) as limit:
        say(f"(No hints: {words_of(limit)} is reached.)")
        return None
