"""Steps that plays make, found by looking where something is new.

What is found is certain, since there is a play; what is not found may be possible all the same.
"""

from __future__ import annotations

import heapq

from zubrel.base.budget import Budget, WorkSpent
from zubrel.certain.novelty import MEET
from zubrel.certain.rooms import Rooms
from zubrel.compiled.system import System
from zubrel.explored.packed.novelty import Novelty


def steps_made(system: System, work: float, budget: Budget) -> frozenset[int]:
    """The numbers of steps that some plays make, with so much work.

    Raises what `Budget.spend` does past a limit, and `EndlessSettling` where a play never rests.
    """
    scout = Scout(system, budget)
    try:
        with budget.within(work):
            scout.run()
    except WorkSpent:
        budget.spend(1)  # a share that is all spent outside of here ends this
    return frozenset(scout.made)


class Scout:
    """Meets rooms from the start on, those with something new first, and notes what is made."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.budget = budget
        self.rooms = Rooms(system, budget)
        self.novelty = Novelty(system.variables, self.rooms.packing)
        self.left = {s.number for s in system.player_steps} - system.never
        """Steps that were not made yet."""
        self.made: set[int] = set()

    def run(self) -> None:
        """Until all is made that may be, or all is met that can be. Raises what `spend` does."""
        start = self.rooms.start()
        if self.rooms.is_over(start):
            return
        first = self.rooms.room(start)
        queue, met = [(1, 0, first.name)], {first.name}
        while queue and self.left:
            _, _, name = heapq.heappop(queue)
            room = self.rooms.room(name)
            for links in room.walks.values():
                self._note({step for step, _ in links})
            self._note({exit_.step for exit_ in room.exits})
            for exit_ in room.exits:
                if self.rooms.is_over(exit_.target):
                    continue
                there = self.rooms.room(exit_.target).name
                if there not in met:
                    met.add(there)
                    self.budget.spend(MEET)
                    new = self.novelty.of(there, 0)
                    heapq.heappush(queue, (new, len(met), there))

    def _note(self, steps: set[int]) -> None:
        self.made |= steps
        self.left -= steps
