"""A hunt in a smaller world, of which what it finds is played in the whole one.

A world that reductions have made smaller has the same moves that doom, fewer that matter, and
relaxations of it take a fraction of the time. Nothing is believed because of that: a play is made
in the whole world as well, where a win has to go on from before its last move, and none may be left
after it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.hunt import LONG_PROOF, Hunt
from zubrel.certain.leaving import Leaving
from zubrel.certain.wins import Seeker
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System

SPELL = 150
"""Units of work for each step of a play that is made in the whole world."""


class Smaller(Struct, frozen=True):
    """A smaller system, and plays of it as plays of the whole; ValueError: it is none there.

    `bearing` are the numbers of those steps of the whole that may doom.
    """

    system: System
    spelled_out: Callable[[Sequence[Step]], Sequence[Step]]
    bearing: frozenset[int]


class SmallerHunt:
    """Looks in a smaller world, and tells a hunt in the whole one."""

    def __init__(self, whole: Hunt, smaller: Smaller, budget: Budget) -> None:
        self.whole = whole
        self.smaller = smaller
        self.budget = budget
        self.hunt = Hunt(Seeker(smaller.system, budget))
        self.leaving = Leaving(self.hunt)
        self.won = False
        self._told: set[tuple[int, bool]] = set()
        """Those that were played in the whole world, whether or not they doom for certain there."""

    def first_win(self) -> bool:
        """Find a win, and play it in the whole world; whether that one is won by it."""
        self.won = self.won or self.hunt.first_win()
        return self.won and self._wins(self.hunt.win())

    def run(self) -> None:
        """Look for dooms. Raises what `spend` does."""
        self.won = self.won or self.hunt.first_win()
        if self.won:
            self.leaving.run()

    def tell(self) -> None:
        """Play in the whole world what was found since the last time."""
        for key in sorted(self.hunt.dooms):
            # once it is told, a shorter play is looked for where it is played
            if key not in self._told:
                self._tell(self.hunt.dooms[key])
                self._told.add(key)

    def _wins(self, steps: Sequence[Step]) -> bool:
        """Whether a play that wins here wins the whole world, all rooms of which are live then."""
        path = self.whole.exits_of(self._spelled_out(steps) or ())
        if not path or not self.whole.rooms.is_won(path[-1].target):
            return False
        self.whole.remember(path, self.whole.start)
        return True

    def _spelled_out(self, steps: Sequence[Step]) -> list[int] | None:
        self.budget.spend(SPELL * len(steps))
        try:
            return [step.number for step in self.smaller.spelled_out(steps)]
        except ValueError:
            return None

    def _tell(self, doom: DoomingStep) -> None:
        whole, rooms = self.whole, self.whole.rooms
        before = self._spelled_out(doom.walk[:-1])
        walk = self._spelled_out(doom.walk)
        if before is None or walk is None:
            return
        # the win that is left goes on from where it is left, if not from right before the move
        if not self._wins([*doom.walk[:-1], *doom.onward]):
            return
        like = whole.come_to(whole.exits_of(before))
        path = whole.exits_of(walk)
        # what is done between, to make the move possible, may change what it leads to
        if not path or path[-1].step != walk[-1] or rooms.is_over(path[-1].target):
            return
        here = whole.come_to(path[:-1])
        is_live = whole.is_live(here, LONG_PROOF, like if like.name in whole.live.known else None)
        if is_live and whole.is_lost_for_sure(rooms.room(path[-1].target)):
            whole.note(here, path[-1])
