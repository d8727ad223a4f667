"""Pools: what does not fit waits where it lies, so that nobody has to count what fits.

An item of which only so many can be held, and whose finds are refused when there is no room, is a
pool if all of its finds and all moves that ask for it are in the same areas. Its limit is dropped
then: what is held beyond it lies on the ground in truth, and is picked up when there is room again.

Why this is sound. Let a situation of the smaller system hold some of the finds that in the whole
world still lie there. Whatever asks for the item asks for so many at least, no more than can be
held in the whole world; before it is made, the player, who stands where the finds are, picks up
what is missing, one by one. Whoever can pick something up in the whole world can do so in the
smaller system, or has done so. (The two are bisimilar, but for finds, and no find dooms.)

Conditions: the item changes by finds that give one of it and set a mark, by moves that take some of
it, and by nothing else. Nothing asks for the marks but their own finds, and these ask for nothing
else than room, and what stays true once it is true. Everything that asks for the item asks for so
many at least, in guards of moves in areas where all of the finds are; nothing else asks for it, or
weighs it, and it was not `asked` for.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import TRUE, Formula, Within, both, substituted, variables_of
from zubrel.compiled.parts import Move, Operation
from zubrel.compiled.system import System
from zubrel.reduced.finds import find_of
from zubrel.reduced.result import Rebuilding, Reduced, losing, rewritten
from zubrel.reduced.users import Users


class Pool(Struct, frozen=True):
    """An item (the number of its variable), and its finds."""

    item: int
    finds: tuple[Move, ...]


def pools(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without the limits of pools."""
    system = before.system
    users, marks = Users(system, asked), system.marks
    items = [i for i in users.writers if i not in users.barred | marks]
    candidates = [_pool(system, item, users, marks - users.barred) for item in items]
    usable = [pool for pool in candidates if pool is not None]
    # room was what told apart how much of it lies on the ground still
    touched = {v for pool in usable for v in _touched(pool)}
    return _without_limits(losing(before, touched), usable) if usable else before


def _pool(system: System, item: int, users: Users, marks: Collection[int]) -> Pool | None:
    domain, finds = system.variables[item], list[Move]()
    for move, step in users.writers[item]:
        changes = [c for c in step.changes if c.variable == item]
        if any(c.operation is not Operation.ADD or c.when != TRUE for c in changes):
            return None
        if any(c.number > 0 for c in changes):
            # what gives more than one asks for more room, and so is no such find
            if find_of(system, move, item, users, marks, room=True) is None:
                return None
            finds.append(move)
    limited = [m for m in finds if any(item in variables_of(p) for p in parts_of(m.guard))]
    # what lies on the ground has to be within reach of everything that may ask for it
    if not limited or any(set(m.areas or ()) != set(finds[0].areas or ()) for m in finds):
        return None
    # more than fits counts as held, so nobody may ask that it be few
    if finds[0].areas is None or not users.upwards(item, finds[0].areas, but=finds):
        return None
    # each find is made once, and gives one
    most = domain.start + len(finds)
    return Pool(item, tuple(finds)) if most > domain.high else None


def _touched(pool: Pool) -> set[int]:
    """The item of a pool, and the marks of its finds."""
    return {c.variable for m in pool.finds for c in m.steps[0].changes}


def _without_limits(before: Reduced, known: Sequence[Pool]) -> Reduced:
    system = before.system
    finds = {id(m): pool.item for pool in known for m in pool.finds}
    lying = {p.item: [before.originals[m.steps[0].number] for m in p.finds] for p in known}
    # room for all there can be: nothing asks for room any more, and a sum must find its value
    high = {p.item: system.variables[p.item].start + len(p.finds) for p in known}
    new = Rebuilding(before)
    for move in system.moves:
        own, guard = finds.get(id(move)), move.guard
        # its limit is what made the order of finds and uses matter; without it a find can always
        # be made first
        if own is not None:
            guard = both(p for p in parts_of(guard) if own not in variables_of(p))
        new.add(replace(move, guard=guard), move.steps)
        # in a play of the whole world a find is made when what it gives is asked for
        picked = [s for item in sorted(variables_of(guard) & set(high)) for s in lying[item]]
        if own is None:
            new.needs(move, picked)

    def tested(test: Within) -> Formula:
        return replace(test, high=high.get(test.variable, test.high))

    smaller = rewritten(new.reduced, lambda f: substituted(f, tested))
    variables = tuple(
        replace(v, high=high.get(n, v.high)) for n, v in enumerate(smaller.system.variables)
    )
    postponed = {s.number for steps in lying.values() for s in steps}
    return replace(
        smaller,
        system=replace(smaller.system, variables=variables),
        postponed=before.postponed | postponed,
        blurred=before.blurred | {v for pool in known for v in _touched(pool)},
    )
