"""All edges of a numbered space, by one of their ends, and what spreads along them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget

CHUNK = 1 << 16
FOLLOW = 0.01
"""Units of work to follow one link."""


class Links:
    """For each situation the others that it is linked with.

    Those of number n are `ends[starts[n]:starts[n + 1]]`, by `steps` in the same places.
    `bounds` are numbers at which a new level begins, from 0 to the number of situations.
    """

    def __init__(
        self, starts: Any, ends: Any, steps: Any, bounds: Sequence[int], budget: Budget
    ) -> None:
        self.budget = budget
        self.starts = starts
        self.ends = ends
        self.steps = steps
        # pieces never reach over a level, so that levels can be taken in their order
        self.pieces = [
            piece for first, last in pairwise(bounds) for piece in self._pieces(first, last)
        ]

    def _pieces(self, first: int, last: int) -> list[_Piece]:
        """A level in pieces of a size that stays in the processor's cache."""
        pieces = []
        for start in range(first, last, CHUNK):
            piece = _Piece(self, start, min(start + CHUNK, last))
            if len(piece.nodes):
                pieces.append(piece)
        return pieces

    def close(
        self,
        bits: npt.NDArray[Any],
        from_last: bool,
        allowed: npt.NDArray[Any] | None = None,
        open_links: npt.NDArray[np.bool_] | None = None,
    ) -> None:
        """Every situation gets the bits of those it is linked with, until nothing changes.

        `bits` are a word for each situation, or a row of words, and so is what is `allowed`.
        Into a situation only its `allowed` bits, and only over open links. Levels are taken in
        their order, or from the last to the first; one that nothing has changed for is left out.
        """
        turns = (list(enumerate(self.pieces)), list(reversed(list(enumerate(self.pieces)))))
        turns = turns[::-1] if from_last else turns
        # when some situation of 4,096 has changed for the last time: cheaper than a flag for each
        changed = np.zeros((len(bits) >> 12) + 2, np.int64)
        # and when each piece was last gathered: what has not changed since then brings nothing
        seen = [-1] * len(self.pieces)
        clock = 0
        work = FOLLOW * max(1, bits[0].nbytes // 8)
        # a sweep in the order of the levels carries bits along a whole chain at once
        again, turn = True, 0
        while again:
            again = False
            # there and back: most of what one direction leaves is found by the other
            for number, piece in turns[turn]:
                clock += 1
                if seen[number] >= 0 and changed[piece.low : piece.high].max() <= seen[number]:
                    continue
                seen[number] = clock
                self.budget.spend(len(piece.ends) * work)
                touched = piece.gather(bits, allowed, open_links)
                if len(touched):
                    changed[touched >> 12] = clock + 1
                    clock += 1
                    again = True
            turn = 1 - turn


class _Piece:
    """Some situations in a row and their links."""

    def __init__(self, links: Links, first: int, last: int) -> None:
        starts = links.starts[first : last + 1]
        self.slice = slice(int(starts[0]), int(starts[-1]))
        counts = np.diff(starts)
        linked = np.flatnonzero(counts)
        self.nodes = linked + first
        self.offsets = starts[linked] - starts[0]
        self.ends = links.ends[self.slice]
        # in blocks of 4096 situations: where the linked ones are
        self.low = int(self.ends.min()) >> 12 if len(self.ends) else 0
        self.high = (int(self.ends.max()) >> 12) + 1 if len(self.ends) else 1

    def gather(
        self,
        bits: npt.NDArray[Any],
        allowed: npt.NDArray[Any] | None,
        open_links: npt.NDArray[np.bool_] | None,
    ) -> Any:
        """The situations that got new bits."""
        near = bits.take(self.ends, axis=0)
        if open_links is not None:
            # a closed link carries nothing, and all links stay in place for the sums below
            near[~open_links[self.slice]] = 0
        # links are sorted by the situation that they lead from: one reduction for each of those
        new = np.bitwise_or.reduceat(near, self.offsets) & ~bits.take(self.nodes, axis=0)
        if allowed is not None:
            new &= allowed.take(self.nodes, axis=0)
        where = np.flatnonzero(new if new.ndim == 1 else new.any(axis=1))
        touched = self.nodes.take(where)
        bits[touched] |= new.take(where, axis=0)
        return touched
