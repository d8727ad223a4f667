"""Whether some play comes to a win of a system, however large it is: plays and proofs in turns."""

from __future__ import annotations

from contextlib import suppress

from zubrel.base.budget import SECOND, Budget, WorkSpent
from zubrel.base.progress import Progress
from zubrel.certain.hunt import Hunt
from zubrel.certain.wins import Seeker
from zubrel.compiled.parts import ENDING, wins_of
from zubrel.compiled.system import System
from zubrel.explored.explore import explore_after
from zubrel.explored.packed.shortening import shorter
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.findings.judged import won_formula
from zubrel.findings.large.questions import whole_lens_for

LITTLE = 1 * SECOND
"""Work on every situation, of which there are few where everything is wasted. Chosen."""
SHORTENING = 200_000
"""Steps that are made to find out what the play can do without: about a second."""
AT_FIRST, MORE = 2 * SECOND, 4
"""Work on plays in the first turn, and how many times as much each next turn has; the proof that no
play comes there may take twice as much. Chosen: most first wins are known after less."""


class Reached:
    """Looks for a play of one system. Raises `EndlessSettling` as a search does."""

    def __init__(self, system: System, budget: Budget, progress: Progress) -> None:
        self.system = system
        self.budget = budget
        self.progress = progress

    def play(self) -> Trace | None:
        """A play that comes there, which may not be the shortest; None: there is none, for sure.

        Raises `LimitReached` where a limit comes before it is known.
        """
        with suppress(WorkSpent), self.budget.within(LITTLE):
            space = explore_after(self.system, self.system.start, self.budget)
            return space.walks().shortest(space.where(won_formula(self.system)))
        self.budget.spend(1)  # a share that is all spent outside of here ends this
        seeker = Seeker(self.system, self.budget)
        start = seeker.rooms.start()
        if seeker.rooms.is_over(start):
            return Trace(()) if seeker.rooms.is_won(start) else None
        hunt = Hunt(seeker)
        if seeker.is_hopeless(hunt.start):
            return None
        work = float(AT_FIRST)
        while True:
            with suppress(WorkSpent), self.budget.within(work):
                if hunt.first_win():
                    return self._shorter(Trace(hunt.win(), shortest=False))
            self.budget.spend(1)
            with suppress(WorkSpent), self.budget.within(2 * work):
                return self._by_lens(work)
            self.budget.spend(1)
            work *= MORE

    def _shorter(self, play: Trace) -> Trace:
        walking, good = Walking(self.system), wins_of(self.system.world)
        ended = walking.packing.fields[ENDING]
        return shorter(
            play, lambda word: (word & ended.mask) >> ended.shift in good, walking, SHORTENING
        )

    def _by_lens(self, work: float) -> Trace | None:
        lens = whole_lens_for(self.system, (), self.budget, self.progress, forward=work)
        trace = lens.walks().shortest(lens.where(won_formula(self.system)))
        return None if trace is None else self._shorter(lens.spelled_out(trace))
