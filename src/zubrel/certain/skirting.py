"""Plays that keep out of what is known to be lost, and look at each move that leads into it.

The last room of a play from which a win is left lies beside one that is lost. Once the sets around
such rooms are known, most exits into them are seen in passing, for a hundredth of what it takes to
ask of a room whether a win is left there; only the room before such an exit has to be proved live.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from random import Random

from zubrel.certain.hunt import PROOF, Hunt
from zubrel.certain.rooms import Exit, Room
from zubrel.policy import LIKINGS

Line = list[tuple[Room, Exit | None]]
"""Rooms of a play, each with the exit by which it was come to."""
LENGTHS = (6, 12, 25, 50, 100)
"""Exits that a play takes before it is given up (with 50 at most, eight worlds show 58 moves that
doom where they show 78 so, by shorter plays)."""
FAR_LENGTHS, FAR_PROOF = (25, 100, 400, 1500), 300
"""The same where a proof tells what is lost, and rooms that are looked at then to prove that a win
is left right before it, which is asked of few rooms (a trial, caves around a shaft and
six feathers after 4 million units: 19, 13 and 4 moves that doom, and 14, 9 and 2 as elsewhere)."""
LEARNT = 8
"""Sets that are looked for before a play at most. Chosen: as much work as a play or two."""
LOOK, EXIT = 5, 2
"""Units of work for a room that a play comes to, and for each of its exits (of the opera an exit
takes 3 to 5 microseconds)."""


class Skirting:
    """Makes plays from rooms that are live, and notes in a hunt which of their exits doom."""

    def __init__(self, hunt: Hunt, random: Random) -> None:
        self.hunt = hunt
        self.random = random
        self.lost_sets = hunt.seeker.lost_sets
        self.unknown: dict[int, int] = {}
        """By step how often nobody knew whether a win was left before it."""

    def play(self, beginning: Room, is_worth_it: Callable[[Room, Exit], bool]) -> Line:
        """A play by exits that are not known to lead to what is lost.

        It ends where there is no such exit, or in a room that is lost. `is_worth_it` tells
        of a room and an exit whether it is worth to know that it dooms.
        """
        self.lost_sets.learn(LEARNT)
        line: Line = [(beginning, None)]
        seen = {beginning.name}
        liking = self._liking()
        lengths = FAR_LENGTHS if self.hunt.seeker.is_proved else LENGTHS
        for _ in range(self.random.choice(lengths)):
            room = line[-1][0]
            self.hunt.seeker.budget.spend(LOOK + EXIT * len(room.exits))
            onward = list[Exit]()
            for exit_ in room.exits:
                # who has lost by then knows it: nothing is taken away unseen
                if self.hunt.rooms.is_over(exit_.target):
                    continue
                if not self.lost_sets.hold(exit_.target):
                    onward.append(exit_)
                elif is_worth_it(room, exit_) and not self._look_at(line, exit_):
                    return line
            chosen = self._chosen(onward, liking, seen)
            if chosen is None:
                break
            there = self.hunt.behind(room, chosen)
            seen.add(there.name)
            line.append((there, chosen))
        return line

    def _look_at(self, line: Line, exit_: Exit) -> bool:
        """Note an exit to what is lost, if a win is left before it. False: none is there."""
        hunt, step = self.hunt, exit_.step
        room = line[-1][0]
        # what was in vain over and over is tried the less often
        if self.random.random() * (1 + self.unknown.get(step, 0)) >= 1:
            return True
        like = next(r for r, _ in reversed(line) if r.name in hunt.live.known)
        # the cheapest question first; a search for a win is what takes most of all
        if not hunt.wins_like(room, like) and hunt.is_lost(room):
            return False
        most = FAR_PROOF if hunt.seeker.is_proved else PROOF
        if not hunt.is_live(room, most):
            self.unknown[step] = self.unknown.get(step, 0) + 1
        elif hunt.is_lost(hunt.rooms.room(exit_.target)):
            hunt.note(room, exit_)
        return True

    def _liking(self) -> Callable[[int], float]:
        power, liked = self.random.choice(LIKINGS), dict[int, float]()

        def liking(step: int) -> float:
            if step not in liked:
                liked[step] = self.random.random() ** power
            return liked[step] * self.random.random()

        return liking

    def _chosen(
        self, exits: Sequence[Exit], liking: Callable[[int], float], seen: set[int]
    ) -> Exit | None:
        """The exit that is liked best just now, of those that lead to something new."""
        for exit_ in sorted(exits, key=lambda e: -liking(e.step)):
            name = self.hunt.rooms.room(exit_.target).name
            if name not in seen and name not in self.hunt.lost:
                return exit_
        return None
