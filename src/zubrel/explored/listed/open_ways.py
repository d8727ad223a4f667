"""Areas between which the player can walk to and fro as the doors stand at the moment.

A way is *plain* when walking it does nothing but walk, when what it asks for has nothing to do with
where the player stands, and when nothing that happens by itself tells its two ends apart. Which
plain ways are open is decided by the rest of the situation; areas that those connect in both
directions are an *island*, and walking about on it changes nothing else. Only the settings of doors
that are met are looked at.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from zubrel.compiled.formulas import TRUE, Formula, variables_of
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.compiled.ways import destination_of, told_apart
from zubrel.explored.packed.kernel import Kernel


class PlainWay(Struct, frozen=True):
    """A step that only walks: from where to where, and which of the guards it asks for, if any."""

    step: int
    here: int
    there: int
    guard: int | None


class OpenWays:
    """The islands of whole columns of situations."""

    def __init__(self, system: System, kernel: Kernel) -> None:
        self.size = system.variables[PLACE].size
        guards: dict[Formula, int] = {}
        self.ways: list[PlainWay] = []
        marks = told_apart(system)
        for move in system.moves:
            there = destination_of(move.steps[0]) if len(move.steps) == 1 else None
            # only what leads to one area, whatever happens, and asks for nothing but doors
            if there is None or move.areas is None or PLACE in variables_of(move.guard):
                continue
            for here in move.areas:
                # areas that something tells apart (a visit that counts) are no one island
                if marks.get(here) == marks.get(there):
                    always = move.guard == TRUE
                    number = None if always else guards.setdefault(move.guard, len(guards))
                    self.ways.append(PlainWay(move.steps[0].number, here, there, number))
        self.tests = kernel.tests(guards)
        self.known: dict[bytes, int] = {}
        self.first = np.zeros((16, self.size), np.int32)
        """For each setting of the doors and each area: the first area of its island."""
        self.sizes = np.zeros((16, self.size), np.int32)

    def settings(self, words: list[Any]) -> npt.NDArray[np.int64]:
        """Which setting of the doors each situation has, as a row of `first` and `sizes`."""
        count = len(words[0])
        columns = max(1, -(-len(self.tests) // 64))
        if not self.tests:  # no doors: there is only one setting
            return np.full(count, self._number(bytes(8)), np.int64)
        bits = np.zeros((columns, count), np.uint64)
        for number, test in enumerate(self.tests):
            truths = np.broadcast_to(np.asarray(test(*words)), (count,))
            # a setting is a row of truth values, packed, so that equal ones are found by sorting
            # words
            bits[number // 64] |= truths.astype(np.uint64) << np.uint64(number % 64)
        if columns == 1:
            # islands are worked out once for each setting that is met, and there are few of those
            different, places = np.unique(bits[0], return_inverse=True)
            rows = [row.tobytes() for row in different]
        else:
            table, places = np.unique(bits.T, axis=0, return_inverse=True)
            rows = [row.tobytes() for row in table]
        numbers = np.array([self._number(row) for row in rows], np.int64)
        result: npt.NDArray[np.int64] = numbers[places.reshape(-1)]
        return result

    def _number(self, row: bytes) -> int:
        known = self.known.get(row)
        if known is None:
            known = self.known[row] = len(self.known)
            bits = np.frombuffer(row, np.uint64)
            first = self._islands([int(word) for word in bits])
            # twice as many rows at a time, so that all copies together are no longer than the table
            if known == len(self.first):
                self.first = np.concatenate([self.first, np.zeros_like(self.first)])
                self.sizes = np.concatenate([self.sizes, np.zeros_like(self.sizes)])
            self.first[known] = first
            self.sizes[known] = np.bincount(first, minlength=self.size)[first]
        return known

    def _islands(self, words: list[int]) -> npt.NDArray[np.int64]:
        """The first area of each area's island, by transitive closure on bits (Warshall, 1962)."""
        reach = [1 << area for area in range(self.size)]
        for way in self.ways:
            # a way without a guard is open in every setting
            if way.guard is None or words[way.guard // 64] >> (way.guard % 64) & 1:
                reach[way.here] |= 1 << way.there
        for middle in range(self.size):
            bit, beyond = 1 << middle, reach[middle]
            for area in range(self.size):
                if reach[area] & bit:
                    reach[area] |= beyond
        first = list(range(self.size))
        for area in range(self.size):
            # both directions: one that cannot be walked back is no part of an island
            for other in range(area):
                if reach[area] >> other & 1 and reach[other] >> area & 1:
                    first[area] = first[other]
                    break
        return np.array(first, np.int64)
