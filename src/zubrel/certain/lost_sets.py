"""Situations that are known to be lost, as sets around those that were found to be."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from msgspec import Struct

from zubrel.certain.generalizing import Generalizing
from zubrel.certain.rooms import Rooms
from zubrel.compiled.possible import Among
from zubrel.compiled.relaxation import Relaxation

PROVED = 50
"""Units of work to ask a proof about a situation of some forty variables (46 microseconds)."""
MOST_SETS = 1_000
"""Sets that are kept (in thirteen worlds 2 to 130 are found within ten seconds). Chosen."""


class _Asked(Struct):
    """A variable that some sets ask for, and how many do: where its value stands in a word, and by
    value those of the sets, a bit each, that allow it, once a value was met."""

    variable: int
    mask: int
    shift: int
    sets: int = 0
    allowing: dict[int, int] = {}


class LostSets:
    """Sets of situations from none of which a win is left."""

    def __init__(self, rooms: Rooms, relaxation: Relaxation) -> None:
        self.rooms = rooms
        self.relaxation = relaxation
        self.generalizing = Generalizing(rooms.system, relaxation)
        self.sets: list[tuple[Among, ...]] = []
        self.waiting: deque[int] = deque(maxlen=MOST_SETS)
        """Lost situations around which a set may be found, the latest last."""
        self._asked: dict[int, _Asked] = {}
        self.proved: Callable[[int], bool] | None = None
        """Whether a situation that some play comes to is lost, once a proof has told that of all of
        them: no set around any is looked for then."""

    def hold(self, word: int) -> bool:
        """Whether a situation in which the game goes on is in one of the sets."""
        if self.proved is not None:
            self.rooms.budget.spend(PROVED)
            return self.proved(word)
        left = (1 << len(self.sets)) - 1
        # one look for each variable, however many sets there are
        for asked in self._asked.values():
            if not left:
                return False
            place = (word & asked.mask) >> asked.shift
            allowing = asked.allowing.get(place)
            if allowing is None:
                allowing = asked.allowing[place] = self._allowing(asked.variable, place)
            left &= allowing
        return bool(left)

    def _allowing(self, variable: int, place: int) -> int:
        bits = 0
        for number, parts in enumerate(self.sets):
            if all(p.variable != variable or p.mask >> place & 1 for p in parts):
                bits |= 1 << number
        return bits

    def learn(self, most: int) -> None:
        """Find sets around so many of the situations that wait for it, the latest first."""
        for _ in range(most):
            if not self.waiting or self.proved is not None:
                return
            self._learn(self.waiting.pop())

    def _learn(self, word: int) -> None:
        if len(self.sets) >= MOST_SETS or self.hold(word):
            return
        found = self.generalizing.around(self.relaxation.domains(self.rooms.values(word)))
        if found is None:
            return
        for part in found:
            self._ask_for(part.variable)
        self.sets.append(found)
        bit = 1 << len(self.sets) - 1
        masks = {part.variable: part.mask for part in found}
        for variable, asked in self._asked.items():
            asked.sets += variable in masks
            mask = masks.get(variable, -1)
            for place in asked.allowing:
                if mask >> place & 1:
                    asked.allowing[place] |= bit
        # what most of them ask for tells soonest that none holds a situation
        by_sets = sorted(self._asked.items(), key=lambda asked: -asked[1].sets)
        self._asked = dict(by_sets)

    def _ask_for(self, variable: int) -> None:
        if variable not in self._asked:
            field = self.rooms.packing.fields[variable]
            self._asked[variable] = _Asked(variable, field.mask, field.shift)
