"""Areas between which the player walks to and fro at will, as one.

A way is *plain* when it asks for nothing and does nothing but walk, and when nothing that happens
by itself tells its two ends apart. Areas that plain ways connect in both directions form an island:
whoever stands in one of them can come into all of them, everything else being the same.
"""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.compiled.formulas import TRUE, Formula, Within, pieces_of
from zubrel.compiled.system import PLACE, Operation, Step, System


def islands_of(system: System) -> tuple[list[frozenset[int]], frozenset[int]]:
    """The islands of more than one area, and the numbers of the plain steps inside them."""
    marks = told_apart(system)
    links: dict[int, set[int]] = {}
    plain: list[tuple[Step, int, int]] = []
    for move in system.moves:
        there = destination_of(move.steps[0]) if len(move.steps) == 1 else None
        if move.guard != TRUE or there is None or move.areas is None:
            continue
        for here in move.areas:
            if marks.get(here) == marks.get(there):
                links.setdefault(here, set()).add(there)
                plain.append((move.steps[0], here, there))
    found = _mutual(links, range(system.variables[PLACE].size))
    number = {area: n for n, island in enumerate(found) for area in island}
    steps: dict[int, bool] = {}
    for step, here, there in plain:
        inside = here in number and number[here] == number.get(there)
        steps[step.number] = steps.get(step.number, True) and inside
    return found, frozenset(n for n, inside in steps.items() if inside)


def destination_of(step: Step) -> int | None:
    """Where a step leads that does nothing else; None: it does more, or does not walk."""
    if len(step.changes) != 1:
        return None
    change = step.changes[0]
    plain = change.variable == PLACE and change.operation is Operation.SET and change.when == TRUE
    return change.number if plain else None


def told_apart(system: System) -> dict[int, frozenset[Formula]]:
    """For each area the tests of what happens by itself that hold there."""
    formulas = [f for s in system.settlers for f in (s.guard, *(c.when for c in s.changes))]
    formulas += [formula for formula, _ in system.endings]
    tests = {
        piece for formula in formulas for piece in pieces_of(formula)
        if isinstance(piece, Within) and piece.variable == PLACE
    }  # fmt: skip
    # what moves the player changes nothing where the player stands already
    tests |= {
        Within(PLACE, change.number, change.number)
        for settler in system.settlers for change in settler.changes if change.variable == PLACE
    }  # fmt: skip
    return {
        area: frozenset(t for t in tests if t.low <= area <= t.high)
        for area in range(system.variables[PLACE].size)
    }


def _mutual(links: dict[int, set[int]], areas: Iterable[int]) -> list[frozenset[int]]:
    """The strongly connected parts of more than one area."""
    turned: dict[int, set[int]] = {}
    for here, ends in links.items():
        for there in ends:
            turned.setdefault(there, set()).add(here)
    left, found = set(areas), []
    while left:
        start = min(left)
        island = _reached(start, links) & _reached(start, turned)
        left -= island
        if len(island) > 1:
            found.append(frozenset(island))
    return found


def _reached(start: int, links: dict[int, set[int]]) -> set[int]:
    found, pending = {start}, [start]
    while pending:
        for there in links.get(pending.pop(), ()):
            if there not in found:
                found.add(there)
                pending.append(there)
    return found
