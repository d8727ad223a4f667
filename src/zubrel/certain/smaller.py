"""A hunt in a smaller world, of which what it finds is played in the whole one.

A world that reductions have made smaller has the same moves that doom, fewer that matter, and
relaxations of it take a fraction of the time. Nothing is believed because of that: a play is made
in the whole world as well, where a win has to go on from before its last move, and none may be left
after it. That none is left is proved, though, once a proof knows of every situation of the smaller
world whether it leads to a win, long before it knows to which of them plays come.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct, field

from zubrel.base.budget import Budget
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.hunt import LONG_PROOF, Hunt
from zubrel.certain.leaving import Leaving
from zubrel.certain.shorter import Shortener
from zubrel.certain.wins import Seeker
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System

SPELL = 150
"""Units of work for each step of a play that is made in the whole world."""


class Proved(Struct):
    """What a proof has told of a smaller system by now."""

    leads_to_win: Callable[[Sequence[int]], bool] | None = None
    """Whether a win is left, or had, in a situation that some play comes to, by its values; None:
    that is not known yet."""


class Smaller(Struct, frozen=True):
    """A smaller system, and plays of it as plays of the whole; ValueError: it is none there.

    `bearing` are the numbers of those steps of the whole that may doom. `proved` is of this system.
    """

    system: System
    spelled_out: Callable[[Sequence[Step]], Sequence[Step]]
    bearing: frozenset[int]
    proved: Proved = field(default_factory=Proved)


class SmallerHunt:
    """Looks in a smaller world, and tells a hunt in the whole one."""

    def __init__(self, whole: Hunt, smaller: Smaller, budget: Budget) -> None:
        self.whole = whole
        self.smaller = smaller
        self.budget = budget
        self.hunt = Hunt(Seeker(smaller.system, budget))
        self.leaving = Leaving(self.hunt)
        self.won = False
        self._told: dict[tuple[int, bool], int] = {}
        """Of those that were played in the whole world, whether or not they doom for certain there,
        how many steps that took here."""

    def first_win(self) -> bool:
        """Find a win, and play it in the whole world; whether that one is won by it."""
        self.won = self.won or self.hunt.first_win()
        return self.won and self._wins(self.hunt.win())

    def run(self) -> None:
        """Look for dooms. Raises what `spend` does."""
        leads_to_win = self.smaller.proved.leads_to_win
        if leads_to_win is not None and not self.hunt.seeker.is_proved:
            values = self.hunt.rooms.values
            self.hunt.seeker.believe(lambda word: not leads_to_win(values(word)))
            # what was told in vain may be told now
            self._told.clear()
        self.won = self.won or self.hunt.first_win()
        if self.won:
            self.leaving.run()

    def shorten(self) -> None:
        """Make plays shorter that the whole world could not, which does not know what is lost."""
        if self.hunt.seeker.is_proved:
            Shortener(self.hunt).run()

    def tell(self) -> None:
        """Play in the whole world what was found since the last time."""
        for key in sorted(self.hunt.dooms):
            doom = self.hunt.dooms[key]
            if key not in self._told or len(doom.walk) < self._told[key]:
                self._tell(doom)
                self._told[key] = len(doom.walk)

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
        if not whole.is_live(here, LONG_PROOF, like if like.name in whole.live.known else None):
            return
        there = rooms.room(path[-1].target)
        if self.hunt.seeker.is_proved:
            # the proof of the smaller world is one of the whole, by what it is made smaller with
            assert there.name not in whole.live.known, "what can be won is not lost"
            whole.lost.add(there.name)
        if whole.is_lost_for_sure(there):
            whole.note(here, path[-1])
