"""The best that can be done against luck: a Markov decision process, solved with proven bounds.

From where a win can be had whatever luck does, it is had with certainty: those situations are known
without any arithmetic (the strong cyclic plans of `Space.reaching_by_choice`). From the others, end
components, in which a player could walk about for ever, are merged first, so that values iterated
from above come down to those from below (interval iteration: Haddad and Monmege 2018; Baier and
others 2017). Every step of both keeps them bounds, so where it ends, the true value lies between.
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from scipy import sparse

from zubrel.base.budget import Budget
from zubrel.odds.board import Board, Floats, Integers, Truths
from zubrel.odds.chain import MarkovChain, components
from zubrel.odds.entangled import SPEND
from zubrel.odds.fates import Part
from zubrel.policy import BOUND_ROUNDS

CLOSE, MET = 1e-10, 1e-8
"""The distance of both bounds at which nobody looks on, and at which they count as one value."""
ROUNDED = 1e-9
"""More than rounding adds up to in so many rounds of rows with some tens of entries."""


class Perfect(Struct, frozen=True):
    """The highest chance of a win, between `least` and `most`.

    `certain`: it is 1, and that is a proof without arithmetic. Else `lost_at` are the moves of luck
    at which the last win goes, each with the share of all plays of somebody who plays that way, and
    `falls_at` is one by which the chance may fall the soonest, after no fewer than `falls_after`
    moves.
    """

    least: float
    most: float
    certain: bool
    lost_at: tuple[Part, ...] = ()
    falls_at: str | None = None
    falls_after: int = 0


def best_of(board: Board, budget: Budget) -> Perfect:
    """The best chance of a win from the start, over all deals where items are dealt."""
    judged = board.judged
    # proved by sets alone, so that a certain win is never a matter of rounding
    sure = judged.space.reaching_by_choice(judged.won, judged.live | judged.won).truths
    if not board.first[~sure].any():
        return Perfect(1.0, 1.0, True)
    if not board.first[board.live & ~sure].any():  # each deal is won for certain, or never
        share = float(board.first[sure].sum())
        return Perfect(share, share, False)
    game = _Game(board, sure, budget)
    least, most = game.bounds(budget)
    # wider by what rounding may have added, so that they are bounds all the same
    low = max(0.0, game.value(least) - ROUNDED)
    high = min(1.0, game.value(most) + ROUNDED)
    # too far apart to say which moves a best player makes
    if high - low >= MET:
        return Perfect(low, high, False)
    lost_at, falls_at, falls_after = game.lost(least, budget)
    return Perfect(low, high, False, lost_at, falls_at, falls_after)


class _Game:
    """What a player can choose where a win is neither certain nor lost.

    Situations that are `open` are numbered, and in `groups` by their end component. A choice is a
    move in a situation that may lead out of the group: it has its group and its move, and its
    outcomes are the `edges` with its number in `choice`.
    """

    def __init__(self, board: Board, sure: Truths, budget: Budget) -> None:
        self.board = board
        self.sure = sure
        self.open = board.live & ~sure
        self.number = np.cumsum(self.open) - 1
        # only where neither a win nor its loss is certain is there anything to iterate
        edges = np.flatnonzero(self.open[board.sources])
        owners = self.number[board.sources[edges]]
        moves = len(board.system.moves)
        # one number for a situation and a move: its outcomes are told together
        pairs, choice = np.unique(owners * moves + board.moves[edges], return_inverse=True)
        self.groups, inside = self._components(edges, owners, choice, len(pairs), budget)
        # choices inside of an end component are not made: they lead nowhere
        numbers = np.cumsum(~inside) - 1
        outside = ~inside[choice]
        self.count = int(self.groups.max(initial=-1)) + 1
        self.group = self.groups[pairs[~inside] // moves]
        self.move = pairs[~inside] % moves
        self.choice, self.edges = numbers[choice[outside]], edges[outside]
        self.targets = board.targets[self.edges]
        # targets outside have a value that is known: one or zero
        self.within = self.open[self.targets]
        self.odds = board.odds[self.edges]
        self.begun = np.bincount(self.groups, board.first[self.open], self.count).astype(np.float64)

    def _components(
        self, edges: Integers, owners: Integers, choice: Integers, choices: int, budget: Budget
    ) -> tuple[Integers, Truths]:
        """The maximal end components, and which choices stay inside theirs whatever luck does."""
        targets = self.board.targets[edges]
        inside = np.ones(choices, np.bool_)
        # a choice by which luck may end the matter is none to walk about with for ever
        inside[choice[~self.open[targets]]] = False
        size, ends = int(self.open.sum()), self.number[targets]
        while True:  # in every round fewer choices stay inside
            budget.spend(len(edges) * SPEND * 10)
            budget.check_limits()
            kept = inside[choice]
            graph = _matrix(np.ones(int(kept.sum())), owners[kept], ends[kept], (size, size))
            groups = components(graph)
            leaving = kept & (groups[owners] != groups[ends])
            if not leaving.any():
                return groups, inside
            inside[choice[leaving]] = False

    def bounds(self, budget: Budget) -> tuple[Floats, Floats]:
        """For each group a value that the best chance is not below, and one it is not above."""
        shape = (len(self.group), self.count)
        ends = self.groups[self.number[self.targets[self.within]]]
        matrix = _matrix(self.odds[self.within], self.choice[self.within], ends, shape)
        at_once = np.bincount(self.choice, self.odds * self.sure[self.targets], len(self.group))
        # choices of a group stand together, so that the best of each is found in one pass
        order = np.argsort(self.group, kind="stable")
        groups, starts = np.unique(self.group[order], return_index=True)
        # every group is live, and so has a choice that leads out of it
        least, most = np.zeros(self.count), np.ones(self.count)
        for _ in range(BOUND_ROUNDS):
            for values, nearer in ((least, np.maximum), (most, np.minimum)):
                chosen = np.maximum.reduceat((matrix @ values + at_once)[order], starts)
                # never worse than before: each round is a bound by itself
                values[groups] = nearer(values[groups], np.minimum(chosen, 1.0))
            budget.spend(2 * matrix.nnz * SPEND)
            budget.check_limits()
            if float(self.begun @ (most - least)) < CLOSE:
                break
        return least, most

    def value(self, values: Floats) -> float:
        """The chance of a win from the start, where groups have these values."""
        return float(self.begun @ values + self.board.first[self.sure].sum())

    def lost(self, values: Floats, budget: Budget) -> tuple[tuple[Part, ...], str | None, int]:
        """Where somebody who chooses the best loses the last win, and where the chance of it falls
        first, with the fewest moves that come before."""
        everywhere = self.sure.astype(np.float64)
        everywhere[self.open] = values[self.groups]
        after = everywhere[self.targets]
        worth = np.bincount(self.choice, self.odds * after, len(self.group))
        # of equally good choices the one that comes first in the file
        order = np.lexsort((self.move, -worth, self.group))
        _, first = np.unique(self.group[order], return_index=True)
        best = np.zeros(len(self.group), np.bool_)
        best[order[first]] = True
        # one choice a group: a player who sticks to it
        taken = best[self.choice]
        chosen = self.choice[taken]
        going_on = taken & self.within
        # end components are merged: whoever leaves each of them by its best choice comes to an end
        inside = _matrix(
            self.odds[going_on],
            self.group[self.choice[going_on]],
            self.groups[self.number[self.targets[going_on]]],
            (self.count, self.count),
        )
        visits, _ = MarkovChain(inside, components(inside), budget).visits(self.begun)
        edges, moves = self.edges[taken], self.board.system.moves
        flow = visits[self.group[chosen]] * self.odds[taken]
        targets = self.targets[taken]
        gone = ~(self.board.live | self.board.won)[targets]
        by_move = np.bincount(self.move[chosen], flow * gone, len(moves))
        parts = [Part(moves[n].rule.id, float(by_move[n])) for n in np.flatnonzero(by_move > MET)]
        # by luck alone: where the choice was best and what came of it is less
        falling = np.flatnonzero((worth[chosen] - after[taken] > MET) & (flow > MET))
        before = self.board.levels()[self.board.sources[edges]]
        first = min(falling, key=lambda n: (before[n], self.move[chosen[n]]))
        return (
            tuple(sorted(parts, key=lambda part: (-part.share, part.id))),
            moves[self.move[chosen[first]]].rule.id,
            int(before[first]),
        )


def _matrix(
    values: Floats, rows: Integers, columns: Integers, shape: tuple[int, int]
) -> sparse.csr_matrix:
    return sparse.csr_matrix((values, (rows, columns)), shape=shape)
