"""Endless supply: what can be had again and again need not be counted.

A *source* gives some of an item as often as one likes, and asks for nothing but what stays true
once it is true, and for room. If everything that asks for the item does so in areas of its sources,
the sources are left out: whatever asks for some of it can be done as well if a source could be
used, and then takes nothing.

Why this is sound. Whoever stands where something asks for the item, and may use a source, gets as
much as can be asked for on the spot, without changing anything else. So situations in which a
source may be used have the same future whatever is held of the item, but for moves that do nothing
but change that; none of these dooms. Where no source may be used yet, all is as it was.

Conditions: a source is a move without luck that does nothing but give the item, up to a limit that
is no less than what anybody asks for. Other moves that change the item add to it or take from it,
whatever else holds. Guards of moves ask for so much of it at least; but what does nothing but give
it, once or often, may also ask for room. Nothing else asks for it, or weighs it; it was not `asked`
for.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from itertools import combinations

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    TRUE,
    Formula,
    Within,
    both,
    either,
    pieces_of,
    substituted,
    variables_in,
    variables_of,
)
from zubrel.compiled.parts import PLACE, Move, Operation
from zubrel.compiled.system import System
from zubrel.reduced.result import Rebuilding, Reduced, fixed, losing
from zubrel.reduced.users import Users


class Supply(Struct, frozen=True):
    """The sources of an item, what one of them asks for, and whether it is counted until then."""

    sources: tuple[Move, ...]
    giving: tuple[Move, ...]
    """All moves that do nothing but give it."""
    given: Formula
    counted: bool


def supply(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without sources that never end."""
    users = Users(before.system, asked)
    # one item at a time: a source that asks for another supply is left for the next round
    supplies: dict[int, Supply] = {}
    for item in users.writers:
        if item not in users.barred:
            endless = _supply(before.system, item, users)
            given = [*(s.given for s in supplies.values()), *([endless.given] if endless else [])]
            # one after the other, where one asks for the other
            if endless and not variables_in(given) & {item, *supplies}:
                supplies[item] = endless
    return _without(losing(before, supplies), supplies) if supplies else before


def _supply(system: System, item: int, users: Users) -> Supply | None:
    giving = list[Move]()
    for move, step in users.writers[item]:
        # what is set or flipped cannot be told from what was there before
        changes = [c for c in step.changes if c.variable == item]
        if any(
            c.operation not in (Operation.ADD, Operation.ADD_UP_TO_END) or c.when != TRUE
            for c in changes
        ):
            return None
        if any(c.number > 0 for c in changes) and _only_gives(system, move, item, users):
            giving.append(move)
    # a source may be used until there is as much as anybody asks for
    sources = [m for m in giving if _never_ends(system, m, item)]
    # what only gives asks for room at most, which is no use of the item
    users_of = [m for m in users.readers.get(item, ()) if m not in giving]
    sources = [
        m
        for m in sources
        if m.areas is None
        or all(r.areas is not None and set(r.areas) <= set(m.areas) for r in users_of)
    ]
    if not sources or not users.upwards(item, None, but=giving):
        return None
    most = max(
        (
            t.low
            for m in users_of
            for t in pieces_of(m.guard)
            if isinstance(t, Within) and t.variable == item
        ),
        default=0,
    )
    # a source that stops short leaves some users without
    sources = [m for m in sources if _reach(system, m, item) >= most]
    if not sources:
        return None
    # any one source will do
    given = either(_other_needs(m, item) for m in sources)
    domain = system.variables[item]
    # where nothing but sources gives it, having some says that a source was open before
    nobody = domain.start == domain.low and all(
        move in sources or all(c.number <= 0 for c in step.changes if c.variable == item)
        for move, step in users.writers[item]
    )
    # as long as no source can be used, what is held from elsewhere still has to be counted
    counted = given != TRUE and not nobody
    return Supply(tuple(sources), tuple(giving), given, counted)


def _only_gives(system: System, move: Move, item: int, users: Users) -> bool:
    """Whether a move does nothing but give an item, perhaps once only, which nobody asks about."""
    if len(move.steps) != 1:
        return False
    for change in move.steps[0].changes:
        if change.variable != item:
            mark = change.variable
            # its own mark may keep it from being done twice, as long as nobody else reads it
            if mark in users.barred or users.readers.get(mark) != [move]:
                return False
            if system.variables[mark].size != 2 or len(users.writers[mark]) != 1:
                return False
    return True


def _never_ends(system: System, move: Move, item: int) -> bool:
    """Whether a move gives an item as often as one likes, once that is possible at all."""
    remaining = _other_needs(move, item)
    # a mark would end it; where the player stands is told by its areas
    if len(move.steps[0].changes) != 1 or PLACE in variables_of(remaining):
        return False
    room = [p for p in parts_of(move.guard) if item in variables_of(p)]
    low = system.variables[item].low
    # room is asked for by an upper bound alone; anything else is a use of the item
    if not all(isinstance(p, Within) and p.low == low for p in room):
        return False
    # once open it stays open, and no limit of its own ends it
    return system.rising.for_good(remaining) and (
        bool(room) or move.steps[0].changes[0].operation is Operation.ADD_UP_TO_END
    )


def _other_needs(move: Move, item: int) -> Formula:
    """What a source asks for, but for room."""
    return both(p for p in parts_of(move.guard) if item not in variables_of(p))


def _reach(system: System, move: Move, item: int) -> int:
    """How much of an item a source gives at least, used again and again."""
    room = (p for p in parts_of(move.guard) if isinstance(p, Within) and p.variable == item)
    # used again and again it stops one above the most with which it is still possible
    return min((p.high + 1 for p in room), default=system.variables[item].high)


def _without(before: Reduced, supplies: dict[int, Supply]) -> Reduced:
    sources = {id(m) for s in supplies.values() for m in s.sources}
    giving = {id(m) for s in supplies.values() for m in s.giving}
    of = {
        item: [before.originals[m.steps[0].number] for m in s.sources]
        for item, s in supplies.items()
    }
    uncounted = {item for item, s in supplies.items() if not s.counted}
    new = Rebuilding(before)
    for move in before.system.moves:
        if id(move) in sources:
            continue
        used = sorted(variables_of(move.guard) & set(supplies)) if id(move) not in giving else []
        new.needs(move, [s for item in used for s in of[item]])
        # each item that is asked for is either counted, or a source of it could be used: one move
        # for each choice
        for counted in _subsets([item for item in used if item not in uncounted]):
            free = uncounted | (set(used) - counted)
            guard = _untested(move.guard, free)
            given = (supplies[item].given for item in used if item in free)
            steps = [
                replace(s, changes=tuple(c for c in s.changes if c.variable not in free))
                for s in move.steps
            ]
            new.add(replace(move, guard=both((guard, *given))), steps)
    smaller = new.reduced
    # a play of the whole may have to use a source several times in a row
    repeated = {s.number for steps in of.values() for s in steps}
    return replace(
        smaller,
        system=fixed(smaller.system, uncounted),
        repeated=before.repeated | repeated,
        # whoever has his hands full may be unable to pick up what is given once
        blurred=before.blurred
        | {c.variable for s in supplies.values() for m in s.giving for c in m.steps[0].changes},
    )


def _subsets(items: Sequence[int]) -> Iterator[set[int]]:
    for size in range(len(items) + 1):
        yield from map(set, combinations(items, size))


def _untested(guard: Formula, items: Collection[int]) -> Formula:
    """A guard that asks for nothing of some items."""
    return substituted(guard, lambda test: TRUE if test.variable in items else test)
