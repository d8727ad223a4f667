"""Rooms that were met and not left yet, and which of them are left next.

A fifth of those that are left are those from which a win seems the cheapest. Where costs mislead,
others have their turn: rooms with a value, or with two at once, that no room had before in which as
much was done for good, those first in which most was, and rooms with such among those of the same
cost (best-first width search: Lipovetzky, Geffner: Best-first width search, exploration and
exploitation in classical planning, 2017); and rooms that are drawn from all kinds alike, a kind
being what a win costs and how many moves away the room is (Xie, Mueller, Holte, Imai: Type-based
exploration with multiple search queues for satisficing planning, 2014).
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Sequence
from math import log2
from random import Random
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.compiled.parts import ENDING
from zubrel.compiled.system import System
from zubrel.explored.packed.novelty import NEW_PAIR, NEW_VALUE, NOTHING_NEW
from zubrel.explored.packed.novelty_arrays import VectorNovelty

BATCH = 64
"""Rooms that are left at once: of 16 worlds as people write them 12 are won by a search of many
rooms alone in 6 million units of work, as with half as many and with twice as many."""
DRAWN, NEW_VALUES, NEW_PAIRS, NEW_WHEN_DONE = 0.1, 0.2, 0.1, 0.4
"""The shares of them that are drawn, and in which something is new among those of the same cost,
and among those in which as much was done. (Of five worlds, with three seeds of what is drawn, all
are won with 42 million units in all; a fifth each with 70, where one is not won with nine; 0.2,
0.2, 0 and 0.4 with 61; 0.1, 0.1, 0.1 and 0.5 with 46. Without the last, and a quarter of the others
each, one of the five takes eleven and not two and a half.)"""
EXACT = 1_000
"""Costs up to which those that differ by one make kinds of their own."""
LOOKED_UP = 70
"""Values, and two at once, of which it is looked up for a unit of work whether they are new: as
many as take as long as a unit of what costs are worked out with (53 to 132 in five worlds)."""


class Frontier:
    """What is to be left next, of nodes that are met by their numbers, each once.

    `before` are the places of all values before the first move, `idle` variables of which no value
    is news. What is drawn depends on `seed` alone.
    """

    def __init__(
        self, system: System, before: Sequence[int], idle: Iterable[int], seed: int
    ) -> None:
        self.random = Random(seed)
        every = set(range(len(system.variables))) - {ENDING, *idle}
        self.novelty = VectorNovelty(system.variables, sorted(every))
        one_way = every & (system.rising.rising | system.rising.falling)
        self.for_good = np.array(sorted(one_way), np.int64)
        """The variables that never go back: finds taken, doors opened, quests done."""
        self.before = np.array(before, np.int64)[self.for_good, np.newaxis]
        # of equal ones the one that was met last is left first
        self.cheapest: list[tuple[float, int]] = []
        self.new: dict[int, list[tuple[float, int]]] = {NEW_VALUE: [], NEW_PAIR: []}
        """Those in which something is new among those of the same cost."""
        self.done: list[tuple[int, int, float, int]] = []
        """Those in which something is new among those with as much done: how new, less how much is
        done, the cost, less the node."""
        self.kinds: dict[tuple[int, int], list[int]] = {}
        self.known_kinds: list[tuple[int, int]] = []
        self.left = bytearray()
        """Which nodes were left."""
        self.work = 0.0
        """Units of work that were done since somebody has accounted for them."""

    def meet(
        self,
        nodes: Sequence[int],
        values: npt.NDArray[np.int64],
        costs: npt.NDArray[np.float64],
        far: npt.NDArray[np.int32],
    ) -> None:
        """Nodes, with the places of their values (a column each), costs, and moves on the way."""
        rounded = [_rounded(cost) for cost in costs.tolist()]
        done = (values[self.for_good] != self.before).sum(0)
        at_cost, when_done = self.novelty.of(values, np.array(rounded, np.int64), done)
        self.work += 2 * len(nodes) * self.novelty.looked_up / LOOKED_UP
        # numbers in between are of nodes that lead nowhere
        self.left += bytes(max(0, max(nodes, default=0) + 1 - len(self.left)))
        columns = (rounded, *(a.tolist() for a in (costs, far, at_cost, done, when_done)))
        for node, alike, cost, moves, new, much, newly in zip(nodes, *columns, strict=True):
            heapq.heappush(self.cheapest, (cost, -node))
            if new != NOTHING_NEW:
                heapq.heappush(self.new[new], (cost, -node))
            if newly != NOTHING_NEW:
                heapq.heappush(self.done, (newly, -much, cost, -node))
            if (alike, moves) not in self.kinds:
                self.known_kinds.append((alike, moves))
            self.kinds.setdefault((alike, moves), []).append(node)

    def leave(self) -> list[int]:
        """Which nodes are left now: none of them was before."""
        leaving = list[int]()
        most = BATCH * DRAWN
        while self.known_kinds and len(leaving) < most:
            self._leave(self._drawn(), leaving)
        queues: tuple[tuple[list[Any], float], ...] = (
            (self.new[NEW_VALUE], NEW_VALUES),
            (self.new[NEW_PAIR], NEW_PAIRS),
            (self.done, NEW_WHEN_DONE),
            (self.cheapest, 1),  # all the rest
        )
        for queue, share in queues:
            most = min(BATCH, most + BATCH * share)
            while queue and len(leaving) < most:
                self._leave(-heapq.heappop(queue)[-1], leaving)
        return leaving

    def _leave(self, node: int, leaving: list[int]) -> None:
        # it stands in several lists
        if not self.left[node]:
            self.left[node] = True
            leaving.append(node)

    def _drawn(self) -> int:
        """A node of some kind, which is taken out of it."""
        place = self.random.randrange(len(self.known_kinds))
        nodes = self.kinds[self.known_kinds[place]]
        other = self.random.randrange(len(nodes))
        # the last one fills the gap: the order within a kind does not matter
        nodes[other], nodes[-1] = nodes[-1], nodes[other]
        node = nodes.pop()
        if not nodes:
            del self.kinds[self.known_kinds[place]]
            self.known_kinds[place] = self.known_kinds[-1]
            self.known_kinds.pop()
        return node


def _rounded(cost: float) -> int:
    """What costs are taken as where kinds of rooms are told apart: large ones by their size."""
    return int(cost) if cost < EXACT else int(EXACT + 8 * log2(cost / EXACT))
