"""Moves that ask where the player stands become a move for each area.

What is put down lies where the player was, and is picked up there: such a move asks for the place,
in its guard or in the condition of a change, and so tells all areas apart, however well they hang
together. As one move for each area it asks for nothing of the kind.

Why this is sound. Exactly one of the moves is possible where the move was, and does the same.

Condition: none; a move that would become more than a few is left as it is.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import FALSE, Formula, variables_in
from zubrel.compiled.parts import PLACE, Move, Step
from zubrel.compiled.ways import standing_in
from zubrel.reduced.result import Rebuilding, Reduced

MOST_AREAS = 128
"""Areas of a move beyond which it is left as it is."""


def apart(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system in which no move asks for the place; whatever is `asked` for stays as it is."""
    new, changed = Rebuilding(before), False
    # a move without areas is possible everywhere
    every = tuple(range(before.system.variables[PLACE].size))
    for move in before.system.moves:
        areas = every if move.areas is None else move.areas
        if not _asks(move) or len(areas) > MOST_AREAS:
            new.add(move, move.steps)
            continue
        changed = True
        for area in areas:
            # with the area known, the guard says whether it is possible there at all
            guard = standing_in(area, move.guard)
            if guard != FALSE:
                steps = [_there(step, area) for step in move.steps]
                new.add(replace(move, areas=(area,), guard=guard), steps)
    return new.without_the_impossible if changed else before


def _asks(move: Move) -> bool:
    return PLACE in variables_in((move.guard, *(c.when for s in move.steps for c in s.changes)))


def _there(step: Step, area: int) -> Step:
    # a change that asks for another area never takes place here
    changes = (replace(c, when=standing_in(area, c.when)) for c in step.changes)
    return replace(step, changes=tuple(c for c in changes if c.when != FALSE))
