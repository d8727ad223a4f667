"""Large strongly connected components of a chain.

Ordered as Cuthill and McKee say and factorised where that fills little, else solved by BiCGSTAB,
with one sweep of Gauss-Seidel against the order for its preconditioner (van der Vorst 1992). How
wrong an answer may be is for the caller to see.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse import csgraph
from scipy.sparse import linalg as solvers

from zubrel.base.budget import Budget
from zubrel.odds.board import Floats, Integers
from zubrel.policy import FILL

ROUNDS, EXACTLY, ATTEMPTS = 2_000, 1e-13, 10
"""Rounds of BiCGSTAB, the residual, relative to the right side, at which it has its answer, and how
often it is begun anew where it breaks down."""
SPEND = 0.02
"""Units of work for each entry of a matrix that is gone through once."""


class Unsolved(Exception):
    """The chain is too large, or too entangled, to be solved with an error that means something."""


class Entangled:
    """One component, or several; `inside` are the chances within. Raises `Unsolved`."""

    def __init__(self, inside: sparse.csr_matrix, budget: Budget) -> None:
        self.size = inside.shape[0]
        self.budget = budget
        self.order, fill = _by_distance(inside)
        self.place = np.empty(self.size, np.int64)
        self.place[self.order] = np.arange(self.size)
        # I - Q, in an order that keeps what belongs together near the diagonal
        matrix = (sparse.identity(self.size, format="csr") - inside).tocsr()
        self.matrix = matrix[self.order][:, self.order].tocsr()
        try:
            self._solved = (
                self._by_factors() if fill <= FILL * self.matrix.nnz else self._by_rounds()
            )
        except (RuntimeError, MemoryError) as error:
            raise Unsolved(f"the equations are too large: {error}") from None

    def solve(self, right: Floats, turned: bool) -> Floats:
        """x of (I - Q) x = right; `turned`: of x (I - Q) = right."""
        return self._solved(right[self.order], turned)[self.place]

    def _by_factors(self) -> Callable[[Floats, bool], Floats]:
        factors = _factors(self.matrix)
        return lambda right, turned: factors.solve(right, trans="T" if turned else "N")

    def _by_rounds(self) -> Callable[[Floats, bool], Floats]:
        # one sweep against the order: the upper triangle is factors already
        triangle = _factors(sparse.triu(self.matrix))
        other = self.matrix.T.tocsr()

        # rounds of the solver are work like any other, and end at the same limits
        def spend(_: Floats) -> None:
            self.budget.spend(4 * other.nnz * SPEND)
            self.budget.check_limits()

        def solved(right: Floats, turned: bool) -> Floats:
            matrix, trans = (other, "T") if turned else (self.matrix, "N")
            near = solvers.LinearOperator(
                matrix.shape, matvec=lambda x: triangle.solve(x, trans=trans)
            )
            # each attempt goes on from what the last one has reached
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

        return solved


def _factors(matrix: sparse.spmatrix) -> solvers.SuperLU:
    """The order stays as it is; a matrix of this kind needs no pivots."""
    return solvers.splu(
        matrix.tocsc(),
        permc_spec="NATURAL",
        diag_pivot_thresh=0.0,
        options={"SymmetricMode": True},
    )


def _by_distance(inside: sparse.csr_matrix) -> tuple[Integers, int]:
    """Near situations near each other, and about how much the factors will hold in that order."""
    size = inside.shape[0]
    # links in either direction pull situations together
    order = csgraph.reverse_cuthill_mckee((inside + inside.T).tocsr(), symmetric_mode=True)
    place = np.empty(size, np.int64)
    place[order] = np.arange(size)
    edges = inside.tocoo()
    rows, columns = place[edges.row], place[edges.col]
    # how far left each row begins: factors fill at most from there to the diagonal, on both sides
    first = np.arange(size)
    np.minimum.at(first, np.maximum(rows, columns), np.minimum(rows, columns))
    return order.astype(np.int64), 2 * int((np.arange(size) - first).sum()) + size
