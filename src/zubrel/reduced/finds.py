"""Free finds: what could be picked up counts as held.

A *free find* gives some of an item, once, asks for nothing but what stays true once it is true, and
lies where everything is that asks for the item. It is not made: what asks for so many of the item
asks for so many less for every free find that could be made. What is left of the amount is what the
player has beside such finds, less than nothing if some of them were spent.

Why this is sound. Let two situations have the same amounts but for free finds. Whoever is about to
make a move that asks for the item stands where the finds are, and can pick up what is missing on
the spot; what was picked up already could be. So the two have the same future, but for finds, and
no find dooms.

Conditions: the item is only added to and taken from, by moves, whatever else holds. Everything that
asks for it asks for so many at least, in guards of moves; nothing else asks for it, or weighs it,
and it was not `asked` for. Of a find nobody asks but itself whether it was made.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    TRUE,
    Formula,
    Within,
    at_least,
    both,
    either,
    substituted,
    variables_of,
)
from zubrel.compiled.parts import PLACE, Move, Operation
from zubrel.compiled.system import System
from zubrel.compiled.ways import areas_in
from zubrel.reduced.result import Rebuilding, Reduced, fixed, rewritten
from zubrel.reduced.users import Users

MOST_VALUES = 48
"""An amount with more values than this is left as it is."""


class Find(Struct, frozen=True):
    """A move that gives so many of an item, under a condition that stays true, and sets a mark."""

    move: Move
    mark: int
    count: int
    given: Formula


def finds(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without its free finds."""
    system = before.system
    # `users` tells of each variable who reads it and who changes it, and which somebody has asked
    # for
    users, marks = Users(system, asked), system.marks
    by_item: dict[int, list[Find]] = {}
    # what a free find asks for must not be left out in the same round
    staying = set(users.barred)
    for item in users.writers:
        # nobody may be hindered by having more, or a find could doom
        if item in users.barred | marks or not users.upwards(item, None):
            continue
        changes = [c for _, step in users.writers[item] for c in step.changes if c.variable == item]
        # set or cut amounts would depend on whether a find was made before
        if any(c.operation is not Operation.ADD or c.when != TRUE for c in changes):
            continue
        # one after the other, where one asks for the other
        free = [
            f
            for f in _free(system, item, users, marks - staying)
            if not variables_of(f.given) & set(by_item)
        ]
        # what is held beside free finds may fall below nothing, by as much as they could give
        values = system.variables[item].size + sum(f.count for f in free)
        if free and values <= MOST_VALUES and item not in staying:
            by_item[item] = free
            staying |= {v for f in free for v in variables_of(f.given)}
    return _without(_losing_ways(before, by_item), by_item) if by_item else before


def _free(system: System, item: int, users: Users, marks: Collection[int]) -> list[Find]:
    free = []
    for move, _ in users.writers[item]:
        # who asks for the item must stand where the find is, to pick it up on the spot
        find = find_of(system, move, item, users, marks)
        if find is not None and users.upwards(item, move.areas):
            free.append(find)
    return free


def find_of(
    system: System,
    move: Move,
    item: int,
    users: Users,
    marks: Collection[int],
    room: bool = False,
) -> Find | None:
    """A move as a find of an item, if it does and asks for nothing else that matters.

    `marks` are those that may be left out. With `room`, it may ask for room for one more.
    """
    # no luck, and nothing but the item and the mark that it was taken: anything else would be a
    # reason not to
    if len(move.steps) != 1 or len(move.steps[0].changes) != 2:
        return None
    given = next(c for c in move.steps[0].changes if c.variable == item)
    mark = next((c for c in move.steps[0].changes if c.variable in marks), None)
    # a mark that is set perhaps would leave a find that can be made again
    if given.number < 1 or mark is None or mark.when != TRUE:
        return None
    # left out, the mark stays low for good: nobody else may see that
    if users.readers.get(mark.variable) != [move] or len(users.writers[mark.variable]) != 1:
        return None
    domain, parts = system.variables[item], parts_of(move.guard)
    # that it was not made yet is all that its mark is asked for
    low = [p for p in parts if system.is_low(mark.variable, p)]
    # with a limit of one, room says that none is held: who asks for room for more is asking for
    # less
    fits = [Within(item, domain.low, domain.high - 1)] if room else []
    remaining = both(p for p in parts if p not in low and p not in fits)
    # what could be picked up at one time must still be there at any later one
    barred = variables_of(remaining) & {item, mark.variable, PLACE}
    if not low or barred or not system.rising.for_good(remaining):
        return None
    return Find(move, mark.variable, given.number, remaining)


def _losing_ways(before: Reduced, by_item: dict[int, list[Find]]) -> Reduced:
    """The same, where ways that ask for what lies elsewhere are lost."""
    lost_ways = {
        area
        for area, formula in before.folded.items()
        for item in variables_of(formula) & set(by_item)
        for find in by_item[item]
        if find.move.areas is not None and not areas_in(formula) <= set(find.move.areas)
    }
    return replace(before, lost=before.lost | lost_ways)


def _without(before: Reduced, by_item: dict[int, list[Find]]) -> Reduced:
    system = before.system
    # moves are told apart by identity: two of the same content may stand in different places
    left_out = {id(f.move) for free in by_item.values() for f in free}
    lying = {
        item: [before.originals[f.move.steps[0].number] for f in free]
        for item, free in by_item.items()
    }
    new = Rebuilding(before)
    for move in system.moves:
        if id(move) in left_out:
            continue
        new.add(move, move.steps)
        # a play of the whole picks up what is missing right before the move that asks for it
        picked = [s for item in sorted(variables_of(move.guard) & set(lying)) for s in lying[item]]
        new.needs(move, picked)
    tests = {item: _Tests(system, item, free) for item, free in by_item.items()}

    def tested(test: Within) -> Formula:
        return tests[test.variable].at_least(test.low) if test.variable in tests else test

    smaller = rewritten(new.reduced, lambda f: substituted(f, tested))
    # what is held beside finds is below nothing when some of them were spent
    less = {item: sum(f.count for f in free) for item, free in by_item.items()}
    variables = tuple(
        replace(v, low=v.low - less.get(n, 0)) for n, v in enumerate(smaller.system.variables)
    )
    marks = {f.mark for free in by_item.values() for f in free}
    return replace(
        smaller,
        system=fixed(replace(smaller.system, variables=variables), marks),
        blurred=before.blurred | set(by_item),
    )


class _Tests:
    """What asks for an amount, said of what is left of it and of free finds."""

    def __init__(self, system: System, item: int, free: Sequence[Find]) -> None:
        self.item, self.free = item, free
        self.high = system.variables[item].high
        self.known: dict[int, Formula] = {}

    def at_least(self, number: int) -> Formula:
        """So many are held, or would be with all that can be found."""
        if number not in self.known:
            # each unit that could be found counts if its find is open: a threshold over
            # conditions that stay true
            units = [f.given for f in self.free for _ in range(f.count)]
            self.known[number] = either(
                both((Within(self.item, number - more, self.high), at_least(more, units)))
                for more in range(len(units) + 1)
            )
        return self.known[number]
