"""The cone of influence: only what can ever bear on how the game ends.

A variable is in the cone if an ending reads it, or if something that changes a variable of the cone
reads it. What a rule does outside of the cone, no rule of the cone can ever notice: the projection
of a play onto the cone is a play of the smaller system, and every play of the smaller system is one
of the whole world, move by move, since all guards of its rules are in the cone. Hence the same
endings are reached, the same moves doom, and the shortest play to either is as long in both.
(Clarke, Grumberg, Peled: Model Checking, 1999, chapter 13.)

Condition: none. What happens by itself is cut in the same way: where nothing of the cone would
change, its happening makes no difference to the cone.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import Formula, variables_in, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Change, Settler, Step
from zubrel.compiled.system import System
from zubrel.reduced.result import Reduced


def cone(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The cone of the endings, and of formulas that are `asked` for."""
    system = before.system
    # the place stays: moves know their areas, and walks are told by it
    kept = _closed(system, {PLACE, ENDING, *variables_in(asked)})
    moves, steps, originals = [], list[Step](), list[Step]()
    for move in system.moves:
        # a rule that changes nothing of the cone is left out: its steps are stuttering
        if any(c.variable in kept for step in move.steps for c in step.changes):
            own = []
            for step in move.steps:
                changes = tuple(c for c in step.changes if c.variable in kept)
                # an outcome that changes nothing stays: luck may choose it
                own.append(replace(step, number=len(steps), changes=changes, wastes=(), events=()))
                steps.append(own[-1])
                originals.append(before.originals[step.number])
            moves.append(replace(move, steps=tuple(own)))
    variables = tuple(
        # what is cut keeps its number, so that formulas need not be written anew
        v if n in kept else replace(v, low=v.start, high=v.start, names=())
        for n, v in enumerate(system.variables)
    )
    # what happens by itself and changes nothing of the cone is left out as well
    settling = [n for n, s in enumerate(system.settlers) if _writes(s.changes) & kept]
    smaller = replace(
        system,
        variables=variables,
        moves=tuple(moves),
        steps=tuple(steps),
        # what it wastes or counts is asked of the whole world, never of the cone
        settlers=tuple(_cut(system.settlers[n], kept) for n in settling),
    )
    return replace(
        before,
        system=smaller,
        originals=tuple(originals),
        settlers=tuple(before.settlers[n] for n in settling),
    )


def _closed(system: System, kept: set[int]) -> set[int]:
    for formula, _ in system.endings:
        kept |= variables_of(formula)
    writers = [
        (
            _writes(c for s in m.steps for c in s.changes),
            variables_of(m.guard) | _asked(c for s in m.steps for c in s.changes),
        )
        for m in system.moves
    ]
    writers += [
        (_writes(s.changes), variables_of(s.guard) | _asked(s.changes)) for s in system.settlers
    ]
    # least fixpoint: whoever writes what is kept reads what is kept as well
    while True:
        # a guard is read as a whole: which part of it matters is not asked
        closure = {v for writes, reads in writers if writes & kept for v in reads} - kept
        if not closure:
            return kept
        kept |= closure


def _writes(changes: Iterable[Change]) -> set[int]:
    return {change.variable for change in changes}


def _asked(changes: Iterable[Change]) -> frozenset[int]:
    return variables_in(change.when for change in changes)


def _cut(settler: Settler, kept: set[int]) -> Settler:
    changes = tuple(c for c in settler.changes if c.variable in kept)
    return replace(settler, changes=changes, wastes=())
