"""Conditions -> text of the world language, where it can say them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zubrel.checked.conditions import (
    QUEST_STATES,
    All,
    Any,
    At,
    Beaten,
    Cond,
    CountOf,
    DealtAt,
    FactIs,
    Holds,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    Term,
    Total,
    goal_asked,
)
from zubrel.checked.world import World


class NoWords(Exception):
    """The world language cannot say it: progress of goals, stocks, room, numbers below nothing."""


def written(world: World, condition: Cond) -> str:
    """A condition as an author would write it. Raises `NoWords`."""
    goal = goal_asked(condition)
    # a goal without an id of its own is told by what it asks for
    if goal is not None and (known := world.quests[goal.quest].goals[goal.number - 1]).id:
        return f"{known.id} is met" if goal.least is None else f"{known.id} >= {goal.least}"
    match condition:
        case All(parts) if parts:
            return " and ".join(_grouped(world, p) for p in parts)
        case Any(parts) if parts:
            return " or ".join(_grouped(world, p) for p in parts)
        case CountOf(count, parts):
            return f"{count} of ({', '.join(written(world, p) for p in parts)})"
        # the language has words of its own for these two
        case Not(LockOpen(lock)):
            return f"{lock} is shut"
        case Not(FactIs(fact, value)) if not world.facts[fact].true_false:
            return f"{fact} != {world.facts[fact].values[value]}"
        case Not(part):
            return f"not {_grouped(world, part)}"
    return _atom(world, condition)


def _atom(world: World, atom: Cond) -> str:
    match atom:
        case Holds(item, operator, number):
            return f"{item} {operator} {number}"
        case Level(meter, operator, number):
            return f"{meter} {operator} {number}"
        # a total cannot begin with a minus, nor be compared with a negative number
        case Total(terms, operator, number) if number >= 0 and terms[0].sign > 0:
            return f"{total_of(terms, lambda i: i)} {operator} {number}"
        case FactIs(fact, value):
            if world.facts[fact].true_false:
                return fact if value else f"not {fact}"
            return f"{fact} = {world.facts[fact].values[value]}"
        case At(area):
            return f"at {area}"
        case LockOpen(lock):
            return f"{lock} is open"
        case Marked(kind, subject):
            return f"{subject} is {kind}"
        case QuestIs(quest, state):
            return f"{quest} is {QUEST_STATES[state]}"
        case Stored(store, item, ">=", 1):
            return f"{item} is in {store}"
        case Stored(store, item, operator, number):
            return f"{item} in {store} {operator} {number}"
        # "lies at" means what was put down or what was dealt: where it may be both, there are no
        # words
        case LiesAt(item, area) | DealtAt(item, area) if not _lies_twice(world, item):
            return f"{item} lies at {area}"
        # only all of a group are beaten in the language
        case Beaten(foe, count) if count == world.foes[foe].count:
            return f"{foe} is beaten"
    raise NoWords(atom)


def _lies_twice(world: World, item: str) -> bool:
    """Whether an item can lie both where it was dealt and where it was put down: in conditions
    that is one and the same."""
    return bool(world.items[item].drops_at) and any(item in deal.items for deal in world.deals)


def total_of(terms: Sequence[Term], name: Callable[[str], str]) -> str:
    """A sum in the names of its parts, those that are added first."""
    words = ""
    for term in sorted(terms, key=lambda t: -t.sign):
        sign = "+" if term.sign > 0 else "-"
        words += f" {sign} {name(term.subject)}"
    return words.removeprefix(" + ").strip()


def _grouped(world: World, part: Cond) -> str:
    text = written(world, part)
    joined = isinstance(part, All | Any) and goal_asked(part) is None
    return f"({text})" if joined else text
