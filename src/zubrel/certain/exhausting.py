"""Rooms from which no win is left, as going everywhere from them tells.

Sets of values think that whatever is spent is still there, so that they know of a win where nothing
is left to buy it with. Where nothing is left, few rooms are: they are looked at one by one.
"""

from __future__ import annotations

from zubrel.certain.courses import Courses
from zubrel.certain.rooms import Room, Rooms

AT_FIRST, FEWEST, MOST = 256, 48, 8_192
"""Rooms that are looked at from one: at first, and wherever that was in vain or worth it.
Chosen."""
FEWER, MORE, LARGE = 1.2, 2, 8
"""Divides and multiplies that number; what is lost through an n-th of that is worth more."""
ROOM, EXIT = 5, 1
"""Units of work to look at a room, and at each exit of it (in seven worlds 0.9 to 1.7
seconds a million units, as all looks together take)."""
VAIN, WORTH = 0.08, 50_000
"""The share of all work that may be in vain, and how much more for each time that it was not (with
0.15 ridge M 2 has 10 and 4 moves that doom, so 10 and 5; the opera 6 and 6, so 8 and 8)."""


class Exhausting:
    """Goes everywhere from rooms, and notes among the `lost` ones what is shown to be that."""

    def __init__(self, rooms: Rooms, live: Courses, lost: set[int]) -> None:
        self.rooms = rooms
        self.live = live
        self.lost = lost
        self.most = float(AT_FIRST)
        self.began = rooms.budget.work
        self.vain = 0.0
        """Work that showed nothing, without what the rest has made up for."""

    def shows_lost(self, room: Room) -> bool:
        """Whether no win is left from a room, nor from any that it leads to.

        False where it takes too many rooms to tell. Raises what `spend` does.
        """
        began = self.rooms.budget.work
        # in large worlds nearly all of it is in vain, and other ways of looking find more
        if self.vain > VAIN * (began - self.began):
            return False
        met = self._everywhere(room)
        if met is None:
            self.vain += self.rooms.budget.work - began
            self.most = max(FEWEST, self.most / FEWER)
            return False
        self.vain -= WORTH
        if len(met) * LARGE > self.most:
            self.most = min(MOST, self.most * MORE)
        self.lost |= met
        return True

    def _everywhere(self, room: Room) -> set[int] | None:
        """The names of all rooms from one on; None where a win is left, or there are too many."""
        met, waiting = {room.name}, [room]
        while waiting:
            here = waiting.pop()
            # rooms that were found before take time as well
            self.rooms.budget.spend(ROOM + EXIT * len(here.exits))
            for exit_ in here.exits:
                if self.rooms.is_over(exit_.target):
                    if self.rooms.is_won(exit_.target):
                        return None
                    continue
                there = self.rooms.room(exit_.target)
                if there.name in self.live.known:
                    return None
                # what is lost already leads nowhere else
                if there.name in met or there.name in self.lost:
                    continue
                if len(met) >= self.most:
                    return None
                met.add(there.name)
                waiting.append(there)
        return met
