"""What the plain effects of the language do to a situation, and how values are compared."""

from __future__ import annotations

from collections.abc import Mapping

from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE, FAILED, WAITING
from zubrel.checked.effects import (
    AddMeter,
    Effect,
    EndGame,
    FailQuest,
    FetchFrom,
    Hit,
    Lose,
    MeetGoal,
    MoveTo,
    OpenLock,
    PickUp,
    PutDown,
    PutIn,
    SellOut,
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    StartQuest,
    StepFact,
    TakeDealt,
    Toggle,
)
from zubrel.checked.keys import ENDING, NOWHERE, PLACE, Key, Value
from zubrel.checked.world import World

Situation = Mapping[Key, Value]


def change(world: World, effect: Effect, values: dict[Key, Value]) -> None:
    """Make an effect that is never refused, and that has no other effects in its train."""
    # as the reference has it, effect by effect, in the same words
    match effect:
        case Lose(item, count):
            now = number_of(values, keys.held(item))
            # of a tool the amount is its uses: it is lost with all of them
            whole = count is None or world.items[item].uses is not None
            values[keys.held(item)] = 0 if whole else max(0, now - (count or 0))
        case SetFact(fact, value):
            values[keys.fact(fact)] = value
        case StepFact(fact, up):
            now = number_of(values, keys.fact(fact))
            values[keys.fact(fact)] = world.facts[fact].after(now, up)
        case SetMeter(meter, value):
            limits = world.meters[meter]
            values[keys.meter(meter)] = min(limits.high, max(limits.low, value))
        case Toggle(fact):
            values[keys.fact(fact)] = 1 - number_of(values, keys.fact(fact))
        case AddMeter(meter, amount):
            limits = world.meters[meter]
            new = number_of(values, keys.meter(meter)) + amount
            values[keys.meter(meter)] = min(limits.high, max(limits.low, new))
        case OpenLock(lock):
            values[keys.lock_open(lock)] = 1
        case ShutLock(lock):
            values[keys.lock_open(lock)] = 0
        case MoveTo(area):
            # a visit is remembered when it ends: where the player stands is visited anyway
            left = keys.mark("visited", str(values[PLACE]))
            if area != values[PLACE] and left in values:
                values[left] = 1
            values[PLACE] = area
        case EndGame(ending):
            values[ENDING] = ending
        case SetMark(kind, subject):
            # only what some condition asks for is remembered
            if keys.mark(kind, subject) in values:
                values[keys.mark(kind, subject)] = 1
        case StartQuest(quest):
            # what was done or has failed is not begun again
            if values[keys.quest(quest)] == WAITING:
                values[keys.quest(quest)] = ACTIVE
        case FailQuest(quest):
            if values[keys.quest(quest)] in (WAITING, ACTIVE):
                values[keys.quest(quest)] = FAILED
        case MeetGoal(quest, number):
            values[keys.goal(quest, number)] = 1
        case Hit(foe, count):
            values[keys.hit(foe)] = number_of(values, keys.hit(foe)) + count
        case SellOut(shop, item):
            values[keys.stock(shop, item)] = number_of(values, keys.stock(shop, item)) - 1
        case PutIn(item, store):
            values[keys.stored(store, item)] = number_of(values, keys.stored(store, item)) + 1
        case FetchFrom(item, store):
            values[keys.stored(store, item)] = number_of(values, keys.stored(store, item)) - 1
        case PutDown(item):
            values[keys.lies(item)] = values[PLACE]
        case PickUp(item):
            values[keys.lies(item)] = NOWHERE
        case TakeDealt(item):
            values[keys.dealt(item)] = NOWHERE
        case _:
            raise AssertionError(effect)


def number_of(values: Situation, key: Key) -> int:
    """The number that a situation has for something."""
    value = values[key]
    assert isinstance(value, int)
    return value


def compares(value: int, operator: str, number: int) -> bool:
    """Whether a value compares so with a number."""
    match operator:
        case "<":
            return value < number
        case ">":
            return value > number
        case "<=":
            return value <= number
        case ">=":
            return value >= number
        case "=":
            return value == number
    return value != number
