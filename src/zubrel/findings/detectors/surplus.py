"""Where is something lost that did not fit, or given up for nothing?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import reduce
from typing import Any

from zubrel.checked import keys
from zubrel.checked.effects import Take, Wear
from zubrel.checked.world import World
from zubrel.compiled.facts import excluded
from zubrel.compiled.formulas import either
from zubrel.compiled.parts import ENDING, Move, Operation, Step
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import counted_ids, needed_ids


def swallowed(judged: Judged) -> Iterator[Finding]:
    """`swallowed`: surplus of an item that something needs is lost, at once or while settling."""
    world = judged.system.world
    needed = _needed_items(world)
    settling = any(w.item in needed for s in judged.system.settlers for w in s.wastes)
    for move in judged.system.moves:
        if not settling and not any(w.item in needed for s in move.steps for w in s.wastes):
            continue
        if not judged.asks(move.rule.id):
            continue
        shown = [
            (trace, step)
            for step in move.steps
            if (trace := judged.space.walks().shortest(_losing(judged, step, needed))) is not None
        ]
        if not shown:
            continue
        trace, step = min(shown, key=lambda pair: len(pair[0].steps))
        here = judged.space.at_end_of(trace)
        names = [
            world.name_of(i) for i in sorted(needed) if here & _losing(judged, step, frozenset({i}))
        ]
        message = (
            f"{world.described(move.rule)} gives more {' and '.join(names)} than fits, and "
            "the surplus is gone"
        )
        yield Finding(
            "swallowed", "warning", move.rule.id, message, move.rule.span, trace.then(step)
        )


def _losing(judged: Judged, step: Step, items: frozenset[str]) -> Any:
    """From where a step loses a surplus of one of the items, at once or while settling."""
    space = judged.space
    events = {
        number: either(w.when for w in settler.wastes if w.item in items)
        for number, settler in enumerate(judged.system.settlers)
        if any(w.item in items for w in settler.wastes)
    }
    at_once = either(w.when for w in step.wastes if w.item in items)
    sources = space.where(at_once)
    if sources:
        sources &= space.possible(step)
    return sources | space.happening(step, events) if events else sources


def _needed_items(world: World) -> frozenset[str]:
    """The items that conditions, takes, wears, goals and prices ask for, and that may not fit.

    Where `max` is not given it is what can ever come together, so that all of it fits.
    """
    needed = needed_ids(world) | counted_ids(world)
    carried = {i for carry in world.carries for i in carry.items}
    return frozenset(
        i.id
        for i in world.items.values()
        if i.id in needed and (i.bound_given or i.uses is not None or i.id in carried)
    )


def wasted_use(judged: Judged) -> Iterator[Finding]:
    """`wasted_use`: a move that takes or wears something and changes nothing else."""
    system = judged.system
    for move in judged.system.moves:
        given_up = {
            system.numbers[keys.held(e.item)]
            for e in move.steps[0].outcome.effects
            if isinstance(e, Take | Wear)
        }
        if not given_up or _surely_changed(system, move) - given_up:
            continue
        if not judged.asks(move.rule.id):
            continue
        fruitless = _changing_nothing_but(judged, move, given_up)
        trace = judged.space.walks().shortest(fruitless)
        if trace is not None:
            message = f"{system.world.described(move.rule)} can use something up for nothing"
            step = move.steps[0]
            yield Finding(
                "wasted_use", "warning", move.rule.id, message, move.rule.span, trace.then(step)
            )


def _changing_nothing_but(judged: Judged, move: Move, variables: set[int]) -> Any:
    """The situations in which no outcome of a move changes anything but these variables."""
    space = judged.space
    quiet = reduce(lambda a, b: a & b, (space.possible(step) for step in move.steps))
    for step in move.steps:
        for variable in changed_by(judged.system, step):
            if not quiet:
                return quiet
            if variable not in variables:
                quiet -= space.shifted(step, variable, True) | space.shifted(step, variable, False)
    return quiet


def _surely_changed(system: System, move: Move) -> set[int]:
    """The variables that some step of a move changes, whenever the move is possible."""
    return {
        c.variable
        for step in move.steps
        for c in system.lone_changes(step)
        if c.operation is Operation.FLIP
        or excluded(move.guard, c)
        or (c.operation is Operation.ADD and c.number != 0)
    }


def changed_by(system: System, step: Step) -> Sequence[int]:
    """The variables that a step, with what settles after it, may change."""
    settling = [c.variable for s in system.settlers for c in s.changes]
    ending = [ENDING] if system.endings else []
    found = dict.fromkeys([c.variable for c in step.changes] + settling + ending)
    return [v for v in found if system.variables[v].size > 1]
