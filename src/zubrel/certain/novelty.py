"""Wins found by looking where something is new, counting how much of a plan has come true.

A relaxed plan of a room names values that a win may ask for. Of the rooms that are met, those are
looked at first that have a value, or else two values at once, that no room had before in which as
many of those values had come true; of equal ones the one in which more of them have. Nobody makes a
plan for each room, so that thousands are met where plans would tell of a hundred (best-first width
search: Lipovetzky, Geffner: Best-first width search, exploration and exploitation in classical
planning, 2017). Where nothing more comes true for a while, the search begins anew from the most
promising room that it has met, with a plan of that room.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence

from zubrel.base.budget import LimitReached
from zubrel.certain.plans import Value
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.turnover import is_nominal
from zubrel.certain.wins import Path, Seeker, path_of
from zubrel.compiled.parts import ENDING, PLACE, Variable
from zubrel.explored.packed.novelty import Novelty

MEET = 150
"""Units of work to meet a room, and to find out what is new in it."""
PATIENCE = 600
"""Rooms that are looked at since the last value of a plan came true, before all begins anew."""
BEGINNINGS = 60
"""Rooms of one look that it may begin anew from."""


class NovelSearch:
    """One search for a win from a room."""

    def __init__(self, seeker: Seeker, start: Room) -> None:
        self.seeker = seeker
        self.rooms = seeker.rooms
        self.variables = seeker.system.variables
        # how each room was met first: a win is told by going back through it
        self.came: dict[int, tuple[int, Exit] | None] = {start.name: None}
        self.current: _Survey | None = None
        """What is looked at just now, for whoever goes on after a share of work is spent."""
        self.tick = 0
        # a heap: equal promise goes by age, so that the same world gives the same win
        self.beginnings: list[tuple[int, int, int, list[Value] | None]] = []
        """Rooms to begin from: how many values of a plan are still to come, as far as is known;
        when it was met; its name; and what a plan of its own wants, where one was made."""
        self.planned: set[int] = set()
        self._offer(0, start.name, None)

    def run(self) -> Path | None:
        """A way to a win; None where nothing more is left to look at.

        Raises what `spend` does, and goes on from there when it is called again.
        """
        while True:
            if self.current is not None:
                won = self.current.run()
                if won is not None:
                    return [*path_of(self.came, won[0]), won[1]]
                # the most promising rooms of a look that has got stuck are where the next ones
                # begin
                for left, _, name in sorted(self.current.looked)[:BEGINNINGS]:
                    self._offer(left, name, None)
                self.current = None
            if not self.beginnings:
                return None
            _, _, name, wanted = self.beginnings[0]
            is_planned = wanted is not None
            # a plan is made only for rooms that come first: to meet a room takes far less
            if name not in self.planned:
                wanted = self._wanted(name)  # a share that ends here leaves the room where it is
                self.planned.add(name)
            heapq.heappop(self.beginnings)
            if wanted is not None and is_planned:
                self.current = _Survey(self, self.rooms.room(name), wanted)
            elif wanted is not None:
                # now that it is known how far it is from here, others may seem nearer
                self._offer(len(wanted), name, wanted)

    def _offer(self, left: int, name: int, wanted: list[Value] | None) -> None:
        self.tick += 1
        heapq.heappush(self.beginnings, (left, self.tick, name, wanted))

    def _wanted(self, name: int) -> list[Value] | None:
        """The values that a plan from a room wants, the ending aside; None: there is no plan."""
        wanted = self.seeker.planner.wanted(self.seeker.domains(name))
        if wanted is None:
            return None
        return [value for value in wanted if value[0] not in (PLACE, ENDING)]


class _Survey:
    """Rooms met from one on, as long as more values of its plan come true."""

    def __init__(self, search: NovelSearch, start: Room, wanted: Sequence[Value]) -> None:
        self.search = search
        self.rooms = search.rooms
        values = self.rooms.values(start.name)
        self.goals = [_goal(search.variables, value, values) for value in wanted]
        self.novelty = Novelty(search.variables, self.rooms.packing)
        reached = _reached(self.goals, values, 0)
        self.best, self.since = reached.bit_count(), 0
        # what the first room has is not new any more
        self.novelty.of(start.name, self.best)
        self.queue = [(0, -self.best, 0, start.name, reached)]
        self.met = {start.name}
        self.looked: list[tuple[int, int, int]] = []
        """How many values were still to come, when it was looked at, and the name of each room."""

    def run(self) -> tuple[int, Exit] | None:
        """The last room and exit of a win; None where nothing more comes true."""
        while self.queue and self.since < PATIENCE:
            entry = heapq.heappop(self.queue)
            _, _, _, name, reached = entry
            try:
                # without a win left nothing that is new there is of use
                if not self.search.seeker.may_win(name):
                    continue
                won = self._leave(name, reached)
            except LimitReached:
                heapq.heappush(self.queue, entry)  # it was not looked at to its end
                raise
            if won is not None:
                return name, won
            self.since += 1
            left = len(self.goals) - reached.bit_count()
            self.looked.append((left, len(self.looked), name))
        return None

    def _leave(self, name: int, reached: int) -> Exit | None:
        """Meet what lies behind the exits of a room; an exit that wins."""
        for exit_ in self.rooms.room(name).exits:
            if self.rooms.is_won(exit_.target):
                return exit_
            # an end that is no win leads nowhere
            if self.rooms.is_over(exit_.target):
                continue
            room = self.rooms.room(exit_.target)
            if room.name not in self.met:
                # what was met is paid for once, however many exits lead there
                self.search.seeker.budget.spend(MEET)
                self.met.add(room.name)
                # the first way that was found stays: later looks may come to it again
                self.search.came.setdefault(room.name, (name, exit_))
                self._note(room, reached)
        return None

    def _note(self, room: Room, before: int) -> None:
        values = self.rooms.values(room.name)
        reached = _reached(self.goals, values, before)
        rank = reached.bit_count()
        # what is new comes first, and of that what has brought most of the plan true
        entry = (self.novelty.of(room.name, rank), -rank, len(self.met), room.name, reached)
        heapq.heappush(self.queue, entry)
        if rank > self.best:
            self.best, self.since = rank, 0


Goal = tuple[int, int, int]
"""A variable, the least and the greatest value that will do."""


def _goal(variables: Sequence[Variable], value: Value, now: Sequence[int]) -> Goal:
    """What will do for a value that a plan wants: of amounts also more, or less where that is on
    the way."""
    number, place = value
    variable = variables[number]
    wanted = variable.low + place
    # another state is no way towards this one
    if is_nominal(variable):
        return number, wanted, wanted
    return (
        (number, wanted, variable.high) if wanted > now[number] else (number, variable.low, wanted)
    )


def _reached(goals: Sequence[Goal], values: Sequence[int], before: int) -> int:
    """Which goals have come true by now, `before` included, as bits."""
    reached = before
    for place, (number, low, high) in enumerate(goals):
        if low <= values[number] <= high:
            reached |= 1 << place
    return reached
