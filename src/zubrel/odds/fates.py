"""What becomes of the plays of somebody who moves by chance: exactly, from every situation."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from scipy import sparse

from zubrel.base.budget import Budget
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.findings.detectors.missable import missables
from zubrel.narrated.shares import EXACT_ENOUGH
from zubrel.odds.board import Board, Floats, Integers, Truths
from zubrel.odds.chain import MarkovChain, between, components, lasting
from zubrel.odds.entangled import SPEND, Unsolved
from zubrel.policy import AT_LEAST, FOLLOWED, HOPELESS

WON, DOOMED, STUCK, FOREVER = "won", "doomed", "stuck", "for ever"
ENDS = {STUCK: "stuck without a move", FOREVER: "going on for ever"}
"""In words, what is no ending."""
QUARTERS = (0.25, 0.5, 0.75)
PARTS = (*QUARTERS, 0.95)
GROWTH = 1.1
"""By which factor the moves grow at which the curve is told."""
KNOWN = 1e-6
"""By how much a share may be wrong for its quartiles to be told."""
ROUNDED = 1e-12
"""By how much a sum of chances may fall short of a part that it has reached."""
USEFUL = 0.005
"""An error of shares with which nothing is told."""
NEVER = 1e-15
"""A share of plays that is nothing but the rounding of another."""


class Fate(Struct, frozen=True):
    """A way in which plays end or go on, or what happens to them on the way.

    `share` is that of all plays, wrong by `error` at most. `mean` is how many moves it takes those
    of them, wrong by `mean_error` at most, and `quartiles` after how many a quarter, a half and
    three quarters of them are there; None: not known, or never.
    """

    id: str
    share: float
    error: float
    mean: float | None = None
    mean_error: float = 0.0
    quartiles: tuple[int, int, int] | None = None


class Part(Struct, frozen=True):
    """The share of all plays that miss something, or that lose the last win by a move, or in an
    area."""

    id: str
    share: float


class Fates(Struct, frozen=True):
    """All of it. `ends` add up to all plays: each ending, `stuck`, `for ever`; `doomed` are those
    from which the last win is taken while the game goes on."""

    won: Fate
    doomed: Fate
    ends: tuple[Fate, ...]
    blamed: tuple[Part, ...]
    missed: tuple[Part, ...]
    lost_in: tuple[Part, ...]
    error: float
    curve: tuple[tuple[int, float, float], ...]
    """After so many moves: the share of plays that are won, and of those that are doomed."""


def fates_of(board: Board, chances: Floats, budget: Budget) -> Fates:
    """What becomes of plays in which each edge has its chance where its situation is.

    Raises `Unsolved` where that is too much to be solved.
    """
    whole, edges = _matrix(board, chances, board.playing)
    labels = components(whole)
    # plays that never leave a part of the graph have no end, and no equation would have a solution
    # there
    forever = lasting(whole, labels, board.playing)
    flow = _Flow(board, whole, labels, chances, edges, board.playing & ~forever, budget)
    # none of them is ever left again: coming into one is what is counted
    sets = {WON: board.won, DOOMED: board.doomed, **_ends(board, forever)}
    known = [flow.fate(name, there) for name, there in sets.items()]
    in_time = _InTime(whole, board.first, known, sets)
    curve = in_time.follow(budget)
    won, doomed, *ends = (in_time.timed(one) for one in known)
    blamed, lost_in = flow.blamed()
    return Fates(won, doomed, tuple(ends), blamed, tuple(flow.missed()), lost_in, flow.error, curve)


def blame_of(board: Board, chances: Floats, budget: Budget) -> tuple[float, tuple[Part, ...]]:
    """Which share of the plays is won, and which each move takes the last win from.

    Raises `Unsolved`, also where they are not known well enough to be told without their error.
    """
    # nothing matters after the last win is gone, so that the matrix is as small as can be
    whole, edges = _matrix(board, chances, board.live & board.playing)
    flow = _Flow(board, whole, components(whole), chances, edges, board.live, budget)
    # told beside findings without an error of its own, a share has to be exact as far as it is
    # written
    if flow.error >= EXACT_ENOUGH:
        raise Unsolved("the shares are not known well enough")
    return min(1.0, flow.share(board.won)), flow.blamed()[0]


def _matrix(board: Board, chances: Floats, here: Truths) -> tuple[sparse.csr_matrix, Integers]:
    """The chances between all situations of what is done `here`, and the edges that these are."""
    edges = np.flatnonzero(here[board.sources] & (chances > 0))
    many = np.bincount(board.sources[edges], minlength=board.size)
    starts = np.concatenate(([0], np.cumsum(many)))
    shape = (board.size, board.size)
    matrix = sparse.csr_matrix((chances[edges], board.targets[edges], starts), shape)
    # several moves may lead from one situation to the same other one
    matrix.sum_duplicates()
    return matrix, edges


def _ends(board: Board, forever: Truths) -> dict[str, Truths]:
    """Where plays end: in each ending, without a move that is left, or never."""
    names = board.system.variables[ENDING].names
    ends = {names[number]: board.ended == number for number in range(1, len(names))}
    # no move is left, and no ending has come
    idle = (board.ended == 0) & ~board.playing & board.judged.space.everything.truths
    ends |= {STUCK: idle, FOREVER: forever}
    return {name: there for name, there in ends.items() if there.any()}


class _Flow:
    """How often a play goes along each edge that leads on from where it does not stay for ever.

    `flow` is that number for each of them.
    """

    def __init__(
        self,
        board: Board,
        whole: sparse.csr_matrix,
        labels: Integers,
        chances: Floats,
        edges: Integers,
        passing: Truths,
        budget: Budget,
    ) -> None:
        self.board = board
        self.places = np.flatnonzero(passing)
        self.chain = MarkovChain(between(whole, self.places), labels[self.places], budget)
        # how often each situation is come to, on average; times the chance of an edge that is how
        # often it is gone along
        self.visits, self.error = self.chain.visits(board.first[self.places])
        # (not `>=`: an error that is no number is useless too)
        if not self.error < USEFUL:
            raise Unsolved("the equations could not be solved well enough")
        taken = edges[passing[board.sources[edges]]]
        self.sources, self.targets = board.sources[taken], board.targets[taken]
        self.moves, self.chances = board.moves[taken], chances[taken]
        self.flow = self._everywhere(self.visits)[self.sources] * self.chances
        self.leaving = ~passing[self.targets]
        self.all_leave = not board.first[~passing].any()

    @cached_property
    def ages(self) -> tuple[Floats, float]:
        """For each edge the moves made by then, summed over the plays that go along it, and by how
        much sums of these may be wrong."""
        # moves made with the one from each situation on, summed over the plays that come through
        # the same equations once more, with visits for a beginning: each visit counts all that come
        # after it
        sums, error = self.chain.visits(self.visits)
        ages = self._everywhere(sums)[self.sources] * self.chances
        return ages, error + self.error * self.chain.longest

    def _everywhere(self, values: Floats) -> Floats:
        """Values of situations in which a play goes on, among zeros of the others."""
        every = np.zeros(self.board.size)
        every[self.places] = values
        return every

    def share(self, there: Truths) -> float:
        """Of plays that come into a set which they never leave again, or begin in it."""
        entering = there[self.targets] & ~there[self.sources]
        return float(self.flow[entering].sum() + self.board.first[there].sum())

    def fate(self, name: str, there: Truths) -> Fate:
        """Of the plays that come into a set which they never leave again."""
        entering = there[self.targets] & ~there[self.sources]
        share = self.share(there)
        # dividing by a share of nothing would tell of rounding
        if not entering.any() or share <= NEVER:
            return Fate(name, share, 0.0 if not entering.any() else self.error)
        ages, age_error = self.ages
        mean = float(ages[entering].sum()) / share
        # the error of a quotient, with the least that the share can be
        wrong = (age_error + self.error * mean) / max(share - self.error, NEVER)
        if self.all_leave and there[self.targets[self.leaving]].all():
            return Fate(name, 1.0, 0.0, mean, wrong)  # nothing else ends these plays
        return Fate(name, min(1.0, share), self.error, mean, wrong)

    def blamed(self) -> tuple[tuple[Part, ...], tuple[Part, ...]]:
        """Of the plays that become doomed: by which move, and in which area."""
        board = self.board
        # flow over such an edge is the share of plays that it takes the last win from: nobody
        # becomes live again
        dooming = board.live[self.sources] & board.doomed[self.targets]
        areas = board.areas[self.sources[dooming]]
        rules = [move.rule.id for move in board.system.moves]
        return (
            _parts(rules, self.moves[dooming], self.flow[dooming]),
            _parts(board.system.variables[PLACE].names, areas, self.flow[dooming]),
        )

    def missed(self) -> Iterator[Part]:
        """Of each thing that can be missed: in how many plays that happens while a win is left."""
        for subject, missed in missed_in(self.board):
            share = float(self.flow[missed[self.targets] & ~missed[self.sources]].sum())
            if share > NEVER:
                yield Part(subject, share)


def missed_in(board: Board) -> Iterator[tuple[str, Truths]]:
    """Of each thing that can be missed: where that has happened, and a win is left.

    Things of which no situation tells whether a play has had them are left out.
    """
    space = board.judged.space
    # of others it depends on the play, and a situation is come to by many
    things = [t for t in missables(board.system) if t.lasting or t.ever is not None]
    able = space.reaching([space.where(thing.attained) for thing in things])
    for thing, can in zip(things, able, strict=True):
        # no win left is another loss, which is told by itself
        missed = board.live & ~can.truths
        if thing.ever is not None:
            missed &= ~space.where(thing.ever).truths
        if missed.any():
            yield thing.subject, missed


def _parts(names: Sequence[str], numbers: Integers, flow: Floats) -> tuple[Part, ...]:
    """The sums of what goes along edges with each number, the largest first."""
    shares = np.bincount(numbers, flow, len(names))
    parts = [Part(names[int(n)], float(shares[n])) for n in np.flatnonzero(shares)]
    return tuple(sorted(parts, key=lambda part: (-part.share, part.id)))


class _InTime:
    """How many plays are where, move after move, as far as that takes not more than `FOLLOWED`
    links to follow."""

    def __init__(
        self,
        whole: sparse.csr_matrix,
        first: Floats,
        fates: Sequence[Fate],
        sets: Mapping[str, Truths],
    ) -> None:
        self.first, self.fates = first, fates
        # a step of all plays is a product with the transposed matrix, row by row
        self.turned = whole.T.tocsr()
        self.left = {fate.id: fate.share for fate in fates if fate.mean is not None}
        chances = {name: _into(whole, sets[name]) for name in self.left}
        # few situations lead into a set at once: only these are looked at
        near = {name: np.flatnonzero(into) for name, into in chances.items()}
        self.into = {name: (near[name], into[near[name]]) for name, into in chances.items()}
        self.come = {name: float(first[sets[name]].sum()) for name in self.left}
        self.at: dict[str, list[int]] = {name: [] for name in self.left}

    def follow(self, budget: Budget) -> tuple[tuple[int, float, float], ...]:
        """Fill `at` with the moves of the quartiles, and tell the shares that are won and doomed
        after so many moves: as many as are made, at growing distances."""
        here, moves, following = self.first, 0, 1.0
        curve = [(0, *self._told())]
        self._note(0)
        links = max(AT_LEAST, self.turned.nnz)
        most = FOLLOWED
        # where half of the plays last longer than anybody will follow them, following to the end of
        # the patience is in vain
        if max((f.mean or 0.0 for f in self.fates), default=0.0) * links > HOPELESS * FOLLOWED:
            most //= 5  # the middle will not be seen, but how the plays begin
        for moves in range(1, max(2, most // links)):
            for name, (near, into) in self.into.items():
                self.come[name] += float(here[near] @ into)
            self._note(moves)
            if moves >= following:
                curve.append((moves, *self._told()))
                # a curve over a hundred thousand moves needs few points
                following = max(moves + 1, moves * GROWTH)
            if all(len(parts) == len(PARTS) for parts in self.at.values()):
                break
            here = self.turned @ here
            budget.spend(links * SPEND)
            budget.check_limits()
        if curve[-1][0] < moves:
            curve.append((moves, *self._told()))
        return tuple(curve)

    def _note(self, moves: int) -> None:
        """Which parts are there by now."""
        for name, parts in self.at.items():
            # several quartiles may be passed by one move
            while len(parts) < len(PARTS) and (
                self.come[name] >= PARTS[len(parts)] * self.left[name] - ROUNDED
            ):
                parts.append(moves)

    def _told(self) -> tuple[float, float]:
        return self.come.get(WON, 0.0), self.come.get(DOOMED, 0.0)

    def timed(self, fate: Fate) -> Fate:
        """The fate, with its quartiles if they are known."""
        parts = self.at.get(fate.id, [])
        # a quartile of a share that is not known well could be wrong by many moves
        if fate.error > KNOWN or len(parts) < len(QUARTERS):
            return fate
        return replace(fate, quartiles=(parts[0], parts[1], parts[2]))


def _into(whole: sparse.csr_matrix, there: Truths) -> Floats:
    """The chance, from each situation outside a set, that the next move leads into it."""
    chances: Floats = whole @ there.astype(np.float64)
    # within the set nothing is come into
    chances[there] = 0
    return chances
