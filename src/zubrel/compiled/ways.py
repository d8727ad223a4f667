"""Moves that only walk, and what tells areas apart."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.compiled.formulas import FALSE, TRUE, Formula, Within, pieces_of, substituted
from zubrel.compiled.parts import PLACE, Operation, Step
from zubrel.compiled.system import System


def destination_of(step: Step) -> int | None:
    """Where a step leads that does nothing else; None: it does more, or does not walk."""
    return destination_for_sure(step) if len(step.changes) == 1 else None


def told_apart(system: System, asked: Iterable[Formula] = ()) -> dict[int, frozenset[Formula]]:
    """For each area the tests that hold there: of what happens by itself, and what is `asked`."""
    # guards of rules need no look: a rule belongs to its areas, and is tried where the player
    # stands
    formulas = [f for s in system.settlers for f in (s.guard, *(c.when for c in s.changes))]
    formulas += [formula for formula, _ in system.endings]
    formulas += asked
    tests = {
        piece
        for formula in formulas
        for piece in pieces_of(formula)
        if isinstance(piece, Within) and piece.variable == PLACE
    }
    # what moves the player changes nothing where the player stands already
    tests |= {
        Within(PLACE, change.number, change.number)
        for settler in system.settlers
        for change in settler.changes
        if change.variable == PLACE
    }
    return {
        area: frozenset(t for t in tests if t.low <= area <= t.high)
        for area in range(system.variables[PLACE].size)
    }


def destination_for_sure(step: Step) -> int | None:
    """Where a step leads, whatever else it does; None: nowhere, or not for sure."""
    changes = [c for c in step.changes if c.variable == PLACE]
    if len(changes) != 1 or changes[0].when != TRUE or changes[0].operation is not Operation.SET:
        return None
    return changes[0].number


def areas_in(formula: Formula) -> set[int]:
    """The areas that a formula has tests for."""
    return {
        area
        for piece in pieces_of(formula)
        if isinstance(piece, Within) and piece.variable == PLACE
        for area in range(piece.low, piece.high + 1)
    }


def standing_in(area: int, formula: Formula) -> Formula:
    """What a formula says of a player in an area."""

    def test(test: Within) -> Formula:
        if test.variable != PLACE:
            return test
        return TRUE if test.low <= area <= test.high else FALSE

    return substituted(formula, test)
