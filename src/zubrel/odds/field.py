"""Where simulated plays take place: what can be done, and what luck makes of it."""

from __future__ import annotations

from collections.abc import Sequence
from random import Random
from typing import Protocol

import numpy as np
from msgspec import Struct

from zubrel.base.budget import LimitReached
from zubrel.checked.deals import drawn
from zubrel.checked.effects import DealOut
from zubrel.checked.rule_kinds import RuleKind
from zubrel.compiled.parts import ENDING, PLACE, Move
from zubrel.compiled.system import System
from zubrel.explored.listed.numbering import NumberSet
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_one
from zubrel.explored.packed.successors import Successors
from zubrel.odds.board import Board, Truths
from zubrel.odds.fates import missed_in

REMEMBERED = 200_000
"""Situations of which the moves are remembered, since plays come back to them."""


class MoveChances(Struct, frozen=True):
    """A move: its number in `system.moves`, and where each outcome leads, with its odds."""

    move: int
    targets: tuple[int, ...]
    odds: tuple[float, ...]

    def by_luck(self, random: Random) -> int:
        """One of the targets."""
        if len(self.targets) == 1:
            return self.targets[0]
        # odds need not add up to one: they are weights, as their author wrote them
        left = random.random() * sum(self.odds)
        for target, odds in zip(self.targets, self.odds, strict=True):
            left -= odds
            if left < 0:
                return target
        # rounding may leave a little when all odds are taken off
        return self.targets[-1]


class SituationNumbers(Protocol):
    """Situations as numbers: of a list, or packed."""

    system: System
    ways: frozenset[int]
    """The numbers of the moves that are ways."""

    def begin(self, random: Random) -> int:
        """Where a play begins; what is dealt is drawn."""
        ...

    def choices(self, here: int) -> Sequence[MoveChances]:
        """What can be done; nothing where the game has ended, or nothing is left."""
        ...

    def area(self, here: int) -> int:
        """Where the player stands, as the number of an area."""
        ...

    def ending(self, here: int) -> int:
        """The number of the ending, 0 while the game goes on."""
        ...

    def is_doomed(self, here: int) -> bool | None:
        """Whether no win is left while the game goes on; None: nobody knows."""
        ...

    def is_endless(self, here: int) -> bool:
        """Whether it is known that every play goes on for ever from there."""
        ...

    @property
    def missable(self) -> Sequence[str]:
        """The things of which is known where a play has missed them."""
        ...

    def missed(self, here: int) -> int:
        """Which of them are missed there while a win is left, as bits in their order."""
        ...


class ListedField:
    """Every situation by its number on a board."""

    def __init__(self, board: Board) -> None:
        self.system = board.system
        self.ways = _ways(board.system)
        self.board = board
        # plain lists: a simulated play asks for one number at a time, which arrays are slow to give
        self.starts = [int(n) for n in board.first.nonzero()[0]]
        self.areas: list[int] = board.areas.tolist()
        self.ended: list[int] = board.ended.tolist()
        # known from the search: so it is seen at which move a play was lost
        self.doomed: list[bool] = board.doomed.tolist()
        # from where no end can be come to, a play goes on for ever whatever is done
        (ending,) = board.judged.space.reaching([NumberSet(~board.playing)])
        self.endless: list[bool] = (~ending.truths).tolist()
        missed = list(missed_in(board))
        self.missable = [subject for subject, _ in missed]
        # by situation all that was missed there, as bits: one look a move
        self.gone = _as_bits([where for _, where in missed], board.size)
        self.known: dict[int, tuple[MoveChances, ...]] = {}

    def begin(self, random: Random) -> int:
        return self.starts[random.randrange(len(self.starts))]

    def choices(self, here: int) -> Sequence[MoveChances]:
        known = self.known.get(here)
        if known is None:
            known = self.known[here] = tuple(self._choices(here))
        return known

    def _choices(self, here: int) -> list[MoveChances]:
        board = self.board
        # edges stand in the order of their sources
        edges = slice(int(board.starts[here]), int(board.starts[here + 1]))
        leading = zip(
            board.moves[edges].tolist(),
            board.targets[edges].tolist(),
            board.odds[edges].tolist(),
            strict=True,
        )
        return _by_move(sorted(leading))

    def area(self, here: int) -> int:
        return self.areas[here]

    def ending(self, here: int) -> int:
        return self.ended[here]

    def is_doomed(self, here: int) -> bool | None:
        return self.doomed[here]

    def is_endless(self, here: int) -> bool:
        return self.endless[here]

    def missed(self, here: int) -> int:
        return self.gone[here]


class OpenField:
    """Situations that nobody has listed, packed into plain integers.

    Raises `LimitReached` where a play comes to a situation that never rests.
    """

    def __init__(self, system: System) -> None:
        self.system = system
        self.ways = _ways(system)
        # situations as plain integers: they are met one by one, and only those of plays
        self.packing = pack_into_one(system.variables)
        self.successors = Successors(
            system, Kernel(system.variables, self.packing, 1), self.packing
        )
        self.move_of = {
            step.number: number for number, m in enumerate(system.moves) for step in m.steps
        }
        self.start = self._settled(self.packing.pack(system.start)[0])
        self.known: dict[int, tuple[MoveChances, ...]] = {}

    def _settled(self, word: int, step: int = 0) -> int:
        rested = self.successors.settling.settled(word)
        if not isinstance(rested, int):
            raise LimitReached("a situation that never comes to rest")
        return rested

    def begin(self, random: Random) -> int:
        here, world = self.start, self.system.world
        places = drawn(world.deals, random) if world.deals else {}
        # one item after the other is dealt, in the order in which the moves of the deal come
        while any(_deals(self.system.moves[c.move]) for c in self.choices(here)):
            (here,) = (
                choice.targets[0]
                for choice in self.choices(here)
                if (dealt := _deals(self.system.moves[choice.move]))
                and places[dealt.item] == dealt.area
            )
        return here

    def choices(self, here: int) -> Sequence[MoveChances]:
        known = self.known.get(here)
        if known is None:
            # all at once: which of them are old is not worth keeping
            if len(self.known) >= REMEMBERED:
                self.known.clear()
            known = self.known[here] = tuple(self._choices(here))
        return known

    def _choices(self, here: int) -> list[MoveChances]:
        # after an end there are no moves, though their guards may hold
        if here & self.successors.ending_mask:
            return []
        links = self.successors.of(here, self._settled)
        steps = self.system.steps
        return _by_move(
            sorted((self.move_of[step], to, steps[step].outcome.odds) for step, to in links)
        )

    def area(self, here: int) -> int:
        return self._value(here, PLACE)

    def ending(self, here: int) -> int:
        return self._value(here, ENDING)

    def _value(self, here: int, variable: int) -> int:
        field = self.packing.fields[variable]
        return ((here & field.mask) >> field.shift) + field.low

    def is_doomed(self, here: int) -> bool | None:
        return None

    def is_endless(self, here: int) -> bool:
        return False

    @property
    def missable(self) -> Sequence[str]:
        return ()

    def missed(self, here: int) -> int:
        return 0


def _as_bits(truths: Sequence[Truths], size: int) -> list[int]:
    """By situation which of some sets it is in, as bits in their order."""
    bits = [0] * size
    for first in range(0, len(truths), 64):
        word = np.zeros(size, np.uint64)
        for number, truth in enumerate(truths[first : first + 64]):
            word |= truth.astype(np.uint64) << np.uint64(number)
        # most situations miss nothing: only the others become large numbers
        for here in np.flatnonzero(word).tolist():
            bits[here] |= int(word[here]) << first
    return bits


def _ways(system: System) -> frozenset[int]:
    return frozenset(n for n, m in enumerate(system.moves) if m.rule.kind == RuleKind.WAY)


def _by_move(edges: Sequence[tuple[int, int, float]]) -> list[MoveChances]:
    outcomes: dict[int, list[tuple[int, float]]] = {}
    for move, target, odds in edges:
        outcomes.setdefault(move, []).append((target, odds))
    return [
        MoveChances(move, tuple(t for t, _ in each), tuple(o for _, o in each))
        for move, each in outcomes.items()
    ]


def _deals(move: Move) -> DealOut | None:
    effects = move.rule.outcomes[0].effects
    return (
        effects[0] if move.rule.kind == RuleKind.DEAL and isinstance(effects[0], DealOut) else None
    )
