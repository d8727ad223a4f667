"""Absorbing Markov chains: how often a play comes through each situation, and for how long.

With Q the chances between situations in which a play goes on and never stays for ever, a play that
begins with the chances b comes through the situations b (I - Q)^-1 times on average (Kemeny and
Snell: Finite Markov chains, 1960). The matrix is ordered by strongly connected components, each in
the order of Cuthill and McKee, and factorised where that fills little; where a component is too
entangled, it is solved by BiCGSTAB, with one sweep of Gauss-Seidel against the order for its
preconditioner (van der Vorst 1992).

What comes out is never taken on trust: with a vector u for which (I - Q) u >= 1 was seen to hold,
(I - Q)^-1 |r| <= u max |r| bounds what any residual r can mean.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse import csgraph
from scipy.sparse import linalg as solvers

from zubrel.base.budget import Budget
from zubrel.odds.board import Floats, Integers, Truths

FILL = 60
"""Entries of a factor for each of the matrix, up to which it is made (a factor of 1,108 takes
minutes where BiCGSTAB takes a third of a second)."""
MOST = 4_000_000
"""Situations up to which the matrix is solved at all."""
ROUNDS, EXACTLY, ATTEMPTS = 2_000, 1e-13, 10
"""Rounds of BiCGSTAB, the residual, relative to the right side, at which it has its answer, and how
often it is begun anew where it breaks down."""
SPEND = 0.02
"""Units of work for each entry of a matrix that is gone through once."""


class Unsolved(Exception):
    """The chain is too large, or too entangled, to be solved with an error that means something."""


def lasting(chances: sparse.csr_matrix, going_on: Truths) -> Truths:
    """Where a play that has come there goes on for ever, in a circle that nothing leads out of.

    `chances` are those between all situations; `going_on` tells where there is a move.
    """
    count, labels = csgraph.connected_components(chances, directed=True, connection="strong")
    edges = chances.tocoo()
    leaving = labels[edges.row] != labels[edges.col]
    closed = np.ones(count, np.bool_)
    closed[labels[edges.row[leaving]]] = False
    forever: Truths = closed[labels] & going_on
    return forever


class Chain:
    """The part of a chain in which a play goes on; `inside` are chances within it.

    Raises `Unsolved` where it is too large.
    """

    def __init__(self, inside: sparse.csr_matrix, budget: Budget) -> None:
        self.size = inside.shape[0]
        if self.size > MOST:
            raise Unsolved(f"{self.size:,} situations are too many to be solved")
        self.budget = budget
        budget.spend(inside.nnz * SPEND * 10)
        budget.check_limits(more_memory=inside.nnz * 100)
        self.order: Integers = np.zeros(0, np.int64)
        fill = 0
        if self.size:
            self.order, fill = _ordered(inside)
        self.place = np.empty(self.size, np.int64)
        self.place[self.order] = np.arange(self.size)
        matrix = (sparse.identity(self.size, format="csr") - inside).tocsr()
        self.matrix = matrix[self.order][:, self.order].tocsr()
        self.sizes = abs(self.matrix)
        # a sum of so many products is at most so far from the true one, relative to their sizes
        longest = max(np.diff(self.matrix.indptr).max(initial=0), _longest_column(self.matrix))
        self._rounding = (longest + 3) * float(np.finfo(float).eps)
        try:
            self.solve, self.solve_turned = (
                self._by_factors() if fill <= FILL * self.matrix.nnz else self._by_rounds()
            )
        except (RuntimeError, MemoryError) as error:
            raise Unsolved(f"the equations are too large: {error}") from None
        self.bound = self._bound()

    def _by_factors(self) -> tuple[Callable[[Floats], Floats], Callable[[Floats], Floats]]:
        if not self.size:  # which SuperLU refuses
            return np.copy, np.copy
        factors = _factors(self.matrix)
        return factors.solve, lambda right: factors.solve(right, trans="T")

    def _by_rounds(self) -> tuple[Callable[[Floats], Floats], Callable[[Floats], Floats]]:
        # components that lead to others stand before them: a triangle knows most of the way
        triangle = _factors(sparse.triu(self.matrix))
        turned = self.matrix.T.tocsr()

        def solved(matrix: sparse.csr_matrix, right: Floats, trans: str) -> Floats:
            near = solvers.LinearOperator(
                matrix.shape, matvec=lambda x: triangle.solve(x, trans=trans)
            )

            def spend(_: Floats) -> None:
                self.budget.spend(4 * matrix.nnz * SPEND)
                self.budget.check_limits()

            known: Floats = np.zeros(len(right))
            for _ in range(ATTEMPTS):
                known, info = solvers.bicgstab(
                    matrix,
                    right,
                    known,
                    rtol=EXACTLY,
                    atol=0.0,
                    maxiter=ROUNDS,
                    M=near,
                    callback=spend,
                )
                if info >= 0:  # else two vectors came to be at right angles: begun anew from there
                    break
            return known

        return (
            lambda right: solved(self.matrix, right, "N"),
            lambda right: solved(turned, right, "T"),
        )

    def _bound(self) -> Floats:
        """For each place more moves than a play makes from there on average."""
        ones = np.ones(self.size)
        moves = self.solve(ones)
        least = float((self.matrix @ moves).min(initial=1.0))
        if not (least > 0.5 and np.isfinite(moves).all() and moves.min(initial=0.0) >= 0):
            raise Unsolved("plays go on for so long that the equations cannot be trusted")
        bound: Floats = moves / least
        return bound

    def visits(self, begun: Floats) -> tuple[Floats, float]:
        """How often a play that begins with these chances comes through each situation, and by how
        much any sum of them, with weights from 0 to 1, may be wrong."""
        right = begun[self.order]
        visits = self.solve_turned(right)
        residual = np.abs(right - visits @ self.matrix)
        residual += self._rounding * (np.abs(visits) @ self.sizes + right)
        error = float(residual @ self.bound)
        found: Floats = visits[self.place]
        return found, error

    def average(self, each: Floats) -> tuple[Floats, float]:
        """The sum of what stands in each situation over a play from there on, and by how much it
        may be wrong."""
        right = each[self.order]
        sums = self.solve(right)
        residual = np.abs(right - self.matrix @ sums)
        residual += self._rounding * (self.sizes @ np.abs(sums) + right)
        found: Floats = sums[self.place]
        return found, float(residual.max(initial=0.0)) * self.longest

    @property
    def longest(self) -> float:
        """More moves than a play makes on average from wherever it begins."""
        return float(self.bound.max(initial=0.0))


def _longest_column(matrix: sparse.csr_matrix) -> int:
    return int(np.bincount(matrix.indices).max(initial=0))


def _factors(matrix: sparse.spmatrix) -> solvers.SuperLU:
    """The order stays as it is; a matrix of this kind needs no pivots."""
    return solvers.splu(
        matrix.tocsc(),
        permc_spec="NATURAL",
        diag_pivot_thresh=0.0,
        options={"SymmetricMode": True},
    )


def _ordered(inside: sparse.csr_matrix) -> tuple[Integers, int]:
    """Situations by component, those that lead to others first, and near ones within each near
    each other; and about how much the factors of that will hold."""
    size = inside.shape[0]
    _, labels = csgraph.connected_components(inside, directed=True, connection="strong")
    edges = inside.tocoo()
    within = labels[edges.row] == labels[edges.col]
    ones = np.ones(int(within.sum()), np.int8)
    near = sparse.csr_matrix((ones, (edges.row[within], edges.col[within])), shape=(size, size))
    by_distance = csgraph.reverse_cuthill_mckee((near + near.T).tocsr(), symmetric_mode=True)
    place = np.empty(size, np.int64)
    place[by_distance] = np.arange(size)
    # SciPy numbers components from those that lead nowhere else; if ever it did not, more would be
    # filled in, and nothing come out wrong
    order = np.lexsort((place, -labels))
    place[order] = np.arange(size)
    rows, columns = place[edges.row[within]], place[edges.col[within]]
    first = np.arange(size)
    np.minimum.at(first, np.maximum(rows, columns), np.minimum(rows, columns))
    return order, 2 * int((np.arange(size) - first).sum()) + size
