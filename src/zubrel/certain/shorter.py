"""Plays that doom, made shorter by leaving out whatever they can do without."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.certain.hunt import PROOF, Hunt
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.wins import Path
from zubrel.explored.packed.thinning import thinned


class Shortener:
    """Shortens the plays of a hunt, and notes there what it finds."""

    def __init__(self, hunt: Hunt) -> None:
        self.hunt = hunt
        self.like = hunt.start
        """The room before the move that dooms in the play that is made shorter: it is live."""

    def run(self) -> None:
        """Leave out of each play whatever it can do without, as long as work is left."""
        for key in sorted(self.hunt.dooms, key=lambda k: -len(self.hunt.dooms[k].walk)):
            exits = self._exits_to(key)
            # as straight as a plan leads there: most plays that doom have been elsewhere before
            path = self.hunt.seeker.to_step(self.hunt.start, exits[-1].step, PROOF)
            if path is not None and self._noted([e.step for e in path]) is not None:
                exits = self._exits_to(key)
            # the last one dooms, and stays
            thinned([e.step for e in exits], self._noted, 1)

    def _exits_to(self, key: tuple[int, bool]) -> Path:
        exits = self.hunt.exits_of([s.number for s in self.hunt.dooms[key].walk])
        self.like = self.hunt.rooms.room(exits[-1].source)
        return exits

    def _noted(self, steps: Sequence[int]) -> Sequence[int] | None:
        """The steps that are needed of these, where the last one still dooms, which is noted."""
        line = self._line_of(steps)
        if line is None or not self._still_dooms(line):
            return None
        self.hunt.note(line[-1][0], line[-1][1], [e for _, e in line[:-1]])
        return [exit_.step for _, exit_ in line]

    def _line_of(self, steps: Sequence[int]) -> list[tuple[Room, Exit]] | None:
        """The rooms and exits of these steps, without those that are not possible by then.

        None where the last one is not, or where the game ends before.
        """
        room, line = self.hunt.start, list[tuple[Room, Exit]]()
        for step in steps:
            # what was possible only after something that is left out now goes with it
            exit_ = next((e for e in room.exits if e.step == step), None)
            if exit_ is None:
                continue
            line.append((room, exit_))
            # an end is no way to the last step, even if it comes by accident
            if self.hunt.rooms.is_over(exit_.target):
                return None
            room = self.hunt.behind(room, exit_)
        return line if line and line[-1][1].step == steps[-1] else None

    def _still_dooms(self, line: Sequence[tuple[Room, Exit]]) -> bool:
        """Whether a win is left before the last exit of a line, and none after it."""
        room, exit_ = line[-1]
        if not self.hunt.is_lost_for_sure(self.hunt.rooms.room(exit_.target)):
            return False
        return self.hunt.is_live(room, PROOF, self.like)
