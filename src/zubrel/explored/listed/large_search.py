"""Searching every situation, whole levels at once: fills a `VectorSpace`."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import FALSE
from zubrel.compiled.parts import ENDING, PLACE, Move
from zubrel.compiled.system import System
from zubrel.explored.listed.large import CHUNK, VectorSpace
from zubrel.explored.listed.large_graph import Block
from zubrel.explored.listed.numbering import Numbers, NumberTable
from zubrel.explored.listed.small import ScalarSpace
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.packed.kernel import Kernel, Test, Update
from zubrel.explored.packed.packing import Packing
from zubrel.explored.packed.settling import Settling
from zubrel.explored.packed.settling_arrays import VectorSettling
from zubrel.explored.space import EndlessSettling, TooMany, Trace

BLOCK = 1 << 18


def explore_vector(
    system: System, budget: Budget, progress: Progress, most: int | None = None
) -> VectorSpace:
    """Search every situation. Raises what `VectorSearch.run` does."""
    return VectorSearch(system, budget, progress).run(most)


class _Moved:
    """What one chunk of situations leads to: rule by rule, and outcome by outcome."""

    def __init__(self, words: int) -> None:
        self.words = words
        self.pieces: list[tuple[list[int], Numbers]] = []
        self._before: list[list[Any]] = []
        self._after: list[Any] = []

    def add(
        self, numbers: list[int], sources: Numbers, before: list[Any], results: list[Any]
    ) -> None:
        self.pieces.append((numbers, sources))
        self._before += [before] * len(results)
        self._after += results

    def before(self) -> list[Any]:
        """The situations before each outcome, word by word."""
        return [np.concatenate([b[n] for b in self._before]) for n in range(self.words)]

    def after(self) -> list[Any]:
        """The situations after each outcome, word by word."""
        return [np.concatenate([r[n] for r in self._after]) for n in range(self.words)]


def rules_by_area(system: System, kernel: Kernel) -> list[list[tuple[Move, Test, list[Update]]]]:
    """For each area the rules that may be possible there, with their guards and outcomes."""
    # a guard that never holds would still cost a comparison for every situation
    moves = [m for m in system.moves if m.guard != FALSE]
    # written out and compiled together, with one call of the compiler
    tests = kernel.tests(m.guard for m in moves)
    updates = iter(kernel.updates(s.changes for m in moves for s in m.steps))
    every = range(len(system.variables[PLACE].names))
    rules: list[list[tuple[Move, Test, list[Update]]]] = [[] for _ in every]
    for move, test in zip(moves, tests, strict=True):
        own = [next(updates) for _ in move.steps]
        # a rule is tried only where its area is right, which is most of what its guard would ask
        for area in every if move.areas is None else move.areas:
            rules[area].append((move, test, own))
    return rules


class VectorSearch:
    """A search of every situation, breadth first, that goes on where it has ended before."""

    def __init__(self, system: System, budget: Budget, progress: Progress) -> None:
        self.space = space = VectorSpace(system, budget)
        self.most: int | None = None
        self.level_end = 0
        """The number after the last situation of the level that is being expanded."""
        self.budget = budget
        self.progress = progress
        self.table = NumberTable(space.rows)
        self.settling = VectorSettling(space.system, space.kernel, space.packing)
        self.at: list[list[tuple[Test, list[tuple[int, Update]]]]] = []
        # edges of some levels are collected by step before they become blocks: many tiny arrays are
        # slow
        self.open_block: dict[int, list[tuple[Numbers, Numbers]]] = {}
        self.open_edges = 0
        self._prepare()

    def _prepare(self) -> None:
        self.at = [
            [
                (test, [(s.number, update) for s, update in zip(move.steps, updates, strict=True)])
                for move, test, updates in here
            ]
            for here in rules_by_area(self.space.system, self.space.kernel)
        ]

    def run(self, most: int | None = None) -> VectorSpace:
        """Raises `TooMany` past `most` situations, `EndlessSettling` as it says."""
        space, self.most = self.space, most
        # a search that was ended by `most` is gone on with, and has its start already
        if not len(space.rows):
            start = np.array([space.packing.pack(space.system.start)], np.uint64)
            self.table.numbers_of(self._settled([start[:, n] for n in range(start.shape[1])]))
        try:
            while space.explored < len(space.rows):
                if space.explored == self.level_end:
                    # all that is known now is one move further away than what was expanded before
                    self.level_end = len(space.rows)
                # a level in slices: a whole one may be too large for what its outcomes take in
                # memory
                while space.explored < self.level_end:
                    self._expand_some(self.level_end)
                if len(space.rows) > self.level_end:
                    space.level_starts.append(self.level_end)
        # a share of work is the caller's own limit, who wants to know; others end the search with
        # what is known
        except WorkSpent:
            raise
        except LimitReached as limit:
            space.stopped = str(limit)
            self.budget.begin_telling()
        self._close_block()
        return space

    def _expand_some(self, end: int) -> None:
        """The next situations before number `end`. Raises `TooMany`, and as `Budget` does."""
        space, known = self.space, len(self.space.rows)
        self.progress.reached(known, known - space.explored)
        if self.most is not None and known > self.most:
            raise TooMany
        self.budget.check_limits(known, self.table.bytes_to_grow(2 * CHUNK))
        first, allowed = space.explored, self.budget.limits.situations
        size = CHUNK
        if allowed is not None:  # few at a time near the limit, so as not to run past it
            size = max(1, min(CHUNK, (allowed - known) // max(1, len(space.system.steps))))
        last = min(first + size, end)
        self._expand(first, last)
        space.explored = last  # only now: a limit may end the work in between
        self.budget.spend(last - first)

    def _expand(self, first: int, last: int) -> None:
        """All moves from the situations numbered `first` to `last`."""
        words = self.space.rows.columns(first, last)
        place, ending = (self.space.packing.fields[v] for v in (PLACE, ENDING))
        going_on = (words[ending.word] & ending.mask) == 0
        areas = (words[place.word] & place.mask).astype(np.uint32)
        areas[~going_on] = len(self.at)  # beyond all areas: what has ended has no moves
        # stable, so that situations of one area keep the order of their numbers
        order = np.argsort(areas, kind="stable")
        bounds = np.searchsorted(areas[order], np.arange(len(self.at) + 1))
        moved = _Moved(self.space.packing.words)
        for area, moves in enumerate(self.at):
            here = order[bounds[area] : bounds[area + 1]]
            if len(here):
                self._move_from(moves, here, first, [w.take(here) for w in words], moved)
        if moved.pieces:
            self._enter(moved)
        if self.open_edges >= BLOCK:
            self._close_block()

    def _move_from(
        self,
        moves: list[tuple[Test, list[tuple[int, Update]]]],
        here: npt.NDArray[np.intp],
        first: int,
        words: list[Any],
        moved: _Moved,
    ) -> None:
        """Every possible rule of one area, with the words after each outcome, not yet settled."""
        for test, steps in moves:
            truths = test(*words)
            if truths is False:
                continue
            sources, before = here, words
            if truths is not True:
                # by numbers: NumPy takes those in half the time that it needs for truths
                possible = np.flatnonzero(truths)
                if not len(possible):
                    continue
                sources, before = here.take(possible), [w.take(possible) for w in words]
            # settled later, all areas together: few columns that are long cost least
            results = [update(*before) for _, update in steps]
            numbers = (sources + first).astype(np.uint32)
            moved.add([number for number, _ in steps], numbers, before, results)

    def _enter(self, moved: _Moved) -> None:
        """Settle what was reached, leave out rules of which no outcome changes anything, number."""
        after = self._settled(moved.after())
        changed = np.zeros(len(after[0]), np.bool_)
        for old, new in zip(moved.before(), after, strict=True):
            changed |= old != new
        kept = np.zeros(len(changed), np.bool_)
        taken: list[tuple[int, Numbers]] = []
        at = 0
        for numbers, sources in moved.pieces:
            size = len(sources)
            ends = [slice(at + n * size, at + (n + 1) * size) for n in range(len(numbers))]
            # a rule is a move as soon as one outcome changes anything; then all of them are steps
            either_changed = changed[ends[0]].copy()
            for end in ends[1:]:
                either_changed |= changed[end]
            # in the order of the outcomes, in which their edges are kept as well
            for number, end in zip(numbers, ends, strict=True):
                kept[end] = either_changed
                taken.append((number, sources.compress(either_changed)))
            at += size * len(numbers)
        # numbered only now: what a rule without effect leads to is the situation itself
        targets = self.table.numbers_of([w.compress(kept) for w in after])
        self._keep_edges(taken, targets)

    def _settled(self, words: list[Any]) -> list[Any]:
        if not self.settling.needed:
            return words
        self.settling.settle(words, self._refuse_if_endless)
        return words

    def _refuse_if_endless(self, row: list[int]) -> None:
        space = self.space
        refuse_if_endless(space.system, space.packing, row, self.budget, self.progress)

    def _keep_edges(self, taken: list[tuple[int, Numbers]], targets: Numbers) -> None:
        at = 0
        for step, sources in taken:
            if len(sources):
                edge = (sources, targets[at : at + len(sources)])
                self.open_block.setdefault(step, []).append(edge)
                at += len(sources)
        self.open_edges += at
        self.space.moves += at

    def _close_block(self) -> None:
        for step in sorted(self.open_block):
            parts = self.open_block[step]
            sources = np.concatenate([s for s, _ in parts])
            targets = np.concatenate([t for _, t in parts])
            # by source: a single step is looked up by halving (`_target`)
            order = np.argsort(sources, kind="stable")
            self.space.blocks.append(Block(step, sources.take(order), targets.take(order)))
        self.open_block, self.open_edges = {}, 0


def refuse_if_endless(
    system: System, packing: Packing, row: list[int], budget: Budget, progress: Progress
) -> None:
    """Raise `EndlessSettling` if a packed situation never rests.

    Plain integers name the cycle, and a second search with them the moves that lead to it.
    """
    # this happens once at the most, and the message is exact
    small = ScalarSpace(system, budget)
    (word,) = small.packing.pack(packing.unpack(row))
    cycle = Settling(system, small.kernel, small.packing).settled(word)
    if not isinstance(cycle, int):
        explore_scalar(system, budget, progress, None)
        raise EndlessSettling(Trace(()), cycle)
