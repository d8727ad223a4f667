"""Absorbing Markov chains: how often a play comes through each situation, and for how long.

With Q the chances between situations in which a play goes on and never stays for ever, a play that
begins with the chances b comes through the situations b (I - Q)^-1 times on average (Kemeny and
Snell: Finite Markov chains, 1960). Strongly connected components are solved one after the other,
those that lead nowhere else last (a block triangle): small ones of a size all at once, by their
inverses; others as `entangled` says.

What comes out is never taken on trust: with a vector u for which (I - Q) u >= 1 was seen to hold,
(I - Q)^-1 |r| <= u max |r| bounds what any residual r can mean.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from msgspec import Struct
from scipy import sparse
from scipy.sparse import csgraph

from zubrel.base.budget import Budget
from zubrel.odds.board import Floats, Integers, Truths
from zubrel.odds.entangled import SPEND, Entangled, Unsolved
from zubrel.policy import EQUATIONS, INVERTED, TOGETHER

TOO_LONG = "plays go on for so long that the equations cannot be trusted"


def components(chances: sparse.csr_matrix) -> Integers:
    """For each situation the number of its strongly connected component.

    `chances` have one entry at most for each pair: with several SciPy may never come to an end.
    """
    assert chances.has_canonical_format, "entries of one pair are added up"
    labels: Integers = csgraph.connected_components(chances, directed=True, connection="strong")[1]
    return labels


def between(
    matrix: sparse.csr_matrix, places: Integers, place: Integers | None = None
) -> sparse.csr_matrix:
    """What leads from some rows to the same columns, in the order in which they are named.

    `place`, where it is known, is the new number of each.
    """
    rows = matrix[places]
    # new numbers of the columns: -1 for those that are left out
    if place is None:
        place = np.full(matrix.shape[0], -1)
        place[places] = np.arange(len(places))
    columns = place[rows.indices]
    shape = (len(places), len(places))
    kept = columns >= 0
    # most components lead nowhere else at first: nothing has to be cut
    if kept.all():
        return sparse.csr_matrix((rows.data, columns, rows.indptr), shape)
    starts = np.concatenate(([0], np.cumsum(kept)))[rows.indptr]
    return sparse.csr_matrix((rows.data[kept], columns[kept], starts), shape)


def lasting(chances: sparse.csr_matrix, labels: Integers, going_on: Truths) -> Truths:
    """Where a play that has come there goes on for ever, in a circle that nothing leads out of.

    `chances` are those between all situations; `going_on` tells where there is a move.
    """
    rows = np.repeat(np.arange(len(labels)), np.diff(chances.indptr))
    leaving = labels[rows] != labels[chances.indices]
    closed = np.ones(int(labels.max(initial=-1)) + 1, np.bool_)
    # a single link out of a component is enough: whoever walks in it takes it one day
    closed[labels[rows[leaving]]] = False
    forever: Truths = closed[labels] & going_on
    return forever


class _Alike(Struct, frozen=True):
    """Components of one size at one level: inverses of their blocks, one after the other."""

    start: int
    inverses: Floats

    def solve(self, right: Floats, turned: bool) -> None:
        """Put the solution in the place of the right side."""
        count, size, _ = self.inverses.shape
        end = self.start + count * size
        part = right[self.start : end].reshape(count, size)
        # the inverse of the turned matrix is the inverse turned
        inverses = self.inverses.transpose(0, 2, 1) if turned else self.inverses
        right[self.start : end] = np.matmul(inverses, part[:, :, None]).ravel()


class _Tangle(Struct, frozen=True):
    """A large component, or several between which nothing leads."""

    start: int
    inside: Entangled

    def solve(self, right: Floats, turned: bool) -> None:
        """Put the solution in the place of the right side."""
        end = self.start + self.inside.size
        right[self.start : end] = self.inside.solve(right[self.start : end], turned)


class _Level(Struct, frozen=True):
    """Components between which nothing leads; places from `start` to `end`."""

    start: int
    end: int
    parts: tuple[_Alike | _Tangle, ...]


class MarkovChain:
    """The part of a chain in which a play goes on; `inside` are chances within it, `labels` its
    strongly connected components.

    Raises `Unsolved` where it is too large.
    """

    def __init__(self, inside: sparse.csr_matrix, labels: Integers, budget: Budget) -> None:
        self.size = inside.shape[0]
        if self.size > EQUATIONS:
            raise Unsolved(f"{self.size:,} situations are too many to be solved")
        budget.spend(inside.nnz * SPEND * 10)
        # the matrix is kept both ways, ordered anew, besides its factors
        budget.check_limits(more_memory=inside.nnz * 100)
        self.budget = budget
        there = np.zeros(int(labels.max(initial=-1)) + 1, np.bool_)
        there[labels] = True
        # components outside of this part leave gaps in the numbers, which bincount would count
        numbers = (np.cumsum(there) - 1)[labels]
        # components in the order in which they are solved, at each level by their sizes
        # those of a level and a size stand next to each other, so that they are solved at once
        levels, sizes = _levels(inside, numbers), np.bincount(numbers)
        turns = np.lexsort((sizes, levels))
        turn = np.empty(len(turns), np.int32)
        turn[turns] = np.arange(len(turns), dtype=np.int32)
        turn_of = turn[numbers]
        self.order = np.argsort(turn_of, kind="stable")
        self.place = np.empty(self.size, np.int64)
        self.place[self.order] = np.arange(self.size)
        self.matrix = between(inside, self.order, self.place)
        self.turned = self.matrix.T.tocsr()
        numbers = numbers[self.order]
        self.levels = list(self._solved(levels[numbers], sizes[numbers], numbers))
        # a sum of so many products is at most so far from the true one, relative to their sizes
        longest = max(
            np.diff(matrix.indptr).max(initial=0) for matrix in (self.matrix, self.turned)
        )
        self._rounding = (longest + 4) * float(np.finfo(float).eps)
        self.bound = self._bound()

    def _solved(self, level: Integers, sizes: Integers, numbers: Integers) -> Iterator[_Level]:
        """Each level with what solves its components: places of one size follow each other."""
        for start, end in _runs(level, 0, self.size):
            parts: list[_Alike | _Tangle] = []
            tangles: list[slice] = []
            for first, last in _runs(sizes, start, end):
                size = int(sizes[first])
                # all of one size are inverted by a single call
                if size <= INVERTED:
                    parts.append(_Alike(first, self._inverses(first, last, size, numbers)))
                elif size > TOGETHER:
                    tangles += (slice(head, head + size) for head in range(first, last, size))
                # nothing leads from one to another: one call of a solver takes them all
                elif tangles:
                    tangles[0] = slice(tangles[0].start, last)
                else:
                    tangles.append(slice(first, last))
            for part in tangles:
                inside = Entangled(self.matrix[part, part], self.budget)
                parts.append(_Tangle(part.start, inside))
            yield _Level(start, end, tuple(parts))

    def _inverses(self, first: int, last: int, size: int, numbers: Integers) -> Floats:
        """Of I - Q within each of the components of a size from `first` to `last`."""
        starts = self.matrix.indptr[first : last + 1]
        columns = self.matrix.indices[starts[0] : starts[-1]]
        rows = np.repeat(np.arange(first, last), np.diff(starts))
        within = numbers[rows] == numbers[columns]
        rows, columns = rows[within] - first, columns[within] - first
        values = self.matrix.data[starts[0] : starts[-1]][within]
        # components of a size follow each other, so that a column within its own is the rest
        places = rows * size + columns % size
        inside = np.bincount(places, values, (last - first) * size).reshape(-1, size, size)
        blocks = np.eye(size) - inside
        try:
            with np.errstate(all="ignore"):  # what comes of it is looked at by `_bound`
                return 1 / blocks if size == 1 else np.asarray(np.linalg.inv(blocks), np.float64)
        except np.linalg.LinAlgError:
            raise Unsolved(TOO_LONG) from None

    def solve(self, right: Floats, turned: bool = False) -> Floats:
        """x of (I - Q) x = right, with places in the order of the matrix; `turned`: of
        x (I - Q) = right."""
        known = right.astype(np.float64)
        matrix = self.turned if turned else self.matrix
        for level in self.levels if turned else reversed(self.levels):
            # what leads here is solved; what is within it is not yet counted: it holds zeros
            known[level.start : level.end] = 0
            rows = matrix[level.start : level.end]
            known[level.start : level.end] = right[level.start : level.end] + rows @ known
            for part in level.parts:
                part.solve(known, turned)
        return known

    def _bound(self) -> Floats:
        """For each place more moves than a play makes from there on average."""
        ones = np.ones(self.size)
        with np.errstate(all="ignore"):
            moves = self.solve(ones)
            # less by all that rounding can have added: then it is at least so much for certain
            after = self.matrix @ moves
            least = float((moves - after - self._rounding * (moves + after)).min(initial=1.0))
        # far from 1 the solution is no solution any more, and no bound follows from it
        if not (least > 0.5 and np.isfinite(moves).all() and moves.min(initial=0.0) >= 0):
            raise Unsolved(TOO_LONG)
        bound: Floats = moves / least
        return bound

    def visits(self, begun: Floats) -> tuple[Floats, float]:
        """How often a play that begins with these chances comes through each situation, and by how
        much any sum of them, with weights from 0 to 1, may be wrong."""
        right = begun[self.order]
        visits = self.solve(right, turned=True)
        # what is left of the equations when the solution is put into them
        residual = np.abs(right - visits + self.turned @ visits)
        sizes = np.abs(visits)
        residual += self._rounding * (self.turned @ sizes + sizes + right)
        # each residual acts like plays that begin there; `bound` tells how long such a play lasts
        error = float(residual @ self.bound)
        by_situation: Floats = visits[self.place]
        return by_situation, error

    @property
    def longest(self) -> float:
        """More moves than a play makes on average from wherever it begins."""
        return float(self.bound.max(initial=0.0))


def _runs(values: Integers, start: int, end: int) -> Iterator[tuple[int, int]]:
    """The stretches between `start` and `end` in which a value stays the same."""
    # where a value differs from the one before it, a new stretch begins
    changes = np.flatnonzero(np.diff(values[start:end])) + start + 1
    edges = [start, *changes.tolist(), end]
    if end > start:
        yield from pairwise(edges)


def _levels(inside: sparse.csr_matrix, numbers: Integers) -> Integers:
    """For each component how many others follow each other before it at the most."""
    rows = numbers[np.repeat(np.arange(len(numbers)), np.diff(inside.indptr))]
    columns = numbers[inside.indices]
    across = rows != columns
    count = int(numbers.max(initial=-1)) + 1
    ones = np.ones(int(across.sum()), np.int8)
    links = sparse.csr_matrix((ones, (rows[across], columns[across])), (count, count))
    # several links between two components are one
    links.sum_duplicates()
    # of each component how many others, that lead to it, have no level yet
    left = np.bincount(links.indices, minlength=count)
    levels = np.zeros(count, np.int64)
    here, level = np.flatnonzero(left == 0), 0
    while len(here):
        levels[here] = level
        ends, gone = np.unique(links[here].indices, return_counts=True)
        left[ends] -= gone
        here, level = ends[left[ends] == 0], level + 1
    return levels
