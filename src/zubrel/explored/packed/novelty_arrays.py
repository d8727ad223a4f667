"""Which values, and which two at once, were never had before, for columns of situations."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.compiled.parts import Variable
from zubrel.explored.packed.novelty import MANY, NEW_PAIR, NEW_VALUE, NOTHING_NEW

PLACES_BITS = 25
"""There are two to this many places for what was had, a byte each. Where two things share one, the
later is taken to be had already (a wreck takes 440,000 in 20,000 rooms)."""
MULTIPLIERS = np.uint32(0x9E3779B1), np.uint32(0x85EBCA77)
MOST_PAIRED = 64
"""Variables beyond which values are looked at one by one only: there would be too many pairs (of
four deltas of 95 to 102 variables a search of many rooms wins none with 4,700 pairs in five million
units of work, and three without)."""
CELLS = 1_000_000
"""Pairs that are looked up at once."""


class VectorNovelty:
    """The values, and the two at once, that situations of each rank have had so far.

    `counted` are the numbers of the variables of which values may count as new: amounts of many
    values never do.
    """

    def __init__(self, variables: Sequence[Variable], counted: Sequence[int]) -> None:
        self.counted = np.array([n for n in counted if 1 < variables[n].size <= MANY], np.int64)
        sizes = [variables[n].size for n in self.counted]
        self.count = np.uint32(sum(sizes))
        """All values that count."""
        first = np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)])[:-1]
        self.first = first.astype(np.uint32)[:, np.newaxis]
        paired = len(sizes) if len(sizes) <= MOST_PAIRED else 0
        self.pairs = np.triu_indices(paired, 1)
        self.had = np.zeros(1 << PLACES_BITS, np.bool_)
        self.looked_up = len(self.counted) + len(self.pairs[0])
        """How much is looked up for each situation and ranking."""

    def of(
        self, values: npt.NDArray[np.int64], *rankings: npt.NDArray[np.int64]
    ) -> list[npt.NDArray[np.int8]]:
        """By ranking, of each situation `NEW_VALUE`, `NEW_PAIR` or `NOTHING_NEW` among those of its
        rank.

        `values` are places among those of their variables, a row a variable and a column a
        situation. What is new to some counts for all that are looked up at once with them.
        """
        new = [np.full(len(ranks), NOTHING_NEW, np.int8) for ranks in rankings]
        size = max(1, CELLS // max(1, self.looked_up))
        for first in range(0, values.shape[1], size):
            part = slice(first, first + size)
            alone, paired = self._numbers(values[:, part])
            for number, ranks in enumerate(rankings):
                # two rankings do not meet, but by chance
                mixed = ranks[part].astype(np.uint32) * np.uint32(len(rankings)) + np.uint32(number)
                mixed *= MULTIPLIERS[1]
                # a value that was never had is newer than two that were
                self._note(paired ^ mixed, new[number][part], NEW_PAIR)
                self._note(alone ^ mixed, new[number][part], NEW_VALUE)
        return new

    def _numbers(self, values: npt.NDArray[np.int64]) -> tuple[Any, Any]:
        """What stands for the values of each situation, and for two of them at once."""
        own = values[self.counted].astype(np.uint32) + self.first
        one, other = self.pairs
        # a value stands with itself, where no two at once do
        alone, paired = own * self.count + own, own[one] * self.count + own[other]
        return alone * MULTIPLIERS[0], paired * MULTIPLIERS[0]

    def _note(self, numbers: Any, new: npt.NDArray[np.int8], kind: int) -> None:
        """Which situations have something that no other had: they are of that kind."""
        numbers >>= np.uint32(32 - PLACES_BITS)
        fresh = np.flatnonzero(~self.had[numbers].all(0))
        new[fresh] = kind
        self.had[numbers[:, fresh]] = True
