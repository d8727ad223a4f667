"""A listed world as a game of moves and luck: the arrays that all players share."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.explored.listed.conversion import as_vector_space
from zubrel.explored.listed.large import VectorSpace
from zubrel.explored.listed.numbering import NumberSet
from zubrel.explored.listed.small import ScalarSpace
from zubrel.findings.dealt import beginnings, inner_of
from zubrel.findings.judged import AnySpace, Judged, judge

Truths = npt.NDArray[np.bool_]
Integers = npt.NDArray[Any]
Floats = npt.NDArray[np.float64]


class Board(Struct, frozen=True):
    """Every situation of a world, by its number, and every edge between them.

    The edges out of `s` are `starts[s]` to `starts[s + 1]`; each leads into `targets` by a move,
    which is numbered as in `system.moves`, with `odds`: those of one move in one situation add up
    to 1. `choices` counts the moves of each situation. A play begins in each situation with the
    chance that stands in `first`. `ended` is the number of the ending, 0 while the game goes on.
    """

    judged: Judged[NumberSet]
    starts: Integers
    sources: Integers
    targets: Integers
    steps: Integers
    moves: Integers
    odds: Floats
    choices: Integers
    first: Floats
    ended: Integers
    areas: Integers
    won: Truths
    live: Truths
    doomed: Truths
    playing: Truths
    """Where a player has a move to make; neither ended nor stuck, nor before the deal."""

    @property
    def system(self) -> System:
        return self.judged.system

    @property
    def size(self) -> int:
        return len(self.choices)

    def distances(self) -> Integers:
        """The fewest moves, luck willing, from each situation to a win; -1 where there is none."""
        return _vectors(self.judged.space).distances(self.judged.won)

    def levels(self) -> Integers:
        """The fewest moves, luck willing, from where a play begins to each situation."""
        levels = _vectors(self.judged.space).levels
        fewest: Integers = levels - levels[self.first > 0].min()
        return fewest


def board_of(space: AnySpace) -> Board:
    """The board of a space whose situations are listed, all of them."""
    # the arrays of the large engine, whichever engine has searched
    inner = inner_of(space)
    vectors = as_vector_space(inner) if isinstance(inner, ScalarSpace) else inner
    assert isinstance(vectors, VectorSpace) and vectors.stopped is None, "every one is listed"
    judged: Judged[NumberSet] = judge(vectors)
    system, links = vectors.system, vectors.forward()
    move_of, odds_of = np.zeros(len(system.steps), np.int64), np.array(system.chances)
    # players choose moves, and luck chooses among the steps of one
    for number, move in enumerate(system.moves):
        move_of[[step.number for step in move.steps]] = number
    size = len(vectors.rows)
    sources = np.repeat(np.arange(size), np.diff(links.starts))
    odds = odds_of[links.steps]
    # chances of one move add up to one, so that their sum is the number of moves
    choices = np.rint(np.bincount(sources, odds, size)).astype(np.int64)
    ended = _field(vectors, ENDING)
    # where nothing can be done a play is over, whether or not the game says so
    playing = judged.space.everything.truths & (ended == 0) & (choices > 0)
    # where plays begin
    first = np.zeros(size)
    # each deal is one situation, and all are alike likely
    first[beginnings(judged.space).truths] = 1
    return Board(
        judged,
        links.starts,
        sources,
        links.ends,
        links.steps,
        move_of[links.steps],
        odds,
        choices,
        first / first.sum(),
        ended,
        _field(vectors, PLACE),
        judged.won.truths,
        judged.live.truths,
        judged.doomed.truths,
        playing,
    )


def _vectors(space: Any) -> VectorSpace:
    vectors = inner_of(space)
    assert isinstance(vectors, VectorSpace)
    return vectors


def _field(space: VectorSpace, variable: int) -> Integers:
    """The value of a variable in every situation."""
    field = space.packing.fields[variable]
    column = space.rows.columns(0, len(space.rows))[field.word]
    values = (column & field.mask) >> np.uint64(field.shift)
    return values.astype(np.int64) + space.system.variables[variable].low
