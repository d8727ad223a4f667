"""Areas between which the player walks to and fro at will, as one.

A way is *plain* when it asks for nothing and does nothing but walk, and when nothing that happens
by itself tells its two ends apart. Areas that plain ways connect in both directions form an island:
whoever stands in one of them can come into all of them, everything else being the same.
"""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.compiled.formulas import TRUE
from zubrel.compiled.parts import PLACE, Step
from zubrel.compiled.system import System
from zubrel.compiled.ways import destination_of, told_apart


def islands_of(system: System) -> tuple[list[frozenset[int]], frozenset[int]]:
    """The islands of more than one area, and the numbers of the plain steps inside them."""
    marks = told_apart(system)
    links: dict[int, set[int]] = {}
    plain: list[tuple[Step, int, int]] = []
    for move in system.moves:
        # with several outcomes, luck decides where the player comes to
        there = destination_of(move.steps[0]) if len(move.steps) == 1 else None
        if move.guard != TRUE or there is None or move.areas is None:
            continue
        for here in move.areas:
            # where something happens at one end only, walking there is not without an effect
            if marks.get(here) == marks.get(there):
                links.setdefault(here, set()).add(there)
                plain.append((move.steps[0], here, there))
    islands = _mutual(links, range(system.variables[PLACE].size))
    number = {area: n for n, island in enumerate(islands) for area in island}
    steps: dict[int, bool] = {}
    for step, here, there in plain:
        # a rule may be tried in several areas: all of its ways have to lie inside
        inside = here in number and number[here] == number.get(there)
        steps[step.number] = steps.get(step.number, True) and inside
    return islands, frozenset(n for n, inside in steps.items() if inside)


def _mutual(links: dict[int, set[int]], areas: Iterable[int]) -> list[frozenset[int]]:
    """The strongly connected parts of more than one area."""
    turned: dict[int, set[int]] = {}
    for here, ends in links.items():
        for there in ends:
            turned.setdefault(there, set()).add(here)
    left, mutual = set(areas), []
    while left:
        start = min(left)
        # worlds have few areas: a linear algorithm would save nothing
        island = _reached(start, links) & _reached(start, turned)
        left -= island
        if len(island) > 1:
            mutual.append(frozenset(island))
    return mutual


def _reached(start: int, links: dict[int, set[int]]) -> set[int]:
    reached, pending = {start}, [start]
    while pending:
        for there in links.get(pending.pop(), ()):
            if there not in reached:
                reached.add(there)
                pending.append(there)
    return reached
