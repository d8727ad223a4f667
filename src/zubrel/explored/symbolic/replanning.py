"""Plays made shorter that were found without looking for the fewest steps."""

from __future__ import annotations

from collections import deque

from zubrel.compiled.parts import PLACE, Step
from zubrel.explored.symbolic.encoding import Diagram
from zubrel.explored.symbolic.fixpoints import SymbolicFixpoints
from zubrel.policy import NEAR


def shorter_play(
    space: SymbolicFixpoints, allowed: Diagram, steps: list[Step], wanted: Diagram
) -> list[Step]:
    """A play into `wanted`, all of it in `allowed`, with no more steps than the one given."""
    replanning = _Replanning(space, allowed)
    return replanning.shortened(replanning.replanned(steps, wanted), wanted)


class _Replanning:
    def __init__(self, space: SymbolicFixpoints, allowed: Diagram) -> None:
        self.space = space
        self.allowed = allowed

    def replanned(self, steps: list[Step], wanted: Diagram) -> list[Step]:
        """The moves of a play that are no mere walks, each time the nearest that spoils nothing."""
        space, walking = self.space, self.space.walking
        # what can still come to the goal: a move that leaves it would spoil the play
        # closed once; each move is then one look-up
        estimate = space.closed(wanted, space.back, self.allowed, backwards=True)
        left = [step for step in steps if not _walks(step)]
        walks: dict[int, list[Step]] = {}
        for move in space.system.moves:
            for step in move.steps:
                if _walks(step):
                    for area in move.areas or ():
                        walks.setdefault(area, []).append(step)
        word, plan = walking.start(), list[Step]()
        while not space.holds(wanted, word):
            stretch = self._nearest(word, left, walks, estimate, wanted)
            if stretch is None:
                return steps
            path, word = stretch
            plan += path
            # each move of the old play is made once; how often it is needed the old play tells
            if path and path[-1] in left:
                left.remove(path[-1])
        # replanning is greedy, and may well be worse
        return plan if len(plan) < len(steps) else steps

    def _nearest(
        self,
        start: int,
        left: list[Step],
        walks: dict[int, list[Step]],
        estimate: Diagram,
        wanted: Diagram,
    ) -> tuple[list[Step], int] | None:
        """The shortest walk with one of the moves at its end, or to `wanted`; where it leads."""
        walking = self.space.walking
        known: dict[int, list[Step]] = {start: []}
        queue = deque([start])
        # equal moves are one try
        others = list(dict.fromkeys(left))
        while queue and len(known) < NEAR:
            word = queue.popleft()
            path = known[word]
            for step in others:
                after = walking.after(word, step)
                # the nearest move of the old play that does not lose the goal
                if after is not None and after != word and self.space.holds(estimate, after):
                    return [*path, step], after
            for step in walks.get(word & walking.place, ()):
                after = walking.after(word, step)
                if after is not None and after not in known and self.space.holds(estimate, after):
                    known[after] = [*path, step]
                    if self.space.holds(wanted, after):
                        return known[after], after
                    queue.append(after)
        return None

    def shortened(self, steps: list[Step], wanted: Diagram) -> list[Step]:
        """Without every stretch that can be left out with the rest still possible."""
        # long stretches first: most of what can go hangs together
        size = len(steps) // 2
        while size:
            place = 0
            while place + size <= len(steps):
                fewer = steps[:place] + steps[place + size :]
                if self._leads(fewer, wanted):
                    steps = fewer
                else:
                    place += 1
            size //= 2
        return steps

    def _leads(self, steps: list[Step], wanted: Diagram) -> bool:
        walking = self.space.walking
        word = walking.start()
        # every step leads to what is reachable: only a walk that avoids something has to be looked
        # at
        everywhere = self.allowed == self.space.reachable
        for step in steps:
            after = walking.after(word, step)
            # the step is not possible any more without what was left out before it
            if after is None or not (everywhere or self.space.holds(self.allowed, after)):
                return False
            word = after
        return self.space.holds(wanted, word)


def _walks(step: Step) -> bool:
    """A step that does nothing but walk."""
    return step.rule.kind == "way" and all(c.variable == PLACE for c in step.changes)
