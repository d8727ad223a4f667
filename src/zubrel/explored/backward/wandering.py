"""Plays at random that never leave a set, to come into others.

Where the last win is lost is soon come upon by whoever is wasteful: each play likes some steps more
than others, at random, and goes on as long as it stays in the set. Of what no such play comes to
nothing is known.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from functools import reduce
from random import Random

from zubrel.base.budget import WorkSpent
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.explored.backward.areas import Areas, joined
from zubrel.explored.backward.known import KnownPlays
from zubrel.explored.packed.stepping import Walking
from zubrel.policy import LIKINGS, MOST_WANDERING, SEED

log = logging.getLogger(__name__)

MEET = 150
"""Units of work to meet a situation, and to look at where its steps lead."""
LONGEST = 2_000
"""Steps of a play: where something can be done over and over, no play would end otherwise."""


class Wandering:
    """Wanders from the start until it has come into all sets, or for long into no new one."""

    def __init__(self, system: System, walking: Walking, known: KnownPlays) -> None:
        self.system = system
        self.walking = walking
        self.known = known
        self.budget = known.encoding.budget
        self.random = Random(SEED)  # always the same

    def seek(self, sets: Sequence[Areas], within: Areas, on: float) -> None:
        """Keep a play into each set that one comes into which never leaves `within`.

        It ends after so much work on which nothing was found, beside as much as until the last
        play that was.
        """
        left = dict(enumerate(sets))
        began = self.budget.work
        try:
            with self.budget.within(MOST_WANDERING):
                last = began
                while left and self.budget.work - last < on + last - began:
                    if self._wander(left, within):
                        last = self.budget.work
        except WorkSpent:
            self.budget.spend(1)  # a share that is all spent outside of here ends this
        log.info("%d of %d sets were wandered into", len(sets) - len(left), len(sets))

    def _wander(self, left: dict[int, Areas], within: Areas) -> bool:
        """One play. Whether it has come into one of the sets that are left, which is none then."""
        liking = self._liking()
        word, steps, found = self.walking.start(), list[int](), False
        passed = {word}
        union = self._union(left)
        while len(steps) < LONGEST:
            self.budget.spend(MEET)
            if self.known.holds(union, word):
                # one union for all of them: most situations lie in none
                here = [n for n, areas in left.items() if self.known.holds(areas, word)]
                self.known.keep(word, [self.system.steps[number] for number in steps])
                for number in here:
                    del left[number]
                union, found = self._union(left), True
            onward = self._onward(word, liking, passed, within)
            if onward is None or not left:
                break
            step, word = onward
            steps.append(step)
        return found

    def _onward(
        self, word: int, liking: Mapping[int, float], passed: set[int], within: Areas
    ) -> tuple[int, int] | None:
        """The step that is liked best just now, of those that stay within, and where it leads."""
        ended = self.walking.ended
        options = [
            (-liking[step] * self.random.random(), step, after)
            for step, after in self.walking.onward(word)
            if after not in passed and not after & ended
        ]
        for _, step, after in sorted(options):
            # whether it stays within or not: nobody needs to ask that again
            passed.add(after)
            if self.known.holds(within, after):
                return step, after
        return None

    def _liking(self) -> dict[int, float]:
        power = self.random.choice(LIKINGS)
        return {step.number: self.random.random() ** power for step in self.system.steps}

    def _union(self, sets: Mapping[int, Areas]) -> Areas:
        encoding = self.known.encoding
        nothing: Areas = (encoding.false,) * self.system.variables[PLACE].size
        union = reduce(joined, sets.values(), nothing)
        encoding.pause()
        return union
