"""Which of several unreachable things is the reason for the others?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.checked.conditions import At, Cond, Holds, LockOpen, Marked, conjuncts
from zubrel.checked.effects import OpenLock
from zubrel.checked.world import Rule, World


def root_causes(world: World, unreachable: Iterable[str]) -> dict[str, str]:
    """For each of the ids in `lost` that follows from another of them: the one at the root.

    An item follows from the rules that give it, a lock from those that open it, an area from
    those that lead to it, a rule from its place, its lock and what it needs. Of a circle of
    things that wait for each other, the first of `lost` counts as the root.
    """
    ids = list(dict.fromkeys(unreachable))
    # what can be reached is nobody's reason
    known = frozenset(ids)
    givers = _rules_that_bring(world)
    # the first cause is enough: a root is looked for, and not all that is in the way
    causes = {i: next(_causes(world, i, givers.get(i, ()), known), None) for i in ids}
    return {i: root for i in ids if (root := _root(i, causes, ids)) != i}


def _root(thing: str, causes: dict[str, str | None], order: list[str]) -> str:
    trail = [thing]
    while (cause := causes[trail[-1]]) is not None:
        # things that wait for each other have no root: the first of the file stands for it
        if cause in trail:
            return min(trail[trail.index(cause) :], key=order.index)
        trail.append(cause)
    return trail[-1]


def _rules_that_bring(world: World) -> dict[str, list[Rule]]:
    """For each id the rules that bring it about: of a rule, itself."""
    givers: dict[str, list[Rule]] = {}
    for rule in world.rules:
        # a rule brings what it gives, opens, leads to or ends with
        made: list[str | None] = [give.item for give in rule.gives]
        for outcome in rule.outcomes:
            made += [e.lock for e in outcome.effects if isinstance(e, OpenLock)]
            made += [outcome.destination, outcome.ending]
        things = (world.items, world.locks, world.areas, world.endings)
        # ids of rules that are those of things are asked for as the things
        if not any(rule.id in thing for thing in things):
            made.append(rule.id)
        for thing in dict.fromkeys(t for t in made if t is not None):
            givers.setdefault(thing, []).append(rule)
    return givers


def _causes(
    world: World, thing: str, givers: Iterable[Rule], unreachable: frozenset[str]
) -> Iterator[str]:
    """What `thing` waits for, among `lost`."""
    if thing in world.endings:
        when = world.endings[thing].when
        if when is not None:
            yield from _in_condition(when, unreachable)
    for maker in givers:
        yield from (c for c in _blockers(world, maker, unreachable) if c != thing)


def _blockers(world: World, rule: Rule, unreachable: frozenset[str]) -> Iterator[str]:
    # one area that can be reached is enough to try it there
    if rule.areas and all(a in unreachable for a in rule.areas):
        yield rule.areas[0]
    if rule.lock in unreachable:
        yield str(rule.lock)
    # in the order of what a player meets first: the place, the lock, the hand, the conditions
    yield from (take.item for take in rule.takes if take.item in unreachable)
    yield from _in_condition(rule.needs, unreachable)
    for outcome in rule.outcomes:
        if outcome.destination in world.areas:
            yield from _in_condition(world.areas[str(outcome.destination)].needs, unreachable)


def _in_condition(condition: Cond, unreachable: frozenset[str]) -> Iterator[str]:
    """The lost things that a condition asks for, none of which it can do without."""
    for part in conjuncts(condition):
        match part:
            # only conditions that having the thing makes true
            case Holds(thing, ">=" | ">") | LockOpen(thing) | At(thing) | Marked(_, thing):
                if thing in unreachable:
                    yield thing
