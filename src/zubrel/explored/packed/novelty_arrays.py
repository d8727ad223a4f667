"""Which values, and which two at once, were never had before, for columns of situations."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.compiled.parts import Variable
from zubrel.explored.packed.novelty import MANY

PLACES_BITS = 25
"""There are two to this many places for what was had; each takes a byte once it is used. Where two
things share one, the later is taken to be had already. (An opera takes 600,000 in 10,000 rooms.)"""
MULTIPLIER = np.uint64(0x9E3779B97F4A7C15)
MOST_PAIRED = 128
"""Variables beyond which values are looked at one by one only: there would be too many pairs."""
CELLS = 1_000_000
"""Pairs that are looked up at once."""

NEW_VALUE, NEW_PAIR, NOTHING_NEW = 1, 2, 3


class VectorNovelty:
    """The values, and the two at once, that situations of each rank have had so far.

    `counted` are the numbers of the variables of which values may count as new: amounts of many
    values never do.
    """

    def __init__(self, variables: Sequence[Variable], counted: Sequence[int]) -> None:
        self.counted = np.array([n for n in counted if 1 < variables[n].size <= MANY], np.int64)
        sizes = [variables[n].size for n in self.counted]
        self.count = sum(sizes)
        """All values that count."""
        first = np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)])[:-1]
        self.first = first.astype(np.uint64)[:, np.newaxis]
        paired = len(sizes) if len(sizes) <= MOST_PAIRED else 0
        self.pairs = np.triu_indices(paired, 1)
        self.had = np.zeros(1 << PLACES_BITS, np.bool_)
        self.looked_up = len(self.counted) + len(self.pairs[0])
        """How much is looked up for each situation."""

    def of(
        self, values: npt.NDArray[np.int64], ranks: npt.NDArray[np.int64]
    ) -> npt.NDArray[np.int8]:
        """Of each situation `NEW_VALUE`, `NEW_PAIR` or `NOTHING_NEW` among those of its rank.

        `values` are places among those of their variables, a row a variable and a column a
        situation. What is new to some counts for all that are looked up at once with them.
        """
        new = np.full(len(ranks), NOTHING_NEW, np.int8)
        size = max(1, CELLS // max(1, self.looked_up))
        for first in range(0, len(ranks), size):
            part = slice(first, first + size)
            alone, paired = self._places(values[:, part], ranks[part])
            new[part][~self.had[paired].all(0)] = NEW_PAIR
            # a value that was never had is newer than two that were
            new[part][~self.had[alone].all(0)] = NEW_VALUE
            self.had[alone] = self.had[paired] = True
        return new

    def _places(
        self, values: npt.NDArray[np.int64], ranks: npt.NDArray[np.int64]
    ) -> tuple[Any, Any]:
        """Where it stands what each situation has: its values, and two of them at once."""
        own = values[self.counted].astype(np.uint64) + self.first
        count = np.uint64(self.count)
        rank = ranks.astype(np.uint64) * (count * count)
        one, other = self.pairs
        # a value stands with itself, where no two at once do
        return self._hashed(own * count + own + rank), self._hashed(
            own[one] * count + own[other] + rank
        )

    @staticmethod
    def _hashed(numbers: Any) -> Any:
        return (numbers * MULTIPLIER) >> np.uint64(64 - PLACES_BITS)
