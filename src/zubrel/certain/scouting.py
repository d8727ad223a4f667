"""Steps that plays make, found by plans that lead to them, and by looking where something is new.

What is found is certain, since there is a play; what is not found may be possible all the same.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable

from msgspec import Struct

from zubrel.base.budget import Budget, WorkSpent
from zubrel.certain.novelty import MEET
from zubrel.certain.rooms import Room
from zubrel.certain.wins import Path, Seeker, WinSearch
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.parts import PLACE
from zubrel.compiled.possible import mask_of
from zubrel.compiled.system import System
from zubrel.explored.packed.novelty import Novelty

WIN_ROOMS = 200
"""Rooms that are looked at for a win, on whose way most is possible (a win of bazaar XL 1 passes by
1,068 of 1,751 steps)."""
ROUNDS = ((0.0, 8), (1.0, 2), (0.5, 2), (0.25, 2), (0.0, 16))
"""Where on the way to that win plans for what is left begin, as a part of it, and how many rooms
are looked at for each: at the start nothing is spent yet, and late most is open. (Bazaar L 1: 539
of 559 steps in a million units of work, where novelty alone made 342 in three; XL 1: 1,688 of 1,751
in eight million, 1,558 with the second round first.)"""
BY_NOVELTY = 0.05
"""Share of the work on what is new wherever it is, after all plans. (With a quarter of eight
million units, bazaar L 1 makes one step more.)"""


class Scouted(Struct, frozen=True):
    """What some plays do: the numbers of the steps that they make, and by variable the values that
    they come to, as bits from the lowest on."""

    system: System
    steps: frozenset[int]
    values: tuple[int, ...]

    def comes_to(self, formula: Formula) -> bool:
        """Whether it is known that a formula holds somewhere: only of tests of one variable."""
        if not isinstance(formula, Within):
            return False
        variable = self.system.variables[formula.variable]
        # a test may ask for more than a variable can be: of that nothing is come to
        return bool(self.values[formula.variable] & mask_of(variable, formula.low, formula.high))


def scouted(seeker: Seeker, work: float) -> Scouted:
    """What plays do that do as much as they can, with so much work.

    Raises what `Budget.spend` does past a limit, and `EndlessSettling` where a play never rests.
    """
    scout, budget = Scout(seeker), seeker.budget
    _within(budget, work, scout.aim)
    _within(budget, work * BY_NOVELTY, scout.look_for_new)
    return Scouted(seeker.system, frozenset(scout.made), tuple(scout.values))


def _within(budget: Budget, work: float, scouting: Callable[[], None]) -> None:
    """Scout with so much work."""
    try:
        with budget.within(work):
            scouting()
    except WorkSpent:
        budget.spend(1)  # a share that is all spent outside of here ends this


class Scout:
    """Meets rooms from the start on, and notes what is possible in them."""

    def __init__(self, seeker: Seeker) -> None:
        system = seeker.system
        self.budget = seeker.budget
        self.seeker = seeker
        self.rooms = seeker.rooms
        self.novelty = Novelty(system.variables, self.rooms.packing)
        # what no play can make needs no looking for
        self.left = {s.number for s in system.player_steps} - system.never
        """Steps that were not made yet."""
        self.made: set[int] = set()
        self.start = self.rooms.start()
        self.noted: set[int] = set()
        """Names of rooms of which all is known that is possible there."""
        self.values = [0] * len(system.variables)
        """As in `Scouted`, so far."""
        self._seen = self.start
        """The last situation that was seen."""
        self._note_values(self.start, range(len(self.values)))

    def aim(self) -> None:
        """Play to a win, and from rooms on the way to it to each step that is left."""
        if self.rooms.is_over(self.start):
            return
        way = [self.rooms.room(self.start)]
        won = self._search(WinSearch(self.seeker, way[0]), WIN_ROOMS)
        way += [self.rooms.room(e.target) for e in won or () if not self.rooms.is_over(e.target)]
        for part, most in ROUNDS:
            begin = way[round(part * (len(way) - 1))]
            for step in sorted(self.left):
                # another play may have made it meanwhile
                if step in self.left:
                    self._search(WinSearch(self.seeker, begin, step), most)

    def _search(self, search: WinSearch, most: int) -> Path | None:
        """Where a search leads, looking at so many rooms at most; what it meets is noted."""
        path = search.run(most)
        for name in search.came.keys() - self.noted:
            self._note(self.rooms.room(name))
        # what the last move leads to was not looked at
        if path:
            self._see(path[-1].target)
            self._make({path[-1].step})
        return path

    def look_for_new(self) -> None:
        """Until all is made that may be, or all is met that can be: what is new comes first."""
        if self.rooms.is_over(self.start):
            return
        # a best-first search over rooms, in which what has new values comes before what has not
        first = self.rooms.room(self.start)
        # equally new: the one that was met first
        queue, met = [(1, 0, first.name)], {first.name}
        while queue and self.left:
            _, _, name = heapq.heappop(queue)
            room = self.rooms.room(name)
            self._note(room)
            for exit_ in room.exits:
                if self.rooms.is_over(exit_.target):
                    continue
                there = self.rooms.room(exit_.target).name
                if there not in met:
                    met.add(there)
                    self.budget.spend(MEET)
                    new = self.novelty.of(there, 0)
                    heapq.heappush(queue, (new, len(met), there))

    def _note(self, room: Room) -> None:
        """All that is possible in a room is made by some play."""
        if room.name in self.noted:
            return
        # a room is looked through once, however many plays pass it
        self.noted.add(room.name)
        self._see(room.name)
        self.values[PLACE] |= sum(1 << area for area in room.areas)
        self._make(set(room.walks))
        # what leads out of the room is possible in it, whether or not anybody goes on from there
        self._make({exit_.step for exit_ in room.exits})

    def _see(self, word: int) -> None:
        """A play comes to a situation."""
        # little differs from what was seen last, and the rest is noted
        self._note_values(word, self.rooms.packing.differing(word, self._seen))
        self._seen = word

    def _note_values(self, word: int, variables: Iterable[int]) -> None:
        for number in variables:
            field = self.rooms.packing.fields[number]
            # counted from the least value on
            self.values[number] |= 1 << ((word & field.mask) >> field.shift)

    def _make(self, steps: set[int]) -> None:
        self.made |= steps
        self.left -= steps
