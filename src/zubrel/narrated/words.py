"""Conditions and steps in the author's words."""

from __future__ import annotations

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
    GoalMet,
    HitOff,
    Holds,
    InStock,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    StoreRoom,
    Total,
    goal_asked,
)
from zubrel.checked.world import World
from zubrel.checked.written import total_of
from zubrel.explored.space import Distance

OPPOSITE = {"<": ">=", "<=": ">", ">": "<=", ">=": "<", "=": "!=", "!=": "="}
MARKS = {
    "visited": ("has been to {0}", "has never been to {0}"),
    # a find is told by what is done there
    "taken": ("“{0}” done", "“{0}” not done yet"),
    "done": ("“{0}” done", "“{0}” not done yet"),
    "met": ("{0} met", "{0} not met yet"),
}
"""What happened once, and that it has not happened."""


def phrase(world: World, condition: Cond) -> str:
    """A condition as a noun phrase that fits after "needs"."""
    # a goal asks for more than its condition says: it is told as the goal
    if (met := goal_asked(condition)) is not None:
        return phrase(world, met) + (" met" if met.least is None else "")
    match condition:
        case All(parts) | CountOf(_, parts) | Any(parts) if not parts:
            return "nothing" if isinstance(condition, All) else "the impossible"
        case All(parts):
            return " and ".join(_grouped(world, p) for p in parts)
        case Any(parts):
            return " or ".join(_grouped(world, p) for p in parts)
        case CountOf(count, parts):
            return f"{count} of: " + ", ".join(_grouped(world, p) for p in parts)
        case Not(part):
            return _denied(world, part)
        case Holds(item, operator, number):
            return _held(world.name_of(item), operator, number)
        case Level(meter, operator, number):
            return f"{world.name_of(meter)} {operator} {number}"
        case Total(terms, operator, number):
            return f"{total_of(terms, world.name_of)} {operator} {number}"
        case FactIs(fact, value):
            return _fact(world, fact, value, True)
        case At(area):
            return f"the player at {world.name_of(area)}"
        case LockOpen(lock):
            return f"{world.name_of(lock)} open"
        case Marked(kind, subject):
            return MARKS[kind][0].format(world.name_of(subject))
        case QuestIs(quest, state):
            return f"the quest {world.name_of(quest)} {QUEST_STATES[state]}"
        case GoalMet(quest, number, least):
            goal = world.quests[quest].goals[number - 1]
            far = f"at least {least} towards " if least is not None else ""
            return f"{far}the goal “{world.goal_name(goal)}” of {world.name_of(quest)}"
        case Stored(store, item, operator, number):
            held = _amount(world.name_of(item), operator, number)
            return f"{held} in {world.name_of(store)}"
        case StoreRoom(store):
            return f"room in {world.name_of(store)}"
        case InStock(shop, item):
            return f"{world.name_of(item)} left at {world.name_of(shop)}"
        case LiesAt(item, area) | DealtAt(item, area):
            return f"{world.name_of(item)} lying at {world.name_of(area)}"
        case HitOff(foe, count):
            return f"{count} hit off {world.name_of(foe)}"
        case Beaten(foe):
            return f"{world.name_of(foe)} beaten"
    raise AssertionError(condition)


def _grouped(world: World, part: Cond) -> str:
    text = phrase(world, part)
    joined = isinstance(part, Any | All | CountOf) and goal_asked(part) is None
    return f"({text})" if joined else text


def _denied(world: World, part: Cond) -> str:
    match part:
        case Holds(item, operator, number):
            return _held(world.name_of(item), OPPOSITE[operator], number)
        case Level(meter, operator, number):
            return f"{world.name_of(meter)} {OPPOSITE[operator]} {number}"
        case Total(terms, operator, number):
            return f"{total_of(terms, world.name_of)} {OPPOSITE[operator]} {number}"
        case FactIs(fact, value):
            return _fact(world, fact, value, False)
        case Stored(store, item, operator, number):
            held = _amount(world.name_of(item), OPPOSITE[operator], number)
            return f"{held} in {world.name_of(store)}"
        case LockOpen(lock):
            return f"{world.name_of(lock)} shut"
        case At(area):
            return f"the player not at {world.name_of(area)}"
        case Marked(kind, subject):
            return MARKS[kind][1].format(world.name_of(subject))
    return f"not {_grouped(world, part)}"


def _held(name: str, operator: str, number: int) -> str:
    amount = _amount(name, operator, number)
    # “needs no lens” could be read as not needing any
    return f"{amount} held" if amount == f"no {name}" else amount


def _amount(name: str, operator: str, number: int) -> str:
    # one of something is told without its number, and none of it by a word
    match operator, number:
        case (">=", 1) | (">", 0):
            return name
        case ("<", 1) | ("=", 0) | ("<=", 0):
            return f"no {name}"
        case (">=", _):
            return f"{number} {name}"
        case ("=", _):
            return f"exactly {number} {name}"
        case ("<=", _):
            return f"at most {number} {name}"
        case ("<", _):
            return f"fewer than {number} {name}"
        case (">", _):
            return f"more than {number} {name}"
    return f"not {number} {name}"


def _fact(world: World, fact_id: str, value: int, positive: bool) -> str:
    fact = world.facts[fact_id]
    if fact.true_false:
        return fact.name if (value == 1) == positive else f"not {fact.name}"
    return f"{fact.name} {'' if positive else 'not '}{fact.values[value].replace('_', ' ')}"


def moment(distance: Distance, later: bool = False) -> str:
    """`move 8`, or `by move 8` where that may come sooner; `later`: at the earliest."""
    words = f"{'' if distance.fewest else 'by '}move {distance.steps}"
    return f"{words} or later" if later and distance.fewest else words


def since(distance: Distance) -> str:
    """`from move 8`, or `by move 8` where that may come sooner."""
    return f"from {moment(distance)}" if distance.fewest else moment(distance)


def length(moves: int, shortest: bool) -> str:
    """`8 moves`, or `at most 8 moves` where nobody knows of fewer."""
    return f"{'' if shortest else 'at most '}{counted(moves, 'move')}"


def counted(count: int, one: str, many: str | None = None) -> str:
    """`1 move`, `2,345 moves`."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def listed(words: list[str], last: str = "and") -> str:
    """`a`, `a and b`, `a, b and c`."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {last} {words[-1]}"


def sentence(words: str) -> str:
    """A message as a sentence."""
    return words[:1].upper() + words[1:] + "."
