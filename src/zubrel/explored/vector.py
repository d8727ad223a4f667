"""The explicit search for large worlds: whole levels at once in NumPy.

Situations are rows of unsigned words, numbered in breadth-first order. An open-addressing hash
table of situation numbers tells whether one is known; whole words are compared, so that equal
hashes prove nothing. Edges are kept by step in blocks, each of some levels: a step leads from a
situation to one other, so that within a block of one step every source is there only once, and
sets can be pushed along it by plain indexing.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import FALSE, Formula
from zubrel.compiled.system import ENDING, PLACE, Step, System
from zubrel.explored.kernel import Kernel, Test, Update
from zubrel.explored.numbered import NumberTable, Rows
from zubrel.explored.packing import pack_into_words
from zubrel.explored.scalar import ScalarSpace, Settling, explore_scalar
from zubrel.explored.settling import VectorSettling
from zubrel.explored.space import EndlessSettling, Trace

Numbers = npt.NDArray[np.uint32]
Truths = npt.NDArray[np.bool_]
CHUNK = 65_536
BLOCK = 1 << 18
FAMILY = 64


class NumberSet:
    """A set of situations as one truth value for each."""

    __slots__ = ("truths",)

    def __init__(self, truths: Truths) -> None:
        self.truths = truths

    def __and__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths & other.truths)

    def __or__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths | other.truths)

    def __sub__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths & ~other.truths)

    def __bool__(self) -> bool:
        return bool(self.truths.any())

    def __len__(self) -> int:
        return int(np.count_nonzero(self.truths))


class Block(Struct, frozen=True):
    """The edges of one step in some levels: sources ascending, none twice."""

    step: int
    sources: Numbers
    targets: Numbers


class VectorWalks:
    """Breadth-first plays over the edges; parents are looked up only along a trace."""

    def __init__(self, space: VectorSpace, avoiding: NumberSet | None) -> None:
        self.space = space
        self.levels = space.levels if avoiding is None else _levels(space, avoiding)
        self.reached = NumberSet(self.levels >= 0)

    def shortest(self, target: NumberSet) -> Trace | None:
        inside = np.flatnonzero(target.truths & self.reached.truths)
        if not len(inside):
            return None
        here = int(inside[np.argmin(self.levels[inside])])
        steps: list[Step] = []
        while self.levels[here] > 0:
            here, step = self._before(here)
            steps.append(self.space.system.steps[step])
        return Trace(tuple(reversed(steps)))

    def _before(self, here: int) -> tuple[int, int]:
        """A situation one level nearer to the start, and the step from it."""
        wanted = self.levels[here] - 1
        best: tuple[int, int] | None = None
        for block in self.space.blocks:
            sources = block.sources[block.targets == here]
            nearer = sources[self.levels[sources] == wanted]
            if len(nearer) and (best is None or (int(nearer[0]), block.step) < best):
                best = (int(nearer[0]), block.step)
        assert best is not None, "every level but the first is reached from the one before"
        return best


def _levels(space: VectorSpace, avoiding: NumberSet) -> npt.NDArray[np.int32]:
    """How many steps from the start, -1: not reached while keeping out of `avoiding`."""
    levels = np.full(len(space.rows), -1, np.int32)
    if avoiding.truths[0]:
        return levels
    levels[0] = 0
    source_of, target_of = space.all_edges()
    allowed = ~avoiding.truths[target_of]
    source_of, target_of = source_of[allowed], target_of[allowed]
    level = 0
    frontier = np.zeros(len(levels), np.bool_)
    frontier[0] = True
    while frontier.any():
        level += 1
        reached = target_of[frontier[source_of]]
        new = np.unique(reached[levels[reached] < 0])
        levels[new] = level
        frontier[:] = False
        frontier[new] = True
    return levels


class VectorSpace:
    """`Space` over numbered rows of words."""

    engine = "explicit"

    def __init__(self, system: System) -> None:
        self.system = system
        self.packing = pack_into_words(system.variables)
        self.kernel = Kernel(system.variables, self.packing, np.uint64(1))
        self.rows = Rows(self.packing.words)
        self.blocks: list[Block] = []
        self.level_starts: list[int] = [0]
        self.explored = 0
        self.moves = 0
        self.stopped: str | None = None
        self._levels: npt.NDArray[np.int32] | None = None

    @property
    def levels(self) -> npt.NDArray[np.int32]:
        if self._levels is None:
            starts = np.zeros(len(self.rows), np.int32)
            starts[[n for n in self.level_starts[1:] if n < len(starts)]] = 1
            self._levels = np.cumsum(starts, dtype=np.int32)
        return self._levels

    @property
    def everything(self) -> NumberSet:
        return NumberSet(np.ones(len(self.rows), np.bool_))

    @property
    def unexplored(self) -> NumberSet:
        return NumberSet(np.arange(len(self.rows)) >= self.explored)

    def where(self, formula: Formula) -> NumberSet:
        (test,) = self.kernel.tests([formula])
        truths = np.empty(len(self.rows), np.bool_)
        for start in range(0, len(self.rows), CHUNK):
            chunk = self.rows.columns(start, min(start + CHUNK, len(self.rows)))
            truths[start : start + CHUNK] = test(*chunk)
        return NumberSet(truths)

    def some(self, formula: Formula) -> bool:
        (test,) = self.kernel.tests([formula])
        starts = range(0, len(self.rows), CHUNK)
        return any(
            np.any(test(*self.rows.columns(n, min(n + CHUNK, len(self.rows))))) for n in starts
        )

    def reaching(self, targets: Sequence[NumberSet]) -> list[NumberSet]:
        backward = list(reversed(self.blocks))
        return self._spread(targets, [(b.targets, b.sources) for b in backward], False)

    def reached_from(self, sources: Sequence[NumberSet]) -> list[NumberSet]:
        return self._spread(sources, [(b.sources, b.targets) for b in self.blocks], True)

    def _spread(
        self, seeds: Sequence[NumberSet], links: list[tuple[Numbers, Numbers]], crowded: bool
    ) -> list[NumberSet]:
        """Push up to 64 sets at once along the links, one bit a set, until nothing changes.

        `crowded`: an end of a link may be there several times in one block.
        """
        results: list[NumberSet] = []
        for first in range(0, len(seeds), FAMILY):
            family = seeds[first : first + FAMILY]
            kind: Any = np.uint8 if len(family) <= 8 else np.uint64
            bits: npt.NDArray[Any] = np.zeros(len(self.rows), kind)
            for number, seed in enumerate(family):
                bits |= seed.truths.astype(kind) << kind(number)
            _close(bits, links, crowded)
            results += [NumberSet((bits >> kind(n)) & kind(1) != 0) for n in range(len(family))]
        return results

    def possible(self, step: Step) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self._blocks_of(step):
            truths[block.sources] = True
        return NumberSet(truths)

    def before(self, step: Step, into: NumberSet) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self._blocks_of(step):
            truths[block.sources] = into.truths[block.targets]
        return NumberSet(truths)

    def after(self, step: Step, sources: NumberSet) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self._blocks_of(step):
            truths[block.targets[sources.truths[block.sources]]] = True
        return NumberSet(truths)

    def _blocks_of(self, step: Step) -> Iterator[Block]:
        return (block for block in self.blocks if block.step == step.number)

    def all_edges(self) -> tuple[Numbers, Numbers]:
        """The sources and targets of all edges."""
        none = np.empty(0, np.uint32)
        sources = np.concatenate([none, *(b.sources for b in self.blocks)])
        return sources, np.concatenate([none, *(b.targets for b in self.blocks)])

    def walks(self, avoiding: NumberSet | None = None) -> VectorWalks:
        return VectorWalks(self, avoiding)

    def at_end_of(self, trace: Trace) -> NumberSet:
        here = 0
        for step in trace.steps:
            here = self._target(here, step)
        truths = np.zeros(len(self.rows), np.bool_)
        truths[here] = True
        return NumberSet(truths)

    def _target(self, source: int, step: Step) -> int:
        for block in self._blocks_of(step):
            place = int(np.searchsorted(block.sources, source))
            if place < len(block.sources) and block.sources[place] == source:
                return int(block.targets[place])
        raise KeyError(step.rule.id)

    def examples(self, situations: NumberSet, most: int) -> list[dict[Key, Value]]:
        chosen = np.flatnonzero(situations.truths)[:most]
        return [self.system.situation(self.packing.unpack(self.rows.row(int(n)))) for n in chosen]


def _close(bits: npt.NDArray[Any], links: list[tuple[Numbers, Numbers]], crowded: bool) -> None:
    changed = True
    while changed:
        changed = False
        for origins, ends in links:
            new = bits[origins] & ~bits[ends]
            where = np.flatnonzero(new)
            if not len(where):
                continue
            changed = True
            if crowded:
                np.bitwise_or.at(bits, ends[where], new[where])
            else:
                bits[ends[where]] |= new[where]


def explore_vector(system: System, budget: Budget, progress: Progress) -> VectorSpace:
    """Search every situation. Raises `EndlessSettling` when a world never comes to rest."""
    space = VectorSpace(system)
    _Search(space, budget, progress).run()
    return space


class _Search:
    def __init__(self, space: VectorSpace, budget: Budget, progress: Progress) -> None:
        self.space = space
        self.budget = budget
        self.progress = progress
        self.table = NumberTable(space.rows)
        self.settling = VectorSettling(space.system, space.kernel, space.packing)
        self.at: list[list[tuple[Test, list[tuple[int, Update]]]]] = []
        self.open_block: dict[int, list[tuple[Numbers, Numbers]]] = {}
        self.open_edges = 0
        self._prepare()

    def _prepare(self) -> None:
        system, kernel = self.space.system, self.space.kernel
        moves = [m for m in system.moves if m.guard != FALSE]
        tests = kernel.tests(m.guard for m in moves)
        updates = iter(kernel.updates(s.changes for m in moves for s in m.steps))
        every = range(len(system.variables[PLACE].names))
        self.at = [[] for _ in every]
        for move, test in zip(moves, tests, strict=True):
            steps = [(s.number, next(updates)) for s in move.steps]
            for area in every if move.areas is None else move.areas:
                self.at[area].append((test, steps))

    def run(self) -> None:
        space = self.space
        start = np.array([space.packing.pack([v.start for v in space.system.variables])], np.uint64)
        self.table.numbers_of(self._settled([start[:, n] for n in range(start.shape[1])]))
        while space.explored < len(space.rows):
            end = len(space.rows)
            for first in range(space.explored, end, CHUNK):
                known = len(space.rows)
                self.progress.reached(known, known - first)
                space.stopped = self.budget.spent_by(known)
                if space.stopped is not None:
                    self._close_block()
                    return
                space.explored = min(first + CHUNK, end)
                self._expand(first, space.explored)
            if len(space.rows) > end:
                space.level_starts.append(end)
        self._close_block()

    def _expand(self, first: int, last: int) -> None:
        """All moves from the situations numbered `first` to `last`."""
        words = self.space.rows.columns(first, last)
        place, ending = (self.space.packing.fields[v] for v in (PLACE, ENDING))
        going_on = (words[ending.word] & ending.mask) == 0
        areas = (words[place.word] & place.mask).astype(np.uint32)
        areas[~going_on] = len(self.at)
        order = np.argsort(areas, kind="stable")
        bounds = np.searchsorted(areas[order], np.arange(len(self.at) + 1))
        for area, moves in enumerate(self.at):
            here = order[bounds[area] : bounds[area + 1]]
            if len(here):
                self._expand_area(moves, here, first, [w[here] for w in words])
        if self.open_edges >= BLOCK:
            self._close_block()

    def _expand_area(
        self,
        moves: list[tuple[Test, list[tuple[int, Update]]]],
        here: npt.NDArray[np.intp],
        first: int,
        words: list[Any],
    ) -> None:
        taken: list[tuple[int, Numbers]] = []
        results: list[list[Any]] = []
        for test, steps in moves:
            truths = test(*words)
            if truths is False or not np.any(truths):
                continue
            sources = (here if truths is True else here[truths]) + first
            before = words if truths is True else [w[truths] for w in words]
            taken_here, results_here = self._outcomes(steps, sources.astype(np.uint32), before)
            taken += taken_here
            results += results_here
        if taken:
            self._enter(taken, results)

    def _outcomes(
        self, steps: list[tuple[int, Update]], sources: Numbers, before: list[Any]
    ) -> tuple[list[tuple[int, Numbers]], list[list[Any]]]:
        """The results of one rule, without the situations in which no outcome changes anything."""
        after = [self._settled(list(update(*before))) for _, update in steps]
        changed = np.zeros(len(sources), np.bool_)
        for result in after:
            for old, new in zip(before, result, strict=True):
                changed |= old != new
        if not changed.any():
            return [], []
        if not changed.all():
            sources, after = sources[changed], [[w[changed] for w in r] for r in after]
        return [(number, sources) for number, _ in steps], after

    def _settled(self, words: list[Any]) -> list[Any]:
        if not self.settling.needed:
            return words
        words = [np.array(w) for w in words]
        self.settling.settle(words, self._refuse_if_endless)
        return words

    def _refuse_if_endless(self, row: list[int]) -> None:
        """Raise `EndlessSettling` if this situation never rests.

        Plain integers name the cycle, and a second search with them the moves that lead to it.
        """
        system = self.space.system
        small = ScalarSpace(system)
        (word,) = small.packing.pack(self.space.packing.unpack(row))
        cycle = Settling(small).rest(word)
        if not isinstance(cycle, int):
            explore_scalar(system, self.budget, self.progress, None)
            raise EndlessSettling(Trace(()), cycle)

    def _enter(self, taken: list[tuple[int, Numbers]], results: list[list[Any]]) -> None:
        columns = [np.concatenate([r[n] for r in results]) for n in range(self.space.packing.words)]
        targets = self.table.numbers_of(columns)
        at = 0
        for step, sources in taken:
            self.open_block.setdefault(step, []).append((sources, targets[at : at + len(sources)]))
            at += len(sources)
        self.open_edges += at
        self.space.moves += at

    def _close_block(self) -> None:
        for step in sorted(self.open_block):
            parts = self.open_block[step]
            sources = np.concatenate([s for s, _ in parts])
            targets = np.concatenate([t for _, t in parts])
            order = np.argsort(sources, kind="stable")
            self.space.blocks.append(Block(step, sources[order], targets[order]))
        self.open_block, self.open_edges = {}, 0
