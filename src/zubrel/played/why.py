"""Why is this not possible now, and what is the player told?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import (
    Beaten,
    Cond,
    DealtAt,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    all_of,
    atoms_of,
    conjuncts,
)
from zubrel.checked.effects import Give, Take, Wear
from zubrel.checked.keys import ENDING, PLACE, UNENDED
from zubrel.checked.world import Rule
from zubrel.narrated.words import listed, phrase
from zubrel.walked.changing import Situation
from zubrel.walked.walker import Walker


def lacking(walker: Walker, rule: Rule, at: Situation) -> list[str]:
    """What stands between the player and a rule, part by part; nothing when it is possible."""
    if walker.possible(rule, at):
        return []
    if at[ENDING] == UNENDED and (gone := list(_gone(walker, rule, at))):
        return gone
    return list(dict.fromkeys(_parts(walker, rule, at))) or ["what it gives does not fit"]


def _gone(walker: Walker, rule: Rule, at: Situation) -> Iterator[str]:
    """Why a rule is not there any more: it was once only, and is done."""
    for part in _false_parts(walker, rule.offered, at):
        match part:
            case Not(Marked("taken", _)):
                yield "it is already taken"
            case Not(Marked("done", _)):
                yield "it was done already, and can be done once"
            case Not(LockOpen(lock)):
                yield f"{walker.world.name_of(lock)} is open already"
            case Not(Beaten(foe, _)):
                yield f"{walker.world.name_of(foe)} is beaten already"


def _parts(walker: Walker, rule: Rule, at: Situation) -> Iterator[str]:
    world = walker.world
    if at[ENDING] != UNENDED:
        yield "the game is over"
    if rule.areas is not None and at[PLACE] not in rule.areas:
        places = listed([world.name_of(a) for a in rule.areas], "or")
        yield f"the player must be at {places or 'a place that is nowhere'}"
    if rule.lock and not walker.holds(LockOpen(rule.lock), at):
        yield f"{world.name_of(rule.lock)} must be open"
    # what is asked of a place is told as the player sees it, and not by the condition that stands
    # for it
    if any(isinstance(a, DealtAt | LiesAt) for a in atoms_of(rule.offered)):
        if not walker.holds(rule.offered, at):
            yield "it does not lie here"
        yield from _needed(walker, rule.needs, at)
    else:
        yield from _needed(walker, all_of(rule.offered, rule.needs), at)
    for effect in rule.outcomes[0].effects:
        if isinstance(effect, Take | Wear):
            count = effect.count if isinstance(effect, Take) else 1
            held = int(at["held", effect.item])
            if held < count:
                name = world.items[effect.item].name
                yield f"takes {count} {name}, {held} held" if count > 1 else f"takes {name}"
    for outcome in rule.outcomes:
        there = outcome.destination
        # an area may bar whoever comes, by whatever way
        if there and there != at[PLACE]:
            needs = _false_parts(walker, world.areas[there].needs, at)
            yield from (f"{world.name_of(there)} needs {phrase(world, part)}" for part in needs)
        for effect in outcome.effects:
            # a move that gives too much is refused as a whole
            if isinstance(effect, Give) and not world.items[effect.item].wasted_when_full:
                item = world.items[effect.item]
                if item.uses is None and int(at["held", item.id]) + effect.count > item.most:
                    yield f"no more than {item.most} {item.name} can be held"


def _needed(walker: Walker, condition: Cond, at: Situation) -> Iterator[str]:
    return (f"needs {phrase(walker.world, part)}" for part in _false_parts(walker, condition, at))


def _false_parts(walker: Walker, condition: Cond, at: Situation) -> Iterator[Cond]:
    """The parts of a conjunction that do not hold."""
    for part in conjuncts(condition):
        if not walker.holds(part, at):
            yield part
