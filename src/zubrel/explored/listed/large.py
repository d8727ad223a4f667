"""The explicit search for large worlds: whole levels at once in NumPy.

An open-addressing hash table of situation numbers tells whether one is known; whole words are
compared, so that equal hashes prove nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.listed.large_graph import ASK, VectorGraph
from zubrel.explored.listed.large_walks import VectorWalks
from zubrel.explored.listed.links import Links
from zubrel.explored.listed.numbering import NumberSet
from zubrel.explored.packed.kernel import Test
from zubrel.explored.packed.settling_arrays import VectorSettling
from zubrel.explored.space import EverySituation, Trace

Truths = npt.NDArray[np.bool_]
CHUNK = 65_536
FAMILY = 64
WIDE, WIDE_BYTES = 16, 1 << 24
"""Words of a situation for as many families of sets at once, and the bytes of them all: where few
situations share a level, the time goes into calls and not into bits (what every win of a chain of
300 includes: 900 sets in 0.3 s and not in 1.8)."""
FEW = 16
"""Words of two sets that are compared first."""
WORD = 0.001
"""Units of work to compare 64 situations of two sets."""


def _packed(sets: Sequence[NumberSet]) -> npt.NDArray[np.uint64]:
    """A row a set, one bit a situation."""
    size = len(sets[0].truths)
    # rows are as long as whole words of 64 bits; what is left over at their ends stays low
    rows = np.zeros((len(sets), 8 * -(-size // 64)), np.uint8)
    for row, one in zip(rows, sets, strict=True):
        bits = np.packbits(one.truths)
        row[: len(bits)] = bits
    return rows.view(np.uint64)


class VectorSpace(VectorGraph, EverySituation[NumberSet, VectorWalks]):
    """`Space` over numbered rows of words."""

    engine = "explicit"
    _settling: VectorSettling | None = None

    def __init__(self, system: System, budget: Budget) -> None:
        super().__init__(system, budget)
        self._tests: dict[Formula, Test] = {}

    @property
    def everything(self) -> NumberSet:
        return NumberSet(np.ones(len(self.rows), np.bool_))

    def count(self, situations: NumberSet) -> int:
        return int(np.count_nonzero(situations.truths))

    def give_up(self, limit: str) -> None:
        self.stopped = limit

    @property
    def unexplored(self) -> NumberSet:
        return NumberSet(np.arange(len(self.rows)) >= self.explored)

    def where(self, formula: Formula) -> NumberSet:
        test = self._test(formula)
        truths = np.empty(len(self.rows), np.bool_)
        # in pieces that stay in the cache of the processor, between which limits are looked at
        for start in range(0, len(self.rows), CHUNK):
            self.budget.spend(CHUNK * ASK)
            chunk = self.rows.columns(start, min(start + CHUNK, len(self.rows)))
            truths[start : start + CHUNK] = test(*chunk)
        return NumberSet(truths)

    def _test(self, formula: Formula) -> Test:
        # written out and compiled once: several kinds of findings ask for the same
        if formula not in self._tests:
            (self._tests[formula],) = self.kernel.tests([formula])
        return self._tests[formula]

    def holds_somewhere(self, formula: Formula) -> bool:
        test = self._test(formula)
        starts = range(0, len(self.rows), CHUNK)
        return any(
            np.any(test(*self.rows.columns(n, min(n + CHUNK, len(self.rows))))) for n in starts
        )

    def meetings(self, ones: Sequence[NumberSet], others: Sequence[NumberSet]) -> list[list[bool]]:
        if not others:
            return [[] for _ in ones]
        # 64 situations a word: a million pairs of sets are compared in the time of a few thousand
        packed = _packed(others)
        low, high = _ends(packed)
        rows = (row for one in ones for row in _packed([one]))
        return [self._met(row, packed, low, high).tolist() for row in rows]

    def _met(
        self, row: npt.NDArray[Any], packed: npt.NDArray[Any], low: Any, high: Any
    ) -> npt.NDArray[np.bool_]:
        """Which of some packed sets share a situation with another; `low` and `high` are between
        which of their words they have any."""
        met = np.zeros(len(packed), np.bool_)
        ((first,), (end,)) = _ends(row[None])
        # sets whose words do not overlap share nothing, which needs no look at their bits
        left = np.flatnonzero((low < end) & (high > first))
        width = FEW
        # plays come into a set early, where what avoids another is: few words tell most pairs
        while len(left):
            words = slice(first, min(first + width, end))
            self.budget.spend((len(packed) + len(left) * (words.stop - words.start)) * WORD)
            share = (packed[left, words] & row[words]).any(axis=1)
            met[left[share]] = True
            # pairs that the first words have not told are likely to share nothing: the rest in wide
            # strides
            first, width = words.stop, 8 * width
            left = left[~share & (high[left] > first)] if first < end else left[:0]
        return met

    def reaching(self, targets: Sequence[NumberSet]) -> list[NumberSet]:
        return self._spread(targets, self.forward(), True)

    def reached_from(self, sources: Sequence[NumberSet]) -> list[NumberSet]:
        return self._spread(sources, self.backward(), False)

    def _spread(self, seeds: Sequence[NumberSet], links: Links, from_last: bool) -> list[NumberSet]:
        """What reaches each of some sets along the links, one bit a set."""
        results: list[NumberSet] = []
        for family in self._families(seeds):
            bits = self._bits(family)
            # of sets that are all empty nothing has to be followed
            if bits.any():
                links.close(bits, from_last)
            results += _members(bits, len(family))
        return results

    def _families(self, sets: Sequence[NumberSet]) -> Iterator[Sequence[NumberSet]]:
        """Sets that are closed together: 64, or several times as many."""
        words = max(1, min(WIDE, WIDE_BYTES // (8 * len(self.rows))))
        for first in range(0, len(sets), FAMILY * words):
            yield sets[first : first + FAMILY * words]

    def _bits(self, sets: Sequence[NumberSet]) -> npt.NDArray[Any]:
        """Sets as one bit each of a word for every situation, or of a row of words."""
        # a byte where that is enough: closing goes through all of it again and again
        size = 1 if len(sets) <= 8 else 8 * -(-len(sets) // 64)
        parts = np.zeros((len(self.rows), size), np.uint8)
        for first in range(0, len(sets), 8):
            # eight sets in a row of their own: rows of words are far apart in memory
            byte = np.zeros(len(self.rows), np.uint8)
            for number, situations in enumerate(sets[first : first + 8]):
                byte |= situations.truths.view(np.uint8) << np.uint8(number)
            parts[:, first >> 3] = byte
        words = parts.view(np.uint8 if size == 1 else np.dtype("<u8"))
        return words.reshape(-1) if words.shape[1] == 1 else words

    def reached_without(self, avoided: Sequence[NumberSet]) -> list[NumberSet]:
        results: list[NumberSet] = []
        for family in self._families(avoided):
            closed = self._bits(family)
            bits = np.zeros_like(closed)
            used = np.packbits(np.arange(8 * bits[0].nbytes) < len(family), bitorder="little")
            # plays begin in situation 0, unless that is to be avoided itself
            bits[0] = used.view(bits.dtype).reshape(bits[0].shape) & ~closed[0]
            self.backward().close(bits, False, ~closed)
            results += _members(bits, len(family))
        return results

    def possible(self, step: Step) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self.blocks_of(step):
            truths[block.sources] = True
        return NumberSet(truths)

    def before(self, step: Step, into: NumberSet) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self.blocks_of(step):
            # plain indexing will do: within a block each source appears once
            truths[block.sources] = into.truths.take(block.targets)
        return NumberSet(truths)

    def after(self, step: Step, sources: NumberSet) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self.blocks_of(step):
            truths[block.targets.compress(sources.truths.take(block.sources))] = True
        return NumberSet(truths)

    def steps_between(self, sources: NumberSet, targets: NumberSet) -> list[Step]:
        numbers = {
            block.step
            for block in self.blocks
            if np.any(sources.truths.take(block.sources) & targets.truths.take(block.targets))
        }
        return [self.system.steps[number] for number in sorted(numbers)]

    def shifted(self, step: Step, variable: int, up: bool) -> NumberSet:
        field = self.packing.fields[variable]
        column = self.rows.columns(0, len(self.rows))[field.word]
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self.blocks_of(step):
            # compared where they stand in the word: both are shifted alike
            old, new = (
                column.take(block.sources) & field.mask,
                column.take(block.targets) & field.mask,
            )
            truths[block.sources] = new > old if up else new < old
        return NumberSet(truths)

    def happening(self, step: Step, events: Mapping[int, Formula]) -> NumberSet:
        settling = self._settling = self._settling or VectorSettling(
            self.system, self.kernel, self.packing
        )
        settling.watch(events)
        (update,) = self.kernel.updates([step.changes])
        truths = np.zeros(len(self.rows), np.bool_)
        for block in self.blocks_of(step):
            before = [c[block.sources] for c in self.rows.columns(0, len(self.rows))]
            # settling changes columns in place, and these may be parts of the rows themselves
            words = [np.array(w) for w in update(*before)]
            settling.met = np.zeros(len(block.sources), np.bool_)
            # what never rests was refused by the search
            settling.settle(words, lambda _: None)
            truths[block.sources] = settling.met
        return NumberSet(truths)

    def reaching_by_choice(self, target: NumberSet, within: NumberSet) -> NumberSet:
        # -1 marks steps that the player can count on: nothing else can come of their moves
        moves = np.zeros(len(self.system.steps), np.int32)
        for number, move in enumerate(self.system.moves):
            for step in move.steps:
                moves[step.number] = number if len(move.steps) > 1 else -1
        links, kept = self.forward(), within.truths
        sources = np.repeat(np.arange(len(self.rows)), np.diff(links.starts))
        chancy = np.flatnonzero(moves[links.steps] >= 0)
        # of each edge of a chance rule: the situation with the rule, as one number
        tried = sources[chancy] * len(self.system.moves) + moves[links.steps[chancy]]
        # who leaves what is kept by luck cannot choose the rule: without it less may be kept
        while True:
            escaping = np.unique(tried[~kept[links.ends[chancy]]])
            if not len(escaping):
                return NumberSet(kept)
            barred = np.zeros(len(links.ends), np.bool_)
            barred[chancy[np.isin(tried, escaping)]] = True
            # closed anew each time: what was reached by a move that is barred now does not count
            bits = target.truths.astype(np.uint8)
            links.close(bits, True, None, ~barred)
            if np.array_equal(bits != 0, kept):
                return NumberSet(kept)
            kept = bits != 0

    def walks_around(self, avoiding: NumberSet | None, reached: NumberSet | None) -> VectorWalks:
        return VectorWalks(self, avoiding)

    def at_end_of(self, trace: Trace) -> NumberSet:
        truths = np.zeros(len(self.rows), np.bool_)
        truths[list(self._along(trace))[-1]] = True
        return NumberSet(truths)

    def meets(self, trace: Trace, situations: NumberSet) -> bool:
        return any(situations.truths[here] for here in self._along(trace))

    def _along(self, trace: Trace) -> Iterator[int]:
        here = 0
        yield here
        for step in trace.steps:
            here = self._target(here, step)
            yield here

    def _target(self, source: int, step: Step) -> int:
        for block in self.blocks_of(step):
            # sources ascend within a block
            place = int(np.searchsorted(block.sources, source))
            if place < len(block.sources) and block.sources[place] == source:
                return int(block.targets[place])
        raise KeyError(step.rule.id)

    def distances(self, target: NumberSet) -> npt.NDArray[np.int32]:
        """The fewest steps, luck willing, from each situation into `target`; -1: none lead in."""
        distances = np.full(len(self.rows), -1, np.int32)
        frontier, distance = target.truths, 0
        while frontier.any():
            distances[frontier] = distance
            distance += 1
            following = np.zeros(len(self.rows), np.bool_)
            for block in self.blocks:
                following[block.sources.compress(frontier.take(block.targets))] = True
            # by levels, so that the first distance is the least
            frontier = following & (distances < 0)
        return distances

    def distances_to(self, target: NumberSet) -> Callable[[NumberSet], int | None]:
        # one search for all who ask
        distances = self.distances(target)

        def nearest(situations: NumberSet) -> int | None:
            known = distances[situations.truths & (distances >= 0)]
            return int(known.min()) if len(known) else None

        return nearest

    def of(self, situation: Mapping[Key, Value]) -> NumberSet:
        words = self.packing.pack(self.system.values(situation))
        # rows are compared with the packed values, as no index of them is kept after the search
        numbers = np.arange(len(self.rows))
        return NumberSet(self.rows.same(numbers, [np.uint64(w) for w in words]))

    def examples(self, situations: NumberSet, most: int) -> list[dict[Key, Value]]:
        chosen = np.flatnonzero(situations.truths)[:most]
        return [self.system.situation(self.packing.unpack(self.rows.row(int(n)))) for n in chosen]


def _ends(packed: npt.NDArray[Any]) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
    """Of each row: its first word that is not empty, and the number after its last; both 0 where
    all are."""
    holds = packed != 0
    nonempty = holds.any(axis=1)
    width = packed.shape[1]
    return holds.argmax(axis=1) * nonempty, (width - holds[:, ::-1].argmax(axis=1)) * nonempty


def _members(bits: npt.NDArray[Any], count: int) -> list[NumberSet]:
    """The sets that a family of bits stands for."""
    parts = bits.view(np.uint8).reshape(len(bits), -1)
    members = []
    for first in range(0, count, 8):
        byte = np.ascontiguousarray(parts[:, first >> 3])
        members += [NumberSet((byte & np.uint8(1 << n)) != 0) for n in range(min(8, count - first))]
    return members
