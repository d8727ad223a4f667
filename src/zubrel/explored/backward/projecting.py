"""What no play comes to, as few variables tell.

A set is often out of reach for a reason of a few variables: a key that is gone while its door is
shut. All others are left out of what leads there, after each step (localization: Kurshan,
Computer-aided verification of coordinating processes, 1994). What is closed so is too large and
never too small: where no play is in it, none comes to the set. Where one is, it is followed to
where a variable stops it that was left out, and that one is kept from then on (refinement by
counterexamples: Clarke, Grumberg, Jha, Lu, Veith, 2000).
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Iterator, Sequence

from zubrel.base.budget import Budget, WorkSpent
from zubrel.explored.backward.areas import Areas
from zubrel.explored.backward.closing import BackwardFixpoint, Closure
from zubrel.explored.backward.functions import Functions
from zubrel.explored.backward.known import KnownPlays
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.policy import REFINED

log = logging.getLogger(__name__)


class Projected(BackwardFixpoint):
    """A fixpoint that leaves some bits out of its seed, and after each step; `hidden` is their
    cube."""

    def __init__(
        self,
        functions: Functions,
        seed: Areas,
        within: Areas,
        until: Callable[[int, Diagram], bool],
        hidden: Diagram,
    ) -> None:
        self.hidden = hidden
        super().__init__(functions, seed, within, until)

    def approximated(self, diagram: Diagram) -> Diagram:
        return diagram.exists(self.hidden)


class Projecting:
    """Asks of sets whether they are out of reach for a reason of few variables."""

    def __init__(self, functions: Functions, walking: Walking, budget: Budget) -> None:
        self.functions = functions
        self.walking = walking
        self.budget = budget
        self.encoding: Encoding = functions.encoding
        self.every = [v for v in self.encoding.coded if self.encoding.bits[v]]
        self.bits_of = {v: self._cube([v]) for v in self.every}
        """The bits of each variable, to be quantified."""

    def refuted(self, areas: Areas, within: Areas, plays: KnownPlays, work: float) -> Areas | None:
        """A set around `areas` that no play comes to; None where none is found with so much work.

        No play leaves `within`. Where one is found that comes to `areas`, it is remembered.
        """
        kept = set[int]()
        try:
            with self.budget.within(work):
                # what the set itself asks about has to be kept: without it, the set would be
                # everywhere
                kept |= set(self._limited(areas))
                # each round keeps more variables; past some, hardly anything is left to leave out
                for _ in range(REFINED):
                    closure = self._closed(areas, within, plays.met, kept)
                    # an overapproximation of what leads there meets no play, so the exact set meets
                    # none either
                    if not closure.hit:
                        log.info("out of reach, as %d variables tell", len(kept))
                        return closure.areas
                    stopping = self._stopping(closure, areas, within, plays, kept)
                    # the play can be followed to its end, with nothing that was left out in its
                    # way: it is a real one
                    if not stopping:
                        return None
                    kept |= stopping
        except WorkSpent:
            log.info("not told by %d variables whether it is out of reach", len(kept))
        return None

    def _closed(
        self, areas: Areas, within: Areas, met: Sequence[Diagram], kept: set[int]
    ) -> Closure:
        # what is left out is quantified away after each update
        hidden = self._cube(v for v in self.every if v not in kept)

        def is_met(area: int, diagram: Diagram) -> bool:
            return bool((diagram & met[area]).satisfiable())

        return Projected(self.functions, areas, within, is_met, hidden).run()

    def _stopping(
        self, closure: Closure, areas: Areas, within: Areas, plays: KnownPlays, kept: set[int]
    ) -> set[int]:
        """Variables that are not kept, and stop a play on the way that a closure has for it; none
        where it comes to the set."""
        word = plays.nearest(closure.areas)
        assert word is not None, "the closure ends where it has come to what was met"
        last = len(closure.history)
        while True:
            area, bits = plays.placed(word)
            if closure.seed[area].eval(bits):
                return self._excluding(areas[area], word, kept)
            number = closure.added_by(area, bits)
            # a bound that only a mistake of the program could break
            assert number < last, "each step leads to an earlier update"
            last = number
            function, sets = closure.history[number].function, closure.sets_before(number)
            # the same with nothing left out, and of what is at rest: where variables are left out,
            # sets hold situations in which something still happens by itself
            resting = [d & quiet for d, quiet in zip(sets, self.functions.quiet, strict=True)]
            sources = self.functions.before_resting(function, resting) & within[area]
            if not sources.eval(bits):
                return self._excluding(sources, word, kept)
            assert function.step is not None, "what happens by itself follows a step"
            after = self.walking.after(word, function.step)
            assert after is not None, "a function leads only from where its step is possible"
            plays.remember(after, word, function.step)
            word = after

    def _excluding(self, diagram: Diagram, word: int, kept: set[int]) -> set[int]:
        """Variables, of those that are not kept, by whose values a situation is not in a set."""
        values = self.walking.packing.unpack([word])
        if diagram.eval(self.encoding.assignment(values)):
            return set()
        others = [v for v in self.every if v not in kept]
        whole = diagram
        # with what is kept as it is there, and all else as the set has it
        for variable in kept:
            diagram = diagram & self.encoding.equals(variable, values[variable])
        self.encoding.pause()
        if not diagram.satisfiable():
            # what is kept tells it, though not once the rest was left out: none alone is to blame
            return {v for v in others if whole.exists(self.bits_of[v]) != whole}
        as_it_is = [self.encoding.equals(v, values[v]) for v in others]
        pairs = list(zip(others, as_it_is, strict=True))
        if alone := {v for v, same in pairs if not (diagram & same).satisfiable()}:
            return alone
        # what comes after each of them as it is, from the last on
        after = [self.encoding.true]
        for same in reversed(as_it_is[1:]):
            after.append(same & after[-1])
        needed = set[int]()
        for (variable, same), rest in zip(pairs, reversed(after), strict=True):
            # left free where the others keep the situation out all the same
            if (diagram & rest).satisfiable():
                needed.add(variable)
                diagram = diagram & same
        return needed

    def _limited(self, areas: Areas) -> list[int]:
        """The variables that have not all of their values in a set, wherever that is."""
        union = self.encoding.union(areas)
        limiting = [v for v in self.every if union.exists(self.bits_of[v]) != union]
        self.encoding.pause()
        return list(self._halved(union, limiting))

    def _halved(self, union: Diagram, among: Sequence[int]) -> Iterator[int]:
        """The same of some variables, by halves: nothing is left out twice."""
        if len(among) == 1:
            if union != self.encoding.valid(among):
                yield among[0]
        elif among:
            # few variables of many bear on a set: halves that do not are given up as a whole
            half = len(among) // 2
            for kept, left in ((among[:half], among[half:]), (among[half:], among[:half])):
                yield from self._halved(self._without(union, left), kept)

    def _without(self, diagram: Diagram, variables: Iterable[int]) -> Diagram:
        """A set as it is when nothing is asked of some variables."""
        # of a large set, once for each variable, this takes longer than many a fixpoint
        self.encoding.pause()
        return diagram.exists(self._cube(variables))

    def _cube(self, variables: Iterable[int]) -> Diagram:
        bits = [bit for variable in variables for bit in self.encoding.bits[variable]]
        return self.encoding.positive_cube(bits)
