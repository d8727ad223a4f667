"""The plays that are known while sets are closed backwards.

Where a set that is closed comes upon a situation of one of them, a play is found.
"""

from __future__ import annotations

import logging
from bisect import insort
from collections import deque
from collections.abc import Sequence

from msgspec import Struct

from zubrel.compiled.parts import PLACE, Step
from zubrel.compiled.system import System
from zubrel.explored.backward.areas import Areas
from zubrel.explored.packed.novelty import NOTHING_NEW, Novelty
from zubrel.explored.packed.packing import Packing
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.explored.symbolic.encoding import Assignment, Diagram, Encoding

log = logging.getLogger(__name__)

SCOUTED, MOST_KNOWN = 1_000, 4_000
"""Situations that are met before anything is closed, and those of plays that are kept in all."""
AT_ONCE = 10
"""Digits of a word that are turned into bits at once."""
MEET = 60
"""Units of work to meet a situation."""


class KnownSituation(Struct, frozen=True):
    """A situation of a play, as its area and bits, and the step and the situation before it.

    `way`: the steps that lead there from the start, where no situation before it is known.
    """

    area: int
    bits: Assignment
    before: int | None
    step: Step | None
    moves: int
    way: tuple[Step, ...] = ()


class _Assigning:
    """Packed words as the bits of an encoding, some at a time, which come again and again.

    (Of 79 variables 8 microseconds, and 46 by the values of all of them.)
    """

    def __init__(self, encoding: Encoding, packing: Packing) -> None:
        # both write a value in binary digits, from its lowest value on
        bits = {
            packing.fields[variable].shift + place: bit
            for variable in encoding.coded
            for place, bit in enumerate(reversed(encoding.bits[variable]))
        }
        self.unused = encoding.unused
        self.parts: list[tuple[int, list[tuple[int, int]], dict[int, Assignment]]] = [
            (shift, [(n, bits[shift + n]) for n in range(AT_ONCE) if shift + n in bits], {})
            for shift in range(0, max(bits, default=0) + 1, AT_ONCE)
        ]

    def of(self, word: int) -> Assignment:
        """Every bit of a situation."""
        assigned = list(self.unused)
        for shift, bits, known in self.parts:
            digits = word >> shift & (1 << AT_ONCE) - 1
            pairs = known.get(digits)
            if pairs is None:
                pairs = known[digits] = [(bit, bool(digits >> n & 1)) for n, bit in bits]
            assigned += pairs
        return assigned


class KnownPlays:
    """Plays from the start on, by the packed words of the situations that they come to."""

    def __init__(self, system: System, encoding: Encoding, walking: Walking) -> None:
        self.system = system
        self.encoding = encoding
        self.walking = walking
        self._assigning = _Assigning(encoding, walking.packing)
        self.situations: dict[int, KnownSituation] = {}
        self._met = [encoding.false] * system.variables[PLACE].size
        """The same as sets, by area, but for those that are `_new`."""
        # a union with every single situation would make the set anew each time: they wait until it
        # is asked
        self._new: dict[int, list[int]] = {}
        self._in_order: list[list[tuple[int, int, int]]] = [[] for _ in self._met]
        """By area, the situations with how many moves come before them, and as how many-th each was
        met; those with the fewest moves first."""
        self._scouted = False
        # the play of no moves: where nothing else is known, sets are followed to the start itself
        self.remember(walking.start(), None, None)

    @property
    def met(self) -> list[Diagram]:
        """By area, the situations that they come to."""
        self._meet()
        return self._met

    def come_into(self, areas: Areas) -> bool:
        """Whether a known play comes into a set."""
        return any((a & met).satisfiable() for a, met in zip(areas, self.met, strict=True))

    def play_into(self, areas: Areas) -> Trace | None:
        """The shortest of the plays found so far that come into a set; None: none does."""
        if not self.come_into(areas):
            return None  # among those that are known; there may be others
        word = self.nearest(areas)
        assert word is not None, "some situation of the set was met"
        return Trace(tuple(self.steps_to(word)), shortest=False)

    def nearest(self, areas: Areas) -> int | None:
        """The situation of a set that a known play comes to first."""
        soonest = list[tuple[int, int, int]]()
        for area, (wanted, met) in enumerate(zip(areas, self.met, strict=True)):
            # asking one situation after the other takes long where there are none
            if (wanted & met).satisfiable():
                known = (k for k in self._in_order[area] if self._is_in(wanted, k[2]))
                soonest.append(next(known))
        return min(soonest)[2] if soonest else None

    def _is_in(self, wanted: Diagram, word: int) -> bool:
        return bool(wanted.eval(self.situations[word].bits))

    def steps_to(self, word: int) -> list[Step]:
        """The steps of the play that is known to a situation."""
        steps, here = list[Step](), self.situations[word]
        # each situation knows only the one before it: plays share their beginnings
        while here.before is not None and here.step is not None:
            steps.append(here.step)
            here = self.situations[here.before]
        return [*here.way, *reversed(steps)]

    def scout(self) -> None:
        """Meet situations in which two values are had together that never were before."""
        if self._scouted:
            return
        self._scouted = True
        novelty = Novelty(self.system.variables, self.walking.packing)
        steps = self.system.steps

        waiting = deque(self.situations)
        while waiting and len(self.situations) < SCOUTED:
            word = waiting.popleft()
            # no move leads on from an end
            if word & self.walking.ended:
                continue
            for step, after in self.walking.onward(word):
                self.encoding.budget.spend(MEET)
                # a thousand situations of one kind answer no more than one of them
                if after not in self.situations and novelty.of(after, 0) < NOTHING_NEW:
                    self.remember(after, word, steps[step])
                    waiting.append(after)
        log.info("plays to %d situations are known before any set is closed", len(self.situations))

    def holds(self, areas: Areas, word: int) -> bool:
        """Whether a packed situation is in a set."""
        area, bits = self.placed(word)
        return bool(areas[area].eval(bits))

    def placed(self, word: int) -> tuple[int, Assignment]:
        """The area and the bits of a packed situation."""
        return word & self.walking.place, self._assigning.of(word)

    def remember(self, word: int, before: int | None, step: Step | None) -> None:
        """A situation that a step leads to from one that is known, as long as there is room."""
        if word in self.situations or len(self.situations) >= MOST_KNOWN:
            return
        moves = 0
        if before is not None:
            # its predecessor found no room: no play could be told for this one
            if before not in self.situations:
                return
            moves = self.situations[before].moves + 1
        self._add(word, KnownSituation(*self.placed(word), before, step, moves))

    def keep(self, word: int, way: Sequence[Step]) -> None:
        """A situation to which these steps lead from the start, and none of those between."""
        if word not in self.situations:
            known = KnownSituation(*self.placed(word), None, None, len(way), tuple(way))
            self._add(word, known)

    def _add(self, word: int, known: KnownSituation) -> None:
        # fewest moves first, and of those the first that was met: the same world gives the same
        # play
        insort(self._in_order[known.area], (known.moves, len(self.situations), word))
        self.situations[word] = known
        self._new.setdefault(known.area, []).append(word)

    def _meet(self) -> None:
        """Add what was come to since the last time to the sets of what was met."""
        for area, words in self._new.items():
            sets = [self.encoding.situation(self.walking.packing.unpack([w])) for w in words]
            # by twos: one after the other each would go through all that came before
            while len(sets) > 1:
                pairs = zip(sets[::2], [*sets[1::2], self.encoding.false], strict=False)
                sets = [one | other for one, other in pairs]
                self.encoding.pause()
            # one union with what was known, which is the large one
            self._met[area] = self._met[area] | sets[0]
        self._new.clear()
