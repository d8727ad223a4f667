"""Searching every situation with plain integers: fills a `ScalarSpace`."""

from __future__ import annotations

import gc
import sys

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.listed.small import ScalarSpace
from zubrel.explored.packed.successors import Successors
from zubrel.explored.space import EndlessSettling, TooMany, Trace

CHECK_EVERY, WORK = 1024, 5
"""Situations between two looks at the limits, and units of work of each."""
FEW_IN_A_CORNER = 4
"""Situations in one area at one distance from the start, on average, in a narrow world."""


def explore_scalar(
    system: System, budget: Budget, progress: Progress, most: int | None, narrow: int = 0
) -> ScalarSpace:
    """Search every situation. Raises `TooMany` past `most`, `EndlessSettling` as it says.

    A narrow world, of which few situations are found in one area at one distance, may have up to
    `narrow` of them: whole levels at once would be no faster there.
    """
    space = ScalarSpace(system, budget)
    collecting = gc.isenabled()
    gc.disable()  # nothing here goes in circles, and looking for it takes a sixth of the time
    try:
        _ScalarSearch(space, budget, progress, most, narrow).run()
    finally:
        if collecting:
            gc.enable()
    return space


class _ScalarSearch:
    def __init__(
        self,
        space: ScalarSpace,
        budget: Budget,
        progress: Progress,
        most: int | None,
        narrow: int,
    ) -> None:
        self.space = space
        self.budget = budget
        self.progress = progress
        self.most = most
        self.narrow = narrow
        # the limit of the user; `most` is where another engine takes over
        self.allowed = budget.limits.situations or sys.maxsize
        self.successors = Successors(space.system, space.kernel, space.packing)
        self.source = 0
        """The situation whose steps are being followed."""

    def run(self) -> None:
        space = self.space
        start = space.packing.pack(space.system.start)[0]
        known: dict[int, int] = {}
        self._add(self._settled(start, None), None, known)
        # the list of situations is the queue as well: those without successors are left to expand
        while len(space.successors) < len(space.words):
            source = len(space.successors)
            # limits are looked at now and then only: this is the innermost loop of all
            due = source % CHECK_EVERY == 0 or len(space.words) > self.allowed
            if due and self._is_over(source):
                return
            self._expand(source, known)

    def _is_over(self, source: int) -> bool:
        known = len(self.space.words)
        self.progress.reached(known, known - source)
        try:
            self.budget.check_limits(known)
            self.budget.spend(CHECK_EVERY * WORK)
        except WorkSpent:
            raise
        except LimitReached as limit:
            self.space.stopped = str(limit)
            # at once: before long the work would be ended from outside, and what was found lost
            self.budget.begin_telling()
        return self.space.stopped is not None

    def _expand(self, source: int, known: dict[int, int]) -> None:
        space = self.space
        word = space.words[source]
        successors: list[tuple[int, int]] = []
        if not word & self.successors.ending_mask:
            self.source = source
            for step, after in self.successors.of(word, self._settled_after):
                target = known.get(after)
                if target is None:
                    target = self._add(after, (source, step), known)
                successors.append((step, target))
                # edges are kept twice, by situation and by step: findings ask for both
                edges = space.edges[step]
                edges.sources.append(source)
                edges.targets.append(target)
        space.successors.append(successors)
        space.moves += len(successors)

    def _add(self, word: int, parent: tuple[int, int] | None, known: dict[int, int]) -> int:
        space = self.space
        number = known[word] = len(space.words)
        if self.most is not None and number >= self.most:
            self._raise_most()
        space.words.append(word)
        space.parents.append(parent)
        return number

    def _raise_most(self) -> None:
        """Allow twice as many situations in a narrow world. Raises `TooMany` in others."""
        assert self.most is not None
        here = (word & self.successors.place_mask for word in self.space.words)
        # a corner is an area at a distance: whole levels pay where many situations share one
        corners = set(zip(self.space.depths(), here, strict=True))
        if self.most >= self.narrow or len(self.space.words) > FEW_IN_A_CORNER * len(corners):
            raise TooMany
        self.most = min(2 * self.most, self.narrow)

    def _settled_after(self, word: int, step: int) -> int:
        return self._settled(word, (self.source, step))

    def _settled(self, word: int, origin: tuple[int, int] | None) -> int:
        rested = self.successors.settling.settled(word)
        if isinstance(rested, int):
            return rested
        steps: list[Step] = []
        # back along the parents: the moves that set it off
        while origin is not None:
            steps.append(self.space.system.steps[origin[1]])
            origin = self.space.parents[origin[0]]
        raise EndlessSettling(Trace(tuple(reversed(steps))), rested)
