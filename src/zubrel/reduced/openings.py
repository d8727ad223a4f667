"""Openings that cost nothing are not made: what they would open stands open where they could be.

A mark `m` is a free opening if
 1. it begins low, and exactly one move changes it, which makes it high: one without luck, that
    otherwise changes only what nobody but itself asks for (what it uses up, as far as nobody else
    wants it: a recipe's parts, the price of the only thing that is sold);
 2. that move asks, beside for `m` to be low, only for a condition `G` that stays true once it is
    true, whatever anybody else does, and that does not ask where the player stands;
 3. everything that asks for `m` asks that it be high, in the guard of a move that is possible only
    in areas where the opening is.
Then `m` is left out, and whoever asked for it asks for `G`.

Why this is sound. Let a situation be without `m` where `G` holds, and compare it with the one in
which the opening has been made. What the second can do, the first can: before the first move that
asks for `m`, the player stands in an area where the opening is, `G` still holds, and opening
disturbs nothing, since nobody is hindered by `m`, nor by what was used up. So from both the same
endings can be reached; the opening is never what dooms, and other moves doom in one exactly if they
do in the other. A play of the smaller system becomes one of the larger by opening at the last
moment, which is where `woven` puts it.

Condition for what is used up: whatever adds to it finds room though nothing of it was used.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from functools import partial

from msgspec.structs import replace

from zubrel.compiled.facts import Rising, parts_of
from zubrel.compiled.formulas import TRUE, Formula, both, substituted, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Change, Move, Operation
from zubrel.compiled.system import System
from zubrel.compiled.ways import areas_in
from zubrel.reduced.result import Rebuilding, Reduced, fixed, losing, rewritten
from zubrel.reduced.users import Users


def openings(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without its free openings, but for those that are `asked` for."""
    system = before.system
    users = Users(system, asked)
    # by mark: what could open it, and stands in for it from now on
    given: dict[int, Formula] = {}
    staying, used = set(users.barred), set[int]()
    for move in system.moves:
        mark = _mark_of(system, move, users)
        if mark is None or mark in staying:
            continue
        # condition 1: what else it changes is nobody else's business
        own = {c.variable for c in move.steps[0].changes} - {mark}
        if not all(_only_its_own(system, users, variable, move) for variable in own):
            continue
        # condition 2: that the mark is low says no more than that it was not done
        condition = both(p for p in parts_of(move.guard) if not system.is_low(mark, p))
        # asking for the place would tie it to where the player stands, asking for another
        # opening that is left out, to something that is not there any more
        barred = {mark, PLACE, ENDING, *given}
        if (
            not variables_of(condition) & barred
            and _but_for(system, move, own).for_good(condition)
            and users.upwards(mark, move.areas, but=[move])
        ):
            given[mark] = condition
            used |= own
            # what stands in for a mark must not be left out in its turn in this round
            staying |= variables_of(condition)
    if not given:
        return before
    return _without(losing(before, used), given, used)


def _mark_of(system: System, move: Move, users: Users) -> int | None:
    """The mark that a move makes high, if that is one, and nothing else changes the mark."""
    if len(move.steps) != 1:
        return None
    changes = move.steps[0].changes
    marks = [c.variable for c in changes if _is_raised(system, c) and c.variable not in _TOLD]
    # two marks would have to be left out together, or not at all
    if len(marks) != 1 or [c.variable for c in changes].count(marks[0]) != 1:
        return None
    return marks[0] if len(users.writers[marks[0]]) == 1 else None


_TOLD = (PLACE, ENDING)


def _is_raised(system: System, change: Change) -> bool:
    """Whether a variable of two values that begins low is surely high after a change."""
    domain = system.variables[change.variable]
    if domain.size != 2 or domain.start != domain.low or change.when != TRUE:
        return False
    if change.operation is Operation.SET:
        return change.number == domain.high
    return change.operation is Operation.ADD and change.number == 1


def _only_its_own(system: System, users: Users, variable: int, move: Move) -> bool:
    """Whether nobody but a move asks for a variable, and nobody could ask for room in it."""
    if variable in users.barred or users.readers.get(variable, [move]) != [move]:
        return False
    domain = system.variables[variable]
    most = domain.start
    for other, step in users.writers[variable]:
        for change in step.changes if other is not move else ():
            if change.variable == variable and change.operation is Operation.ADD:
                if change.number > 0 and not system.once_only(other):
                    return False
                most += max(0, change.number)
    return most <= domain.high


def _but_for(system: System, move: Move, own: Collection[int]) -> Rising:
    """What only rises, as far as nobody but a move is concerned."""
    if not own:
        return system.rising
    # condition 2 is about everybody else: the move itself may use up what it asks for
    others = [s for s in system.steps if s.number != move.steps[0].number]
    return Rising(system.variables, others, system.settlers)


def _without(before: Reduced, given: dict[int, Formula], used: Collection[int]) -> Reduced:
    system = before.system
    openers = {
        c.variable: m
        for m in system.moves
        for s in m.steps
        for c in s.changes
        if c.variable in given
    }
    left_out = {id(move) for move in openers.values()}
    new = Rebuilding(before)
    for move in system.moves:
        # whoever asks for a mark makes the opening first in a play of the whole world
        if id(move) not in left_out:
            new.add(move, move.steps)
            opened = (openers[m].steps[0] for m in sorted(variables_of(move.guard) & set(given)))
            new.needs(move, [before.originals[step.number] for step in opened])
    # an area that was left out can be walked to where the way there could be opened on the spot
    lost_ways = {
        area
        for area, formula in before.folded.items()
        for mark in variables_of(formula) & set(given)
        if not areas_in(formula) <= set(_areas_of(system, openers[mark]))
    }
    # formulas of lost ways are not rewritten, so they have to be known as lost before
    lasting = replace(new.reduced, lost=before.lost | lost_ways)
    smaller = rewritten(lasting, partial(_opened, given))
    return replace(smaller, system=fixed(smaller.system, given), blurred=before.blurred | set(used))


def _opened(given: Mapping[int, Formula], formula: Formula) -> Formula:
    return substituted(formula, lambda test: given.get(test.variable, test))


def _areas_of(system: System, move: Move) -> Iterable[int]:
    return range(system.variables[PLACE].size) if move.areas is None else move.areas
