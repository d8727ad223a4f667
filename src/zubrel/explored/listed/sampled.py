"""Some of the situations of a world that has too many: those of plays, and what is new beside them.

Every situation in the sample is reached, and every step in it is taken by some play, so that what
is found to exist in it exists. That something is not in it tells nothing.
"""

from __future__ import annotations

import heapq
from collections import deque
from collections.abc import Iterable, Sequence

from zubrel.base.budget import Budget, WorkSpent
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.listed.small import Numbers, ScalarSpace
from zubrel.explored.packed.novelty import Novelty
from zubrel.explored.packed.successors import Successors
from zubrel.explored.space import EndlessSettling, Trace

LEAVE, MEET = 40, 10
"""Units of work to find the steps out of a situation, and to see how new one is that they lead to.
"""
ON_A_PLAY = 0
"""The rank of situations of plays that are known: they come before whatever is new."""

Links = list[tuple[int, int]]
"""The numbers of the steps out of a situation, each with the word that it leads to."""


class SampledSpace(ScalarSpace):
    """`Space` over some situations; walks in it are not the shortest there are."""

    breadth_first = False

    def way(self, here: int, target: Numbers) -> tuple[Step, ...] | None:
        """The fewest steps that the sample has from a situation into a set; None: it has none."""
        came: dict[int, tuple[int, int] | None] = {here: None}
        waiting = deque([here])
        while waiting:
            here = waiting.popleft()
            if here in target:
                break
            # what has a higher number was met and never left: its steps are not known
            for step, after in self.successors[here] if here < len(self.successors) else ():
                if after not in came:
                    came[after] = (here, step)
                    waiting.append(after)
        else:
            return None
        steps = []
        while (link := came[here]) is not None:
            here, step = link
            steps.append(self.system.steps[step])
        return tuple(reversed(steps))


def sampled(
    system: System, plays: Iterable[Sequence[Step]], most: int, work: float, budget: Budget
) -> SampledSpace:
    """Up to `most` situations whose steps are known, found with so much work.

    First those of some plays, then those with values that were never had before, or never at once
    (as in width-based search: Lipovetzky, Geffner: Width and serialization of classical planning
    problems, 2012). Raises what `Budget.spend` does past a limit, and `EndlessSettling` where a
    play never rests.
    """
    search = _Sampling(system, budget)
    try:
        # past its share the sample is as good as it is: any part of it is true
        with budget.within(work):
            search.run(plays, most)
    except WorkSpent:
        budget.spend(0)  # a share that is all spent outside of here ends this
    return search.space()


class _Sampling:
    def __init__(self, system: System, budget: Budget) -> None:
        self.sample = SampledSpace(system, budget)
        packing, kernel = self.sample.packing, self.sample.kernel
        self.budget = budget
        self.successors = Successors(system, kernel, packing)
        self.novelty = Novelty(system.variables, packing)
        self.links: dict[int, Links] = {}
        """The situations whose steps are known, in the order in which they were left."""
        self.met: dict[int, int] = {}
        """All that were met, each with its values as bits."""
        self.waiting: list[tuple[int, int, int]] = []
        # no step leads to the start: -1 stands for none where something never rests
        self.start = self._settled(packing.pack(system.start)[0], -1)

    def run(self, plays: Iterable[Sequence[Step]], most: int) -> None:
        self.novelty.of(self.start, ON_A_PLAY)
        # situations of plays come first, so that every play given is in the sample as far as there
        # is room
        self.met[self.start] = self.novelty.values(self.start)
        self.waiting.append((ON_A_PLAY, 0, self.start))
        for play in plays:
            self._along(play)
        while self.waiting and len(self.links) < most:
            self._leave(heapq.heappop(self.waiting)[-1])

    def _along(self, play: Sequence[Step]) -> None:
        """Leave every situation of a play."""
        word = self.start
        for step in play:
            self._leave(word)
            after = dict(self.links[word]).get(step.number)
            if after is None:
                return  # a step that changes nothing: it is no move in any list
            word = after

    def _meet(self, word: int, before: int) -> None:
        if word not in self.met:
            self.budget.spend(MEET)
            new, self.met[word] = self.novelty.after(word, before, self.met[before], ON_A_PLAY)
            heapq.heappush(self.waiting, (new, len(self.met), word))

    def _leave(self, word: int) -> None:
        if word in self.links:
            return
        self.budget.spend(LEAVE)
        # an end is left without steps, and is known to have none
        ended = word & self.successors.ending_mask
        self.links[word] = [] if ended else self.successors.of(word, self._settled)
        for _, after in self.links[word]:
            self._meet(after, word)

    def _settled(self, word: int, step: int) -> int:
        rested = self.successors.settling.settled(word)
        if not isinstance(rested, int):
            raise EndlessSettling(Trace(()), rested)
        return rested

    def space(self) -> SampledSpace:
        """What was met: first what was left, in breadth-first order, and then all else."""
        sample = self.sample
        # what was left has the first numbers: all of it counts as explored, and what comes after as
        # known from its edges only
        order: dict[int, int] = {self.start: 0}
        before: list[tuple[int, int] | None] = [None]
        # breadth-first numbers, as those of a whole search: walks and levels are read off them
        queue = deque([self.start] if self.start in self.links else [])
        while queue:
            word = queue.popleft()
            for step, after in self.links[word]:
                if after in self.links and after not in order:
                    before.append((order[word], step))
                    order[after] = len(order)
                    queue.append(after)
        left = list(order) if self.start in self.links else []
        # steps into what was never left are kept: that they exist is known
        for word in left:
            successors = []
            for step, after in self.links[word]:
                if after not in order:
                    before.append((order[word], step))
                    order[after] = len(order)
                successors.append((step, order[after]))
                edges = sample.edges[step]
                edges.sources.append(order[word])
                edges.targets.append(order[after])
            sample.successors.append(successors)
            sample.moves += len(successors)
        sample.words, sample.parents = list(order), before
        sample.stopped = f"{len(left):,} situations"
        return sample
