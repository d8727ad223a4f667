"""What plays come to, found out by going back from it to the start.

Something of a set is reached exactly if the start lies in what leads into the set. Where the set is
large, and what leads into it from outside is little, only that is closed. Plays that were found
answer again, and what was refuted is left out of all that comes after.
"""

from __future__ import annotations

import logging
from bisect import bisect_left
from collections.abc import Iterator
from functools import cached_property

from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.compiled.parts import PLACE, Step
from zubrel.compiled.system import System
from zubrel.explored.backward.areas import Areas, holds_any, shared, without
from zubrel.explored.backward.closing import BackwardFixpoint, Closure
from zubrel.explored.backward.functions import Functions
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import EndlessSettling, Trace
from zubrel.explored.symbolic.encoding import Diagram

Assignment = list[tuple[int, bool]]
"""A value for every bit."""

log = logging.getLogger(__name__)

MOST_KNOWN = 4_000
"""Situations of plays that are kept, to be looked at before anything is closed."""
MOST_CLOSED = 64
"""Closed sets that are kept."""
MOST_REFUTED = 20_000
"""Nodes of what may be reached in an area, beyond which what was refuted is forgotten again."""


class KnownSituation(Struct, frozen=True):
    """A situation of a play, as its area and bits, and the step and the situation before it."""

    area: int
    bits: Assignment
    before: int | None
    step: Step | None
    moves: int


class Reaching:
    """Fixpoints backwards over the functions of a system, and the plays that they show."""

    def __init__(self, system: System, budget: Budget) -> None:
        """Raises `EndlessSettling` where a play comes to what never rests."""
        self.system = system
        self.functions = Functions(system, budget)
        self.encoding = self.functions.encoding
        self.walking = Walking(system)
        self.possibly = self._possibly()
        """By area: all but what is known never to be reached; settled or not."""
        self.start = self.encoding.situation(system.start)
        self._closed: dict[tuple[Areas, bool], Areas] = {}
        self._plays: dict[tuple[Areas, Areas | None], Trace | None] = {}
        self._known: dict[int, KnownSituation] = {}
        """Settled situations of plays, by their packed words."""
        self._refuse_if_endless()
        self._remember(self.walking.start(), None, None)

    def _possibly(self) -> Areas:
        possible, values = self.system.possible_values, self.functions.valid
        for number, variable in enumerate(self.system.variables):
            mask = possible[number]
            if number != PLACE and mask != (1 << variable.size) - 1:
                among = (variable.low + n for n in range(variable.size) if mask >> n & 1)
                values = values & self.encoding.among(number, among)
        nowhere = self.encoding.false
        areas = self.functions.areas
        return tuple(values if possible[PLACE] >> area & 1 else nowhere for area in areas)

    @cached_property
    def nothing(self) -> Areas:
        return (self.encoding.false,) * len(self.functions.areas)

    # fixpoints

    def closed(self, seed: Areas) -> Areas:
        """All from where plays lead into a set."""
        return self._closure(seed, by_itself=False)

    def settled_into(self, areas: Areas) -> Areas:
        """All that comes to rest in a set of settled situations, which is part of it."""
        return self._closure(areas, by_itself=True) if self.functions.settling else areas

    def _closure(self, seed: Areas, by_itself: bool) -> Areas:
        key = (seed, by_itself)
        if key not in self._closed:
            if len(self._closed) >= MOST_CLOSED:
                del self._closed[next(iter(self._closed))]  # the oldest
            using = self.functions.settling if by_itself else self.functions.all
            self._closed[key] = (
                BackwardFixpoint(self.functions, using, seed, self.possibly).run().areas
            )
        return self._closed[key]

    def before(self, step: Step, areas: Areas) -> Areas:
        """The settled situations from which a step, settled, leads into a set."""
        resting = self.settled_into(areas)
        before = list(self.nothing)
        for function in self.functions.of_step[step.number]:
            before[function.area] = before[function.area] | function.before(
                resting[function.target]
            )
            self.encoding.pause()
        return tuple(before)

    def _way_into(self, areas: Areas, avoiding: Areas | None) -> Closure | None:
        """How plays come into a set without being in another; None: they never do."""
        areas = shared(areas, self.possibly)
        within = self.possibly
        if avoiding is not None:
            areas = without(areas, avoiding)
            within = without(within, avoiding)
        if not holds_any(areas):
            return None  # refuted before, or beyond what values can be
        # whoever comes into it was outside of it before
        outside = without(within, areas)
        entries = list(self.nothing)
        for function in self.functions.all:
            entering = function.before(areas[function.target]) & outside[function.area]
            entries[function.area] = entries[function.area] | entering
            self.encoding.pause()
        # no move at all: the start itself lies in it
        place = self.system.start[PLACE]
        if (areas[place] & self.start).satisfiable():
            return Closure(areas, areas, ((),) * len(areas), (), True)

        def is_start(area: int, diagram: Diagram) -> bool:
            return area == place and (diagram & self.start).satisfiable()

        every = self.functions.all
        closure = BackwardFixpoint(self.functions, every, tuple(entries), outside, is_start).run()
        if closure.hit:
            return closure
        # the start is not in what leads there: neither is anything else that plays come to.
        # Where a set is avoided that tells of some plays only
        if avoiding is None:
            self._refute(areas)
            self._refute(closure.areas)
        return None

    def _refute(self, areas: Areas) -> None:
        """Leave out what is never reached, where that does not make matters worse."""
        fewer = []
        for possibly, refuted in zip(self.possibly, areas, strict=True):
            smaller = possibly & ~refuted
            fits = smaller.node_count() <= MOST_REFUTED
            fewer.append(smaller if fits else possibly)
        self.possibly = tuple(fewer)

    # plays

    def known_play(self, areas: Areas) -> Trace | None:
        """The shortest of the plays found so far that come into a set; None: none does."""
        inside = [w for w, known in self._known.items() if areas[known.area].eval(known.bits)]
        if not inside:
            return None  # among those that are known; there may be others
        word: int | None = min(inside, key=lambda w: self._known[w].moves)
        steps = list[Step]()
        while word is not None:
            known = self._known[word]
            steps += [] if known.step is None else [known.step]
            word = known.before
        return Trace(tuple(reversed(steps)), shortest=False)

    def play(self, areas: Areas, avoiding: Areas | None = None) -> Trace | None:
        """A play into a set, which is never in another one; None: there is none."""
        if avoiding is None and (known := self.known_play(areas)) is not None:
            return known
        key = (areas, avoiding)
        if key not in self._plays:
            # what is kept is the play: how the sets have grown takes too much room
            closure = self._way_into(areas, avoiding)
            self._plays[key] = None if closure is None else self._along(closure, areas)
        return self._plays[key]

    def _along(self, closure: Closure, areas: Areas) -> Trace:
        """The way from the start into a set that a closure has found."""
        word, steps = self.walking.start(), list[Step]()
        while not self.holds(areas, word):
            assert len(steps) <= len(closure.history), "each step leads to an earlier update"
            step, after = self._next(closure, areas, word)
            steps.append(step)
            self._remember(after, word, step)
            word = after
        return Trace(tuple(steps), shortest=False)

    def _next(self, closure: Closure, areas: Areas, word: int) -> tuple[Step, int]:
        """The step that leads nearer to the seed of a closure, or from there into the set."""
        area, bits = self._placed(word)
        updates = closure.updates[area]
        if not closure.seed[area].eval(bits):
            # sets only grow: the first update by which the situation was added leads nearer
            first = bisect_left(
                updates, True, key=lambda n: bool(closure.history[n].grown.eval(bits))
            )
            step = closure.history[updates[first]].function.step
            assert step is not None, "nothing happens by itself at rest"
            after = self.walking.after(word, step)
            assert after is not None, "a function leads only from where its step is possible"
            return step, after
        for step in self._steps_from(area, bits):
            after = self.walking.after(word, step)
            if after is not None and self.holds(areas, after):
                return step, after
        raise AssertionError("the seed of a closure leads into the set")

    def _steps_from(self, area: int, bits: Assignment) -> Iterator[Step]:
        for function in self.functions.all:
            if function.area == area and function.step and function.guard.eval(bits):
                yield function.step

    def holds(self, areas: Areas, word: int) -> bool:
        """Whether a packed situation is in a set."""
        area, bits = self._placed(word)
        return bool(areas[area].eval(bits))

    def _placed(self, word: int) -> tuple[int, Assignment]:
        values = self.walking.packing.unpack([word])
        return values[PLACE], self.encoding.assignment(values)

    def _remember(self, word: int, before: int | None, step: Step | None) -> None:
        if word in self._known or len(self._known) >= MOST_KNOWN:
            return
        moves = 0
        if before is not None:
            if before not in self._known:
                return
            moves = self._known[before].moves + 1
        self._known[word] = KnownSituation(*self._placed(word), before, step, moves)

    # what never rests

    def _refuse_if_endless(self) -> None:
        """Raise `EndlessSettling` if a play comes to where something goes on happening for ever."""
        functions = self.functions
        resting = self.settled_into(tuple(functions.quiet))
        endless = without(self.possibly, resting)
        closure = self._way_into(endless, None)
        if closure is None:
            return
        log.info("something never rests, as sets closed backwards tell")
        word, steps = self.walking.word(self.system.start), list[Step]()
        while isinstance(rested := self.walking.settling.settled(word), int):
            area, bits = self._placed(rested)
            if closure.seed[area].eval(bits):
                step, word = self._unrest(area, bits, rested)
            else:
                step, word = self._next(closure, endless, rested)
            steps.append(step)
        raise EndlessSettling(Trace(tuple(steps), shortest=False), rested)

    def _unrest(self, area: int, bits: Assignment, word: int) -> tuple[Step, int]:
        """A step after which something goes on for ever, and where it leads before that."""
        for step in self._steps_from(area, bits):
            moved = self.walking.moved(word, step)
            if moved is not None and not isinstance(self.walking.settling.settled(moved), int):
                return step, moved
        raise AssertionError("the seed of the closure leads to what never rests")
