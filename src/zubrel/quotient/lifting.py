"""Plays of a reduced system, spelled out: with the walks and openings that reductions left out."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property, partial

from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.compiled.ways import destination_of
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.reduced.result import Reduced

MOST = 100_000
"""Situations that are looked at for one walk."""
MOST_KEPT = 100_000
"""Walks, and ways to steps, that are remembered before all of them are forgotten."""


class Speller:
    """Makes plays of the whole world from those of a system reduced from it."""

    def __init__(self, system: System, reduced: Reduced) -> None:
        self.reduced = reduced
        self.walking = Walking(system)
        self.silent: dict[int | None, list[Step]] = {}
        # most plays of a world begin alike, and what is tried for one of their steps goes over the
        # same ground again and again
        self._ways: dict[tuple[int, int], list[Step] | None] = {}
        self._walks: dict[int, tuple[tuple[int, Step], ...]] = {}
        for step in reduced.silent:
            # looked up by where the player stands, or (None) wherever
            for area in self.walking.areas_of(step):
                self.silent.setdefault(area, []).append(step)

    def spelled_out(self, trace: Trace) -> Trace:
        """The play of the whole. Raises ValueError if there is none."""
        word, steps = self.walking.start(), list[Step]()
        for place, step in enumerate(trace.steps, 1):
            # where the step is not possible as it is, something that was left out has to be done
            # first
            way = self._way(word, step)
            if way is None and step.number in self.reduced.postponed:
                continue  # there is no room yet; it is taken when it is needed
            if way is None:
                raise ValueError(f"{step.rule.id} is not possible in the whole world")
            for taken in way:
                after = self.walking.after(word, taken)
                assert after is not None, "it was tried before"
                # what changes nothing is no move, but the last one is what the play is for
                if after != word or (place == len(trace.steps) and taken is step):
                    steps.append(taken)
                word = after
        return Trace(tuple(steps), trace.shortest and len(steps) == len(trace.steps))

    def moves_into(self, trace: Trace, area: int) -> int | None:
        """How many moves the play takes, and from its end the walk into an area; None: no walk."""
        spelled = self.spelled_out(trace)
        # the play is walked in the whole world, where the area has walks of its own
        word = self._along(self.walking.start(), spelled.steps)
        for here, walk in self._around(word):
            if here & self.walking.place == area:
                return len(spelled.steps) + len(walk())
        return None

    def _way(self, word: int, step: Step) -> list[Step] | None:
        """As `_way_found`, which is asked once of each situation and step."""
        key = word, step.number
        if key not in self._ways:
            if len(self._ways) >= MOST_KEPT:
                self._ways.clear()
            self._ways[key] = self._way_found(word, step)
        return self._ways[key]

    def _way_found(self, word: int, step: Step) -> list[Step] | None:
        """Walks and openings that make a step possible, and the step itself; None: there are none.

        Openings are made as they come, and those that turn out not to be needed are left out again.
        """
        way = self._walk(word, [step])
        if way is not None:
            return way
        # what the step asks for; and, where the last move led to a place that another stands for,
        # what opens the way from here to there
        made = self._opened(word, step, self._openings(step))
        if made is None:
            # rare, and dear: everything that was ever left out is tried
            made = self._opened(word, step, self._every_opening)
        if made is None:
            return None
        return self._through(word, [*self._needed(word, made, step), step])

    def _needed(self, word: int, made: list[Step], step: Step) -> list[Step]:
        """Openings before a step without those that it is possible without."""
        # halves first: mostly either nearly all or nearly nothing is needed
        size = max(1, len(made) // 2)
        while size:
            place = len(made) - size
            while place >= 0:
                # from the last to the first: an opening may be there for the sake of a later one
                fewer = made[:place] + made[place + size :]
                if self._through(word, [*fewer, step]) is not None:
                    made = fewer
                place = min(place - 1, len(made) - size)
            size //= 2
        return made

    def _opened(self, word: int, step: Step, openings: Iterable[Step]) -> list[Step] | None:
        """Openings after which a step is possible, as they come; None: there are none."""
        wanted, made = list(openings), list[Step]()
        while wanted:
            opened = self._walk(word, wanted, changing=True)
            if opened is None:
                return None
            made.append(opened[-1])
            # what is used up may have to be fetched several times
            if opened[-1].number not in self.reduced.repeated:
                wanted.remove(opened[-1])
            word = self._along(word, opened)
            # as soon as it is possible, so that no more is opened than must be
            if self._walk(word, [step]) is not None:
                return made
        return None

    @cached_property
    def _every_opening(self) -> list[Step]:
        openings = {o.number: o for woven in self.reduced.woven.values() for o in woven}
        return list(openings.values())

    def _openings(self, step: Step) -> Iterator[Step]:
        """All that may have to be opened before a step, and before that, each once."""
        seen, waiting = {step.number}, deque([step])
        while waiting:
            for opening in self.reduced.woven.get(waiting.popleft().number, ()):
                if opening.number not in seen:
                    seen.add(opening.number)
                    waiting.append(opening)
                    yield opening

    def _through(self, word: int, steps: Iterable[Step]) -> list[Step] | None:
        """Steps in their order with the walks in between; None where that is not possible."""
        way: list[Step] = []
        for step in steps:
            # the reduction promises that the player can walk to where the step is possible
            walk = self._walk(word, [step])
            if walk is None:
                return None
            way += walk
            word = self._along(word, walk)
        return way

    def _along(self, word: int, steps: Iterable[Step]) -> int:
        for step in steps:
            after = self.walking.after(word, step)
            assert after is not None, "it was found by walking"
            word = after
        return word

    def _walk(self, word: int, steps: Sequence[Step], changing: bool = False) -> list[Step] | None:
        """The shortest walk to where one of some steps can be taken, with it; None: there is none.

        `changing`: where it makes a difference.
        """
        for here, walk in self._around(word):
            for step in steps:
                after = self.walking.after(here, step)
                # an outcome that changes nothing is no way on for whoever waits for a change
                if after is not None and (after != here or not changing):
                    return [*walk(), step]
        return None

    def _around(self, word: int) -> Iterator[tuple[int, Callable[[], list[Step]]]]:
        """Where walking leads to, the nearest first, and the walk there."""
        # breadth first, so that walks are as short as walks alone can make them
        came: dict[int, tuple[int, Step] | None] = {word: None}

        def walk(word: int) -> list[Step]:
            detour: list[Step] = []
            while (before := came[word]) is not None:
                word, step = before
                detour.append(step)
            return detour[::-1]

        waiting = deque([word])
        # a bound, since ways with levers may lead to more situations than anybody wants to wait for
        while waiting and len(came) < MOST:
            here = waiting.popleft()
            yield here, partial(walk, here)
            for after, step in self._walks_from(here):
                if after not in came:
                    came[after] = (here, step)
                    waiting.append(after)

    def _walks_from(self, word: int) -> tuple[tuple[int, Step], ...]:
        """Where one walk leads to, and by which step."""
        if word not in self._walks:
            # all at once: old ones are as likely to come again as new ones
            if len(self._walks) >= MOST_KEPT:
                self._walks.clear()
            place = word & self.walking.place
            # steps that the reduction has left out, by area: those of None can be made anywhere
            silent = (*self.silent.get(place, ()), *self.silent.get(None, ()))
            each = ((self.walking.after(word, step), step) for step in silent)
            # a walk on which something happens is a move of the play, and not made by the way
            self._walks[word] = tuple(
                (after, step)
                for after, step in each
                if after is not None and not self._does_more(step, word, after)
            )
        return self._walks[word]

    def _does_more(self, step: Step, before: int, after: int) -> bool:
        """Whether something else than the place has changed on a walk."""
        return destination_of(step) is not None and bool((before ^ after) & ~self.walking.place)
