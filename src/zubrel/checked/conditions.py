"""Conditions in which every name is resolved.

A closed union of atoms and four connectives. Spans do not take part in equality.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.base.source import Span

QUEST_STATES = ("waiting", "active", "done", "failed")
WAITING, ACTIVE, DONE, FAILED = range(4)


class Holds(Struct, frozen=True):
    """The amount held of an item compares so with a number."""

    item: str
    operator: str
    number: int
    span: Span | None = None


class Level(Struct, frozen=True):
    """The value of a meter compares so with a number."""

    meter: str
    operator: str
    number: int
    span: Span | None = None


class Term(Struct, frozen=True):
    """The amount of an item (`kind` held) or the value of a meter, added or taken off (`sign`)."""

    sign: int
    kind: str
    subject: str


class Total(Struct, frozen=True):
    """Amounts and meters, added up, compare so with a number."""

    terms: tuple[Term, ...]
    operator: str
    number: int
    span: Span | None = None


class FactIs(Struct, frozen=True):
    """A fact has its value number `value` (true/false facts: 0 is false, 1 is true)."""

    fact: str
    value: int
    span: Span | None = None


class At(Struct, frozen=True):
    """The player stands in an area."""

    area: str
    span: Span | None = None


class LockOpen(Struct, frozen=True):
    """A lock is open."""

    lock: str
    span: Span | None = None


class Marked(Struct, frozen=True):
    """Something has happened: `kind` is visited (an area), taken (a find) or done (a rule)."""

    kind: str
    subject: str
    span: Span | None = None


class QuestIs(Struct, frozen=True):
    """A quest is in a state, a number of `QUEST_STATES`."""

    quest: str
    state: int
    span: Span | None = None


class Stored(Struct, frozen=True):
    """The amount of an item in a store compares so with a number."""

    store: str
    item: str
    operator: str
    number: int
    span: Span | None = None


class StoreRoom(Struct, frozen=True):
    """A store has room for one more unit of an item."""

    store: str
    item: str


class InStock(Struct, frozen=True):
    """A shop has some of a limited ware left."""

    shop: str
    item: str


class LiesAt(Struct, frozen=True):
    """An item has been put down in an area."""

    item: str
    area: str
    span: Span | None = None


class DealtAt(Struct, frozen=True):
    """An item was dealt to an area and still lies there."""

    item: str
    area: str
    span: Span | None = None


class Beaten(Struct, frozen=True):
    """At least `count` of a foe have been beaten (a returning one: ever)."""

    foe: str
    count: int
    span: Span | None = None


class HitOff(Struct, frozen=True):
    """At least `count` of the health of a foe is hit off."""

    foe: str
    count: int


class GoalMet(Struct, frozen=True):
    """A goal of a quest is met, or has come as far as `least`; goals are numbered from 1."""

    quest: str
    number: int
    least: int | None = None


class Not(Struct, frozen=True):
    part: Cond


class All(Struct, frozen=True):
    """Every part holds; with no parts, always true."""

    parts: tuple[Cond, ...]


class Any(Struct, frozen=True):
    """Some part holds; with no parts, never true."""

    parts: tuple[Cond, ...]


class CountOf(Struct, frozen=True):
    """At least `count` of the parts hold."""

    count: int
    parts: tuple[Cond, ...]


def some_of(count: int, parts: tuple[Cond, ...]) -> Cond:
    """At least `count` of the parts, in the simplest form."""
    if count == len(parts):
        return all_of(*parts)
    return Any(parts) if count == 1 else CountOf(count, parts)


def met_for_good(goal: GoalMet, span: Span | None = None) -> Cond:
    """A goal as conditions ask for it: met while its quest is active, or its quest is done."""
    active, done = (QuestIs(goal.quest, state, span) for state in (ACTIVE, DONE))
    return Any((done, All((active, goal))))


def goal_asked(condition: Cond) -> GoalMet | None:
    """The goal that a condition made by `met_for_good` asks for; None: it is another one."""
    match condition:
        case Any((QuestIs(done, state), All((QuestIs(active, going), GoalMet() as goal)))):
            same = done == active == goal.quest and (state, going) == (DONE, ACTIVE)
            return goal if same else None
    return None


Atom = (
    Holds
    | Level
    | Total
    | FactIs
    | At
    | LockOpen
    | Marked
    | QuestIs
    | Stored
    | StoreRoom
    | InStock
    | LiesAt
    | DealtAt
    | Beaten
    | HitOff
    | GoalMet
)
Cond = Atom | Not | All | Any | CountOf
ALWAYS = All(())


def atoms_of(condition: Cond) -> Iterator[Atom]:
    """Every atom of a condition, from left to right. (Depth is bounded by the grammar.)"""
    match condition:
        case Not(part):
            yield from atoms_of(part)
        case All(parts) | Any(parts) | CountOf(_, parts):
            for part in parts:
                yield from atoms_of(part)
        case _:
            yield condition


def conjuncts(condition: Cond) -> tuple[Cond, ...]:
    """The parts all of which have to hold: of a conjunction its own, else the condition itself."""
    return condition.parts if isinstance(condition, All) else (condition,)


def all_of(*conditions: Cond) -> Cond:
    """The conjunction, without needless nesting."""
    parts: list[Cond] = []
    for condition in conditions:
        parts.extend(conjuncts(condition))
    return parts[0] if len(parts) == 1 else All(tuple(parts))
