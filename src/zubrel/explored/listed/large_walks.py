"""Breadth-first plays through the numbered situations of the large engine."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from zubrel.compiled.parts import Step
from zubrel.explored.listed.large_graph import VectorGraph
from zubrel.explored.listed.numbering import Numbers, NumberSet
from zubrel.explored.space import Distance, Trace

STEP = 50
"""Units of work of going one level on, or through one block of edges, beside what is found."""


class VectorWalks:
    """Breadth-first plays over the edges; the tree is made when the first trace is asked for."""

    def __init__(self, space: VectorGraph, avoiding: NumberSet | None) -> None:
        self.space = space
        self.levels = space.levels if avoiding is None else _levels(space, avoiding)
        self.reached = NumberSet(self.levels >= 0)
        self._tree: tuple[Numbers, npt.NDArray[np.int32]] | None = None

    def shortest(self, target: NumberSet, surely: bool = False) -> Trace | None:
        inside = np.flatnonzero(target.truths & self.reached.truths)
        if not len(inside):
            return None
        # the level of a situation is its fewest steps from the start, so that going up levels is
        # shortest
        here = int(inside[np.argmin(self.levels[inside])])
        parents, steps = self._parents()
        trace: list[Step] = []
        while self.levels[here] > 0:
            trace.append(self.space.system.steps[int(steps[here])])
            here = int(parents[here])
        return Trace(tuple(reversed(trace)))

    def moves_to(self, target: NumberSet) -> Distance | None:
        inside = self.levels[target.truths & self.reached.truths]
        return Distance(int(inside.min())) if len(inside) else None

    def by_moves(self, sets: Sequence[NumberSet]) -> list[tuple[int, ...]]:
        size = int(self.levels.max()) + 1
        inside = (self.levels[situations.truths & self.reached.truths] for situations in sets)
        columns = [np.bincount(levels, minlength=size).tolist() for levels in inside]
        return list(zip(*columns, strict=True))

    def _parents(self) -> tuple[Numbers, npt.NDArray[np.int32]]:
        """For each situation one that is a level nearer to the start, and the step from it.

        Of several the one in the first block, and there the first, is taken: later ones are
        written first and then overwritten.
        """
        if self._tree is None:
            parents = np.zeros(len(self.levels), np.uint32)
            steps = np.zeros(len(self.levels), np.int32)
            for block in reversed(self.space.blocks):
                self.space.budget.spend(STEP)
                # a level below zero was not reached with what is avoided
                before, after = self.levels[block.sources], self.levels[block.targets]
                nearer = np.flatnonzero((after == before + 1) & (before >= 0))[::-1]
                parents[block.targets[nearer]] = block.sources[nearer]
                steps[block.targets[nearer]] = block.step
            self._tree = parents, steps
        return self._tree


def _levels(space: VectorGraph, avoiding: NumberSet) -> npt.NDArray[np.int32]:
    """How many steps from the start, -1: not reached while keeping out of `avoiding`."""
    levels = np.full(len(space.rows), -1, np.int32)
    if avoiding.truths[0]:
        return levels
    levels[0] = 0
    starts, targets = space.forward().starts, space.forward().ends
    frontier = np.zeros(1, np.int64)
    level = 0
    while len(frontier):
        level += 1
        space.budget.spend(STEP + len(frontier))
        first, counts = starts[frontier], starts[frontier + 1] - starts[frontier]
        # the moves of all situations of the frontier at once: where each one's begin, minus those
        # before
        skipped = np.repeat(first - np.concatenate(([0], np.cumsum(counts)[:-1])), counts)
        reached = targets[np.arange(len(skipped)) + skipped]
        new = reached[(levels[reached] < 0) & ~avoiding.truths[reached]]
        frontier = np.unique(new).astype(np.int64)
        levels[frontier] = level
    return levels
