"""How wins go on from rooms: what is kept of them, and what wins elsewhere as well.

A course is the proof that a room is live: whoever follows it wins. Most rooms beside a play that
wins are won by the same moves, without those that are not possible there; to make these takes a
tenth of the time of a search.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from zubrel.certain.rooms import Exit, Room, Rooms

FOLLOW = 18
"""Units of work for each step of a course that is tried elsewhere (measured: 12 to 25)."""


class Course(Struct, frozen=True, eq=False):
    """How a win goes on: walk to an area, make a step there, then the rest (None: it is won)."""

    area: int
    step: int
    rest: Course | None


class Courses:
    """The rooms of which a win is known, each with its course."""

    def __init__(self, rooms: Rooms) -> None:
        self.rooms = rooms
        self.known: dict[int, Course] = {}
        """By room, in the order in which they became known."""
        self.found: list[int] = []
        """Those that searches for a win have come through."""
        self.names: list[int] = []
        """All of them, as a list: one at random is asked for thousands of times."""

    def along(self, line: Sequence[Room], path: Sequence[Exit]) -> None:
        """Keep a win that leaves rooms by exits, one after the other."""
        course: Course | None = None
        for room, exit_ in zip(reversed(line), reversed(path), strict=True):
            course = Course(exit_.source & self.rooms.place, exit_.step, course)
            if room.name not in self.known:
                self.found.append(room.name)
            self._keep(room, course)

    def _keep(self, room: Room, course: Course) -> None:
        # the first one stays, whatever comes later
        if room.name not in self.known:
            self.known[room.name] = course
            self.names.append(room.name)

    def steps(self, word: int) -> list[int]:
        """The numbers of the steps of a win from a situation of a live room."""
        steps: list[int] = []
        course: Course | None = self.known[self.rooms.room(word).name]
        while course is not None:
            made = self._made(word, course)
            assert made is not None, "who walks to and fro in a room can follow its course"
            walk, word = made
            steps += [*walk, course.step]
            course = course.rest
        return steps

    def _made(self, word: int, course: Course) -> tuple[list[int], int] | None:
        """The walk to the next step of a course, and where that leads; None: it is not possible."""
        walk = self.rooms.walk_to(word, course.area)
        if walk is None:
            return None
        after = self.rooms.after(walk[-1][1] if walk else word, course.step)
        return None if after is None else ([number for number, _ in walk], after)

    def wins_like(self, room: Room, other: Room) -> bool:
        """Whether the win of a room that is live wins from another one too, which is kept then.

        What is not possible of it is left out, and so is what would end the game badly.
        """
        course: Course | None = self.known[other.name]
        word, looked = room.name, 0
        made, since = list[Course](), list[Course]()
        # `since`: what was made of it since something was left out, which is its own end so far
        while course is not None and not self.rooms.is_won(word):
            looked += 1
            after = self._made(word, course)
            if after is None or (self.rooms.is_over(after[1]) and not self.rooms.is_won(after[1])):
                made += since
                since = []
            else:
                word = after[1]
                since.append(course)
            course = course.rest
        self.rooms.budget.spend(FOLLOW * looked)
        if not self.rooms.is_won(word):
            return False
        # where it wins sooner than the other one, nothing of that is left to be done
        if course is not None:
            made += since
            since = []
        # the end is shared with all others that have the same
        whole = since[0] if since else None
        for one in reversed(made):
            whole = Course(one.area, one.step, whole)
        assert whole is not None, "no room is won before a step"
        self._keep(room, whole)
        return True
