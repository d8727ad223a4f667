"""What a world is made of once it is compiled: variables, guards, changes, moves."""

from __future__ import annotations

from enum import Enum

from msgspec import Struct

from zubrel.checked.keys import Key, Value
from zubrel.checked.world import Outcome, Rule, World
from zubrel.compiled.formulas import TRUE, Formula


class Variable(Struct, frozen=True):
    """A part of the situation with the values `low` to `high`.

    `names`, where it has any, are what its values stand for, from `low` on.
    """

    key: Key
    low: int
    high: int
    start: int
    names: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """How many values it has."""
        return self.high - self.low + 1

    def number(self, value: Value) -> int:
        """The number that stands for a value: the opposite of `value`."""
        return self.names.index(str(value)) + self.low if self.names else int(value)

    def value(self, number: int) -> Value:
        """What a value means: its name, or the number itself."""
        return self.names[number - self.low] if self.names else number


def wins_of(world: World) -> tuple[int, ...]:
    """The values of the variable `ENDING` with which the game has ended well."""
    return tuple(n for n, ending in enumerate(world.endings.values(), 1) if ending.good)


class Operation(Enum):
    """What a change does to its variable."""

    SET = "set"
    ADD = "add"
    """The sum stays within the domain: whatever guards the change has seen to that."""
    ADD_UP_TO_END = "add up to the end of the domain"
    FLIP = "flip"
    """To the other one of two values."""


class Change(Struct, frozen=True):
    """One variable changes, if `when` holds in the situation before all the changes."""

    variable: int
    operation: Operation
    number: int = 0
    when: Formula = TRUE


class Waste(Struct, frozen=True):
    """Under `when`, some of an item that is gained does not fit and is lost."""

    item: str
    when: Formula


class Event(Struct, frozen=True):
    """Under `when`, something happens that a goal of a quest would count."""

    quest: str
    goal: int
    when: Formula


class Step(Struct, frozen=True):
    """One outcome of a rule: the changes happen in order. `number` counts all steps of a world.

    `wastes` and `events` tell more about it; like all of it, in terms of the situation before.
    """

    number: int
    rule: Rule
    outcome: Outcome
    changes: tuple[Change, ...]
    wastes: tuple[Waste, ...] = ()
    events: tuple[Event, ...] = ()


class Move(Struct, frozen=True):
    """A rule with its guard; `areas` are numbers of areas, None for anywhere."""

    rule: Rule
    areas: tuple[int, ...] | None
    guard: Formula
    steps: tuple[Step, ...]


class Settler(Struct, frozen=True):
    """Something that happens by itself while its guard holds and it would change something."""

    id: str
    guard: Formula
    changes: tuple[Change, ...]
    wastes: tuple[Waste, ...] = ()


PLACE, ENDING = 0, 1
"""Numbers of the first two variables: the area, and the ending (0: none yet)."""
