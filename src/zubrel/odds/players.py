"""How players move: the chance of every edge of a board."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from zubrel.odds.board import Board, Floats, Integers

AIMLESS, CURIOUS, HOMING, PERFECT = "aimless", "curious", "homing", "perfect"
PLAYERS = (AIMLESS, CURIOUS, HOMING, PERFECT)


class Player(Struct, frozen=True):
    """Who moves, and, for `homing`, with which chance a move is the next of a shortest win."""

    name: str
    homing: float = 0.0


def aimless(board: Board) -> Floats:
    """The chance of each edge where every possible move is alike likely."""
    chances: Floats = board.odds / board.choices[board.sources]
    return chances


def homing(board: Board, chance: float) -> Floats:
    """The same where a player who can still win makes the next move of a shortest win with some
    `chance`, and else any move.

    Of several such moves it is the first in the order of the world; where luck decides, it is one
    whose luckiest outcome comes nearer.
    """
    best = next_moves(board)
    known = best >= 0
    # who cannot win any more has no next move to make, and moves at random
    share = np.where(known, chance, 0.0)[board.sources]
    taken = board.moves == best[board.sources]
    chances: Floats = (1 - share) * aimless(board) + share * np.where(taken, board.odds, 0.0)
    return chances


def next_moves(board: Board) -> Integers:
    """For each situation the number of the next move of a shortest win; -1 where there is none."""
    # a breadth-first distance: an edge that comes nearer comes nearer by exactly one
    away = board.distances()
    here, there = away[board.sources], away[board.targets]
    nearer = np.flatnonzero((here > 0) & (there == here - 1) & board.playing[board.sources])
    none = len(board.system.moves)
    best = np.full(board.size, none, np.int64)
    # of several the first in the order of the world
    np.minimum.at(best, board.sources[nearer], board.moves[nearer])
    best[best == none] = -1
    return best
