"""What spaces that hold sets as diagrams answer in the same way."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TypeVar

from zubrel.compiled.formulas import FALSE, Formula, Within
from zubrel.compiled.parts import Move, Step, Variable
from zubrel.explored.space import S, Space

T = TypeVar("T")


def shifted(
    space: Space[S],
    step: Step,
    variable: int,
    up: bool,
    values: Iterable[int],
    among: Callable[[int, int], Formula] | None = None,
) -> S:
    """From where a step raises (`up`) or lowers a variable, going through its `values`.

    `among` says that it is between two values, both included.
    """
    domain: Variable = space.system.variables[variable]
    sources = space.where(FALSE)
    # by each value that can be left: whatever lies beyond it is what the step would have to lead to
    for value in values:
        low, high = (value + 1, domain.high) if up else (domain.low, value - 1)
        if low <= high:
            beyond = Within(variable, low, high) if among is None else among(low, high)
            here = space.where(Within(variable, value, value))
            sources |= space.before(step, space.where(beyond)) & here
    return sources


def by_choice(
    moves: Sequence[Move],
    within: T,
    escaping: Callable[[Move, T], T],
    shared: Callable[[T, T], T],
    holds_any: Callable[[T], bool],
    closed: Callable[[Mapping[int, T]], T],
) -> T:
    """The situations of `within` from which a target can be come to whatever luck does.

    `escaping` are those from which some outcome of a move leaves a set, `closed` those that lead to
    the target where steps, by their numbers, are barred from some situations; `shared` is what lies
    in both of two sets, and `holds_any` tells whether anything does. What is left over is smaller
    each time, until no move that is still needed can leave it (a greatest fixpoint).
    """
    kept = within
    while True:
        barred = {
            step.number: leaving
            for move in moves
            # a move of one outcome leaves nothing to luck
            if len(move.steps) > 1
            for leaving in [escaping(move, kept)]
            for step in move.steps
        }
        if not any(holds_any(shared(leaving, kept)) for leaving in barred.values()):
            return kept
        # of what is reached nothing more is closed than was kept; sets may hold other situations,
        # which must not come and go for ever
        still = shared(kept, closed(barred))
        if still == kept:
            return kept
        kept = still
