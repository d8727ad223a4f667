"""System -> Certain: the stage function of this folder."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import Any

from msgspec import Struct

from zubrel.base.budget import SECOND, Budget, LimitReached, Limits, WorkSpent
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.hunt import FIRST_TURN, Hunt, every_doom
from zubrel.certain.leaving import Leaving
from zubrel.certain.shorter import Shortener
from zubrel.certain.smaller import Smaller, SmallerHunt
from zubrel.certain.wins import Seeker
from zubrel.compiled.future import Future
from zubrel.compiled.parts import Step
from zubrel.compiled.relaxation import Relaxation
from zubrel.compiled.system import System
from zubrel.explored.explore import explore_after
from zubrel.explored.space import EndlessSettling, Space

FOR_A_WIN = 0.6
"""The share of the work that may go by until a first win is found."""
AT_FIRST = 2 * FIRST_TURN
"""Work of the first turn on a win."""
FOR_DOOMS = 0.75
"""The share of the work that has gone by when plays are made shorter instead of looking on."""
FOR_SMALLER = 0.3
"""The share of the work that may go into making the world smaller."""
IN_SMALLER, FOR_SHORTENING, FOR_TELLING = 0.45, 0.2, 0.2
"""The share of the work on looking that is done in the smaller world; then on shorter plays, where
a proof tells what is lost there; and on playing in the whole one what was found there."""
AFTERWARDS, AT_LAST = 0.3 * SECOND, 0.05 * SECOND
"""Work on all that comes after a move that dooms, and where a limit has come (of twelve moves in
three worlds it takes 0.01 each; of 35 moves in six, 30 have a reason with 0.3 as with 1, and where
eight run out of days, telling takes 3.5 s and not 14)."""
MOST_PLAYS = 60
"""Plays that win that are told of."""

log = logging.getLogger(__name__)


class Certain(Struct, frozen=True):
    """What is certain, whatever else a proof may find.

    `win` are the steps of a win, which may not be the shortest (None: none was found).
    `unwinnable`: there is none. `dooms` are not all that there are. `budget`: what limits the work
    on what else is asked.
    """

    system: System
    relaxation: Relaxation
    win: tuple[Step, ...] | None
    unwinnable: bool
    dooms: tuple[DoomingStep, ...]
    budget: Budget

    @property
    def whole(self) -> Future:
        """All that may ever come."""
        return Future(self.relaxation, self.system.start)

    def after(self, doom: DoomingStep, brief: bool = False) -> Space[Any] | None:
        """Every situation that comes after a move that dooms; None where there are too many, or
        (`brief`) more than a few."""
        memory = Limits(memory=self.budget.limits.memory)
        at_first = AT_LAST if brief else AFTERWARDS
        # where a limit of time has come meanwhile, what is small is told all the same
        for budget, most in ((self.budget, at_first), (Budget(memory), AT_LAST)):
            try:
                with budget.within(most):
                    return explore_after(self.system, doom.after, budget)
            except WorkSpent:
                return None
            except (LimitReached, MemoryError):
                continue
        return None


def certain(system: System, work: float, budget: Budget) -> Certain:
    """What can be told for certain with so much work, within the limits of `budget`.

    Raises `EndlessSettling` where a play that is looked at never comes to rest.
    """
    return Looking(system, budget).go_on(work)


class Looking:
    """A look that can be gone on with; what was found is kept."""

    def __init__(
        self,
        system: System,
        budget: Budget,
        made_smaller: Callable[[Budget], Smaller] | None = None,
        made_easier: Callable[[Budget], Smaller | None] | None = None,
    ) -> None:
        """`made_easier` makes a world in which wins are found sooner, if that takes no time."""
        self.system = system
        self.made_smaller = made_smaller
        self.made_easier = made_easier
        # work of its own: how far the proof has come must not depend on what is looked for beside
        # it
        self.budget = budget.aside()
        self.seeker = Seeker(system, self.budget)
        self.hunt = Hunt(self.seeker)
        self.leaving = Leaving(self.hunt)
        self.in_smaller: SmallerHunt | None = None
        self.looked = False
        """Whether there was a look before: the first is too short to make a world smaller."""
        self.unwinnable = self.won = False

    def go_on(self, work: float) -> Certain:
        """What is certain after so much more work."""
        if not self.unwinnable:
            # shares of this look, however much earlier ones have taken
            began = self.budget.work
            self._look_for_a_win(began + work * FOR_A_WIN)
            if not self.unwinnable and self.looked and self.in_smaller is None:
                self._within(self._make_smaller, self.budget.work + work * FOR_SMALLER)
            self._look(began, work)
            self.looked = True
        return self.found()

    def for_a_win(self, work: float) -> Certain:
        """What is certain after so much more work on a first win alone."""
        if not self.unwinnable:
            self._look_for_a_win(self.budget.work + work)
        return self.found()

    def _look_for_a_win(self, until: float) -> None:
        """Find a win, if none is known: plans lead to most wins at once. Where they do not, the
        world that reductions have made smaller has fewer moves to lose the way by, and both of
        them have turns that grow, twice as long in there."""
        if not self.won:
            self._within(self._tell_hopeless, until)
        if self.is_open and self.made_easier is not None:
            self._within(self._easier_win, min(until, self.budget.work + AT_FIRST))
            self.made_easier = None
        # whoever knows of no smaller world has one turn
        turn = float(AT_FIRST if self.made_smaller is not None else until)
        if self.is_open:
            self._within(self._first_win, min(until, self.budget.work + turn))
        if self.is_open and self.in_smaller is None:
            self._within(self._make_smaller, until)
        while self.is_open:
            left = until - self.budget.work
            if self.in_smaller is None:
                turn = max(turn, left)
            else:
                self._within(self._smaller_win, min(until, self.budget.work + 2 * turn))
            if not self.won:
                self._within(self._first_win, min(until, self.budget.work + turn))
            # the whole rest was free for it
            if turn >= left:
                return
            turn *= 2

    @property
    def is_open(self) -> bool:
        """Whether it is not known yet that there is a win, nor that there is none."""
        return not self.won and not self.unwinnable

    def found(self) -> Certain:
        """What is certain by now."""
        dooms = tuple(every_doom(self.hunt))
        log.info("%d moves certainly doom, %.0f units of work", len(dooms), self.budget.work)
        win = self.hunt.win() if self.won else None
        return Certain(
            self.system, self.seeker.relaxation, win, self.unwinnable, dooms, self.budget
        )

    def _look(self, began: float, work: float) -> None:
        """Look for a win in the smaller world, if none is known, and for dooms in both."""
        until, smaller = began + work * FOR_DOOMS, self.in_smaller
        if smaller is not None and not self.unwinnable:
            if not self.won:
                self._within(self._smaller_win, until)
            left = max(0.0, until - self.budget.work)
            self._within(smaller.run, self.budget.work + left * IN_SMALLER)
            self._within(smaller.shorten, self.budget.work + left * FOR_SHORTENING)
            self._within(smaller.tell, self.budget.work + left * FOR_TELLING)
        if self.won:
            self._within(self.leaving.run, until)
            # the walks are evidence that somebody reads
            self._within(Shortener(self.hunt).run, began + work)
            self._within(self.leaving.run, began + work)

    def plays(self) -> Iterator[tuple[Step, ...]]:
        """Plays that win, and those to what dooms. Raises what `Budget.spend` does."""
        if self.won:
            yield from self.hunt.plays(MOST_PLAYS)
        yield from (doom.walk for doom in every_doom(self.hunt))

    def _within(self, do: Callable[[], None], until: float) -> None:
        with suppress(LimitReached, MemoryError), self.budget.within(until - self.budget.work):
            do()

    def _make_smaller(self) -> None:
        if self.made_smaller is not None:
            smaller = self.made_smaller(self.budget)
            self.leaving.only_by(smaller.bearing)
            # what plays never rest in is found out by the proof
            with suppress(EndlessSettling):
                self.in_smaller = SmallerHunt(self.hunt, smaller, self.budget)

    def _smaller_win(self) -> None:
        assert self.in_smaller is not None, "it is asked where there is one"
        self.won = self.in_smaller.first_win()

    def _easier_win(self) -> None:
        easier = self.made_easier(self.budget) if self.made_easier is not None else None
        if easier is not None:
            # what plays never rest in is found out by the proof
            with suppress(EndlessSettling):
                self.won = SmallerHunt(self.hunt, easier, self.budget).first_win()

    def _tell_hopeless(self) -> None:
        # the cheapest proof first: then no win need be looked for
        self.unwinnable = self.seeker.is_hopeless(self.hunt.start)
        if self.unwinnable:
            log.info("there is no win, as sets of values tell")

    def _first_win(self) -> None:
        self.won = self.hunt.first_win()
        if self.won:
            log.info("a win is known, %.0f units of work", self.budget.work)
