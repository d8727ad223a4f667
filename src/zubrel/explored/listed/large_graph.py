"""The situations of a large world as rows of words, the steps between them as blocks of numbers.

Situations are rows of unsigned words, numbered in breadth-first order. Edges are kept by step in
blocks, each of some levels: a step leads from a situation to one other, so that within a block of
one step every source is there only once, and sets can be pushed along it by plain indexing.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.listed.links import Links
from zubrel.explored.listed.numbering import Numbers, Rows
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_words

ASK = 0.02
"""Units of work for each situation or edge of a question about all of them."""
LINK_BYTES = 40
"""What sorting the edges takes for each, at its most."""


class Block(Struct, frozen=True):
    """The edges of one step in some levels: sources ascending, none twice."""

    step: int
    sources: Numbers
    targets: Numbers


class VectorGraph:
    """Numbered situations and the edges that were found between them."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        self.budget = budget
        self.packing = pack_into_words(system.variables)
        self.kernel = Kernel(system.variables, self.packing, np.uint64(1))
        self.rows = Rows(self.packing.words)
        self.blocks: list[Block] = []
        self.level_starts: list[int] = [0]
        self.explored = 0
        self.moves = 0
        self.stopped: str | None = None
        self._levels: npt.NDArray[np.int32] | None = None
        self._by_step: dict[int, list[Block]] = {}
        self._sorted = 0
        # sorted copies of all edges, made when the first question needs that direction
        self._forward: Links | None = None
        self._backward: Links | None = None

    @property
    def levels(self) -> npt.NDArray[np.int32]:
        if self._levels is None:
            starts = np.zeros(len(self.rows), np.int32)
            starts[[n for n in self.level_starts[1:] if n < len(starts)]] = 1
            self._levels = np.cumsum(starts, dtype=np.int32)
        return self._levels

    def blocks_of(self, step: Step) -> Iterator[Block]:
        # blocks are only ever added: those that came since the last question are sorted in
        for block in self.blocks[self._sorted :]:
            self._by_step.setdefault(block.step, []).append(block)
        self._sorted = len(self.blocks)
        return iter(self._by_step.get(step.number, ()))

    def forward(self) -> Links:
        """All edges by their source."""
        if self._forward is None:
            self._forward = self._links(False)
        return self._forward

    def backward(self) -> Links:
        """All edges by their target."""
        if self._backward is None:
            self._backward = self._links(True)
        return self._backward

    def _links(self, turned: bool) -> Links:
        edges = sum(len(b.sources) for b in self.blocks)
        self.budget.check_limits(more_memory=edges * LINK_BYTES)
        self.budget.spend(edges * ASK)
        none = np.empty(0, np.uint32)
        ends = [
            np.concatenate([none, *(b.sources for b in self.blocks)]),
            np.concatenate([none, *(b.targets for b in self.blocks)]),
        ]
        steps = np.concatenate(
            [
                none[:0].astype(np.uint16),
                *(np.full(len(b.sources), b.step, np.uint16) for b in self.blocks),
            ]
        )
        here, there = reversed(ends) if turned else ends
        # sorting whole words is several times faster than asking for a stable order
        keys = here.astype(np.uint64) << np.uint64(32)
        keys |= np.arange(len(here), dtype=np.uint64)
        keys.sort()
        order = (keys & np.uint64(0xFFFFFFFF)).astype(np.uint32)
        # the links of situation n are those from starts[n] to starts[n + 1]
        starts = np.zeros(len(self.rows) + 1, np.int64)
        np.cumsum(np.bincount(here, minlength=len(self.rows)), out=starts[1:])
        bounds = [*(n for n in self.level_starts if n < len(self.rows)), len(self.rows)]
        return Links(starts, there.take(order), steps.take(order), bounds, self.budget)
