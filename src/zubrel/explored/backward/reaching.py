"""What plays come to, found out by going back from it to the start.

Something of a set is reached exactly if the start lies in what leads into the set. Where the set is
large, and what leads into it from outside is little, only that is closed. Plays that were found
answer again, and what was refuted is left out of all that comes after.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator
from contextlib import suppress
from functools import cached_property

from zubrel.base.budget import Budget, WorkSpent
from zubrel.compiled.parts import PLACE, Step
from zubrel.compiled.system import System
from zubrel.explored.backward.areas import Areas, holds_any, joined, nodes_of, shared, without
from zubrel.explored.backward.closing import BackwardFixpoint, Closure
from zubrel.explored.backward.functions import Function, Functions
from zubrel.explored.backward.invariants import beside_area, had_together
from zubrel.explored.backward.known import KnownPlays
from zubrel.explored.backward.projecting import Projecting
from zubrel.explored.backward.weighing import Weighing
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import EndlessSettling, Trace
from zubrel.explored.symbolic.encoding import Assignment, Diagram
from zubrel.policy import PROJECTING, SINGLE_STEP

log = logging.getLogger(__name__)

MOST_CLOSED = 64
"""Closed sets that are kept."""
MOST_REFUTED = 1_000
"""Nodes of what may be reached in an area, beyond which what was refuted is forgotten again. (With
20,000 bazaar XL 2 took 64 s and not 43, since most is refuted by few variables.)"""


class Reaching:
    """Fixpoints backwards over the functions of a system, and the plays that they show."""

    def __init__(self, system: System, budget: Budget) -> None:
        """Raises `EndlessSettling` where a play comes to what never rests."""
        self.system = system
        self.functions = Functions(system, budget)
        self.encoding = self.functions.encoding
        self.walking = Walking(system)
        # an overapproximation of what is reached, known without a search: no closure leaves it
        self.possibly = self._possibly()
        """By area: the situations at rest but for those that are known never to be reached."""
        self.may_be = self.possibly
        """The same, of which nothing was left out later: that may have made it large."""
        self.projecting = Projecting(self.functions, self.walking, budget)
        self._closed: dict[Areas, Areas] = {}
        self._begun: tuple[Areas, BackwardFixpoint] | None = None
        """A set that is being closed: where a share of work ends it goes on with the next one."""
        self._plays: dict[tuple[Areas, Areas | None], Trace | None] = {}
        """What was told of sets and what has to be avoided before them."""
        # settling the start below would not end where it never rests
        self._refuse_endless_start()
        begin = self.walking.packing.unpack([self.walking.start()])
        self.place, self.start = begin[PLACE], self.encoding.situation(begin)
        """Where plays begin, at rest: the area, and the situation."""
        self.weighing = Weighing(system, self.encoding, begin)
        self._sums_tell = False
        # one store of plays for all questions: what one has found may answer the next
        self.known = KnownPlays(system, self.encoding, self.walking)
        if not system.always_rests:
            self._refuse_if_endless()

    def _possibly(self) -> Areas:
        possible, values = self.system.possible_values, self.functions.valid
        for number, variable in enumerate(self.system.variables):
            # only a mask that excludes a value costs a diagram
            mask = possible[number]
            if number != PLACE and mask != (1 << variable.size) - 1:
                among = (variable.low + n for n in range(variable.size) if mask >> n & 1)
                values = values & self.encoding.among(number, among)
        pairs = self.system.pairs
        if pairs is not None:
            values = values & had_together(self.encoding, pairs)
        # between two moves everything is at rest, so that what is not can be left out of every set
        resting = list(self.functions.quiet)
        for area in self.functions.areas:
            if not possible[PLACE] >> area & 1:
                resting[area] = self.encoding.false
            elif pairs is not None:
                resting[area] = resting[area] & beside_area(self.encoding, pairs, area)
        return tuple(diagram & values for diagram in resting)

    @cached_property
    def nothing(self) -> Areas:
        return (self.encoding.false,) * len(self.functions.areas)

    # fixpoints

    @property
    def has_closed(self) -> bool:
        """Whether some set was closed to its end."""
        return bool(self._closed)

    def closed(self, seed: Areas) -> Areas:
        """All from where plays lead into a set."""
        if seed not in self._closed:
            if len(self._closed) >= MOST_CLOSED:
                del self._closed[next(iter(self._closed))]  # the oldest
            if self._begun is None or self._begun[0] != seed:
                fixpoint = BackwardFixpoint(self.functions, seed, self.possibly, told=False)
                self._begun = seed, fixpoint
            self._closed[seed] = self._begun[1].run().areas
            self._begun = None
        return self._closed[seed]

    def before(self, step: Step, areas: Areas) -> Areas:
        """The settled situations from which a step, settled, leads into a set."""
        return self._before(self.functions.of_step[step.number], areas)

    def _before(self, using: Iterable[Function], areas: Areas) -> Areas:
        before = list(self.nothing)
        for function in using:
            # with what follows by itself: from rest to rest
            sources = self.functions.settled_before(function, areas)
            before[function.area] = before[function.area] | sources
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
        at_once = Closure(areas, areas, ((),) * len(areas), (), True)
        # no move at all: the start itself lies in it
        if (areas[self.place] & self.start).satisfiable():
            return at_once
        # whoever comes into it was outside of it before
        outside = without(within, areas)
        if avoiding is None:
            if self._is_refuted(areas):
                return None
            # or a play was found that comes to it
            if self.known.come_into(areas):
                return at_once
            closure = self._entered(areas, outside)
        else:
            entries = shared(self._before(self.functions.steps, areas), outside)
            # whoever has to keep out of something begins at the start
            closure = self._closure(entries, outside, from_start=True)
        if closure.hit:
            return closure
        # the start is not in what leads there: neither is anything else that plays come to.
        # Where a set is avoided that tells of some plays only
        if avoiding is None:
            self._refute(areas)
            self._refute(closure.areas)
        return None

    def _weighed(self, areas: Areas) -> Areas:
        """A set without what sums tell that no play comes to, where that makes it no larger."""
        left = self.weighing.left_of(areas)
        if not holds_any(left):
            self._refute(areas)
            return left
        return left if nodes_of(left) <= nodes_of(areas) else areas

    def is_soon_refuted(self, areas: Areas, work: float) -> bool:
        """Whether sums tell that no play comes into a set, or few variables with so much work."""
        left = self._weighed(areas)
        self._sums_tell = self._sums_tell or not holds_any(left)
        return not holds_any(left) or self._refuted_by_few(left, work)

    def _is_refuted(self, areas: Areas) -> bool:
        """The same of a set that nobody seeks: by sums where they have told something before."""
        if self._sums_tell:
            areas = self._weighed(areas)
        return not holds_any(areas) or self._refuted_by_few(areas)

    def _refuted_by_few(self, areas: Areas, work: float = PROJECTING) -> bool:
        """Whether a few variables tell that no play comes into a set."""
        around = self.projecting.refuted(areas, self.may_be, self.known, work)
        if around is not None:
            self._refute(around)
        return around is not None

    def _entered(self, areas: Areas, outside: Areas) -> Closure:
        """How plays come into a set from outside: by one step or another, where that is soon found;
        else by those of which it is not known that none ever does."""
        entries = [shared(self.before(step, areas), outside) for step in self.system.steps]
        entries = [entry for entry in entries if holds_any(entry)]
        left = self.nothing
        # what is small is soon closed
        for entry in sorted(entries, key=nodes_of):
            # one alone is the whole question
            if len(entries) > 1:
                if self._is_refuted(entry):
                    continue
                with suppress(WorkSpent), self.encoding.budget.within(SINGLE_STEP):
                    closure = self._closure(entry, outside)
                    if closure.hit:
                        return closure
                    # plays may come there by way of the set: this refutes it for this question only
                    continue
            left = joined(left, entry)
        return self._closure(left, outside)

    def _closure(self, entries: Areas, within: Areas, from_start: bool = False) -> Closure:
        """What leads to some situations, up to where a known play, or the start, is come to."""
        place, met = self.place, self.known.met

        # the start may have been left out of `met`: then only a play from the very start will do
        def is_start(area: int, diagram: Diagram) -> bool:
            return area == place and (diagram & self.start).satisfiable()

        def is_met(area: int, diagram: Diagram) -> bool:
            return bool((diagram & met[area]).satisfiable())

        return BackwardFixpoint(
            self.functions, entries, within, is_start if from_start else is_met
        ).run()

    def _refute(self, areas: Areas) -> None:
        """Leave out what is never reached, where that does not make matters worse."""
        fewer = []
        for possibly, refuted in zip(self.possibly, areas, strict=True):
            smaller = possibly & ~refuted
            # a set that is left out is cut from everything that follows: it must not make all of
            # that large
            fits = smaller.node_count() <= MOST_REFUTED
            fewer.append(smaller if fits else possibly)
        self.possibly = tuple(fewer)

    # plays

    def follow(self, closure: Closure, areas: Areas) -> None:
        """Keep the play that goes on into a set from where a known one has come to."""
        play = self._along(closure, areas, None)
        *_, word = self.walking.along(play)
        # whether or not there was room for the situations on its way
        self.known.keep(word, play.steps)

    def play(self, areas: Areas, avoiding: Areas | None = None) -> Trace | None:
        """A play into a set, which is never in another one; None: there is none."""
        if avoiding is None:
            self.known.scout()
            if (play := self.known.play_into(areas)) is not None:
                return play
        key = (areas, avoiding)
        if key not in self._plays:
            # what is kept is the play: how the sets have grown takes too much room
            closure = self._way_into(areas, avoiding)
            # a play that keeps out of something begins at the start: whether others did is not
            # remembered
            begin = self.walking.start() if avoiding is not None else None
            self._plays[key] = None if closure is None else self._along(closure, areas, begin)
        return self._plays[key]

    def _along(self, closure: Closure, areas: Areas, begin: int | None) -> Trace:
        """The way into a set that a closure has found: from a situation, or from where a known play
        has come to."""
        # of the known plays that were met the one with the fewest moves: the whole play stays short
        word = self.known.nearest(closure.areas) if begin is None else begin
        assert word is not None, "the closure ends where it has come to what was met"
        steps = self.known.steps_to(word)
        # a bound that only a mistake of the program could break
        most = len(steps) + len(closure.history)
        while not self.known.holds(areas, word):
            assert len(steps) <= most, "each step leads to an earlier update"
            step, after = self._next(closure, areas, word)
            steps.append(step)
            # the way is known from now on, so that the next closure may end as soon as it comes
            # upon it
            self.known.remember(after, word, step)
            word = after
        return Trace(tuple(steps), shortest=False)

    def _next(self, closure: Closure, areas: Areas, word: int) -> tuple[Step, int]:
        """The step that leads nearer to the seed of a closure, or from there into the set."""
        area, bits = self.known.placed(word)
        # the update that has added a situation names a step out of it to what was added before
        if not closure.seed[area].eval(bits):
            step = closure.history[closure.added_by(area, bits)].function.step
            assert step is not None, "nothing happens by itself at rest"
            after = self.walking.after(word, step)
            assert after is not None, "a function leads only from where its step is possible"
            return step, after
        for step in self._steps_from(area, bits):
            after = self.walking.after(word, step)
            if after is not None and self.known.holds(areas, after):
                return step, after
        raise AssertionError("the seed of a closure leads into the set")

    def _steps_from(self, area: int, bits: Assignment) -> Iterator[Step]:
        for function in self.functions.all:
            if function.area == area and function.step and function.guard.eval(bits):
                yield function.step

    # what never rests

    def _refuse_endless_start(self) -> None:
        """Raise `EndlessSettling` if the start itself never rests."""
        rested = self.walking.settling.settled(self.walking.word(self.system.start))
        if not isinstance(rested, int):
            raise EndlessSettling(Trace(()), rested)

    def _refuse_if_endless(self) -> None:
        """Raise `EndlessSettling` if a play comes to where something goes on happening for ever."""
        functions = self.functions
        resting = tuple(functions.quiet)
        restless = list(self.nothing)
        for function in functions.steps:
            # whatever does not come to rest in something that is at rest never does
            leads = function.guard & ~functions.settled_before(function, resting)
            restless[function.area] = restless[function.area] | leads
        # a search like any other one: an endless settling matters only where a play can set it off
        closure = self._way_into(tuple(restless), None)
        if closure is None:
            return
        log.info("something never rests, as sets closed backwards tell")
        trace = self._along(closure, tuple(restless), None)
        *_, word = self.walking.along(trace)
        # the diagrams only say that some step there never rests; plain integers name it and its
        # cycle
        step, word = self._unrest(*self.known.placed(word), word)
        rested = self.walking.settling.settled(word)
        assert not isinstance(rested, int), "both readings of what happens by itself agree"
        raise EndlessSettling(trace.then(step), rested)

    def _unrest(self, area: int, bits: Assignment, word: int) -> tuple[Step, int]:
        """A step after which something goes on for ever, and where it leads before that."""
        for step in self._steps_from(area, bits):
            # the step alone, since what follows has no end
            moved = self.walking.moved(word, step)
            if moved is not None and not isinstance(self.walking.settling.settled(moved), int):
                return step, moved
        raise AssertionError("the seed of the closure leads to what never rests")
