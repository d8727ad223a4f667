"""Chapters of a map in few tints: no two neighbours in the same one, where that can be."""

from __future__ import annotations

from collections.abc import Mapping

from zubrel.drawn.grid import Cell
from zubrel.drawn.paper import TINTS


def tints_of(chapter_of: Mapping[Cell, int | None]) -> dict[int | None, int]:
    """A tint for each chapter, as far as can be another one than its neighbours'."""
    beside: dict[int | None, set[int | None]] = {c: set() for c in chapter_of.values()}
    for (column, row), chapter in chapter_of.items():
        for dx, dy in ((1, 0), (0, 1), (1, 1), (1, -1)):
            other = chapter_of.get((column + dx, row + dy), chapter)
            if other != chapter:
                beside[chapter].add(other)
                beside[other].add(chapter)
    tints: dict[int | None, int] = {}
    # those with the most neighbours first, while there is a choice (Welsh, Powell: An upper
    # bound for the chromatic number of a graph, 1967)
    for chapter in sorted(beside, key=lambda c: (-len(beside[c]), c or 0)):
        used = [tints.get(other) for other in beside[chapter]]
        tints[chapter] = min(range(len(TINTS)), key=lambda t: (used.count(t), t))
    return tints
