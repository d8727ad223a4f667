"""A reduced system, searched, behind the questions that are asked about the whole world.

A lens answers what it was made for: the endings, and the formulas that were asked for when the
system was reduced. Anything else raises `NotAsked`, so that nothing is answered by guessing.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import cached_property
from typing import Any, Generic, Protocol

from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import (
    FALSE,
    Formula,
    Within,
    both,
    either,
)
from zubrel.compiled.parts import ENDING, PLACE, Move, Step
from zubrel.compiled.system import System
from zubrel.explored.by_sets import shifted
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Distance, NotAsked, S, Space, Trace, Walks
from zubrel.quotient.lifting import Speller
from zubrel.quotient.translating import Translation
from zubrel.reduced.result import Reduced

log = logging.getLogger(__name__)


class Inner(Space[S], Protocol[S]):
    """What a lens looks through."""

    @property
    def walking(self) -> Walking: ...


class Lens(Generic[S]):
    """`Space` over classes of situations that a question cannot tell apart."""

    engine = "symbolic"
    merged = True

    def __init__(self, system: System, reduced: Reduced, inner: Inner[S]) -> None:
        self.system = system
        self.reduced = reduced
        self.inner = inner
        self.at_once = inner.at_once
        # a search that was cut short is so through any lens
        self.stopped = inner.stopped
        self.translation = Translation(system, reduced)
        self._inner_steps: dict[int, list[Step]] = {}
        for original, step in zip(reduced.originals, reduced.system.steps, strict=True):
            self._inner_steps.setdefault(original.number, []).append(step)
        # found once: what is idle in the whole world is no move of any lens
        self._idle = {
            s.number for m in system.moves for s in m.steps if not any(o.changes for o in m.steps)
        }

    @property
    def moves(self) -> None:
        return None

    @property
    def acting(self) -> Sequence[Move]:
        return [m for m in self.system.moves if any(s.number in self._inner_steps for s in m.steps)]

    def count(self, situations: S) -> int:
        """How many classes a set has."""
        return self.inner.count(situations)

    @property
    def everything(self) -> S:
        return self.inner.everything

    def give_up(self, limit: str) -> None:
        self.stopped = limit
        self.inner.give_up(limit)

    @property
    def unexplored(self) -> S:
        return self.inner.unexplored

    def where(self, formula: Formula) -> S:
        return self.inner.where(self.translation.translated(formula))

    def answers(self, formulas: Iterable[Formula], steps: Iterable[Step]) -> bool:
        """Whether these formulas can be asked about, and all that these steps read and change."""
        # by trying: what is kept was decided by many reductions, and only the translation knows all
        try:
            for formula in formulas:
                self.translation.translated(formula)
            for step in steps:
                # a step that never makes a difference is left out, and nothing of it can be asked
                if not self._is_idle(step):
                    self._steps(step)
        except NotAsked:
            return False
        return True

    def holds_somewhere(self, formula: Formula) -> bool:
        return self.allows(self.everything, formula)

    def allows(self, future: S, formula: Formula) -> bool:
        return bool(self._here_or_near(formula, future))

    def arriving(self, area: int) -> tuple[S, Distance | None]:
        """Where the player is in an area, or can walk there at will; after how many moves.

        The moves are those of a play, though not of the shortest (None: there is none).
        """
        # areas may have been joined: whoever stands near can walk in without a move of this lens
        here = self._here_or_near(Within(PLACE, area, area), self.everything)
        trace = self.walks().shortest(here)
        if trace is None:
            return here, None
        # walks that were left out count as moves of the play: the lens has fewer than the player
        # makes
        moves = self._speller.moves_into(trace, area)
        return here, None if moves is None else Distance(moves, False)

    def _here_or_near(self, formula: Formula, future: S) -> S:
        """Where a formula holds, or from where a player may walk to where it does.

        Only what belongs to a `future` that nothing leads out of. It is empty only if there is no
        such place. Raises `NotAsked`. Nobody walks any more when the game has ended.
        """
        # where the formula can be asked exactly, walking near would only blur it
        with suppress(NotAsked):
            return future & self.where(formula)
        near = self.translation.near(formula)
        # walking near is possible as long as the game goes on
        here = future & self.inner.where(both((Within(ENDING, 0, 0), near)))
        if not here and future & self.inner.where(near):
            raise NotAsked("what an ended game was like")
        return here

    def meetings(self, ones: Sequence[S], others: Sequence[S]) -> list[list[bool]]:
        return self.inner.meetings(ones, others)

    def reaching(self, targets: Sequence[S]) -> list[S]:
        return self.inner.reaching(targets)

    def reached_from(self, sources: Sequence[S]) -> list[S]:
        return self.inner.reached_from(sources)

    def reached_without(self, avoided: Sequence[S]) -> list[S]:
        return self.inner.reached_without(avoided)

    def _steps(self, step: Step) -> list[Step]:
        """What a step is in the smaller system: it may be seen from several areas."""
        # what is never possible anywhere is nothing, which is an answer
        if step.number in self.reduced.never:
            return []
        if step.number not in self._inner_steps:
            raise NotAsked(step.rule.id)
        return self._inner_steps[step.number]

    def possible(self, step: Step) -> S:
        """Where a step can be taken and makes a difference to what was asked."""
        return self._union(step, self.inner.possible)

    def _union(self, step: Step, of: Callable[[Step], S]) -> S:
        """What holds of a step, seen from wherever; nothing if it is never made."""
        # the empty set of whatever kind of sets the inner space has
        union = self.where(FALSE)
        for inner in () if self._is_idle(step) else self._steps(step):
            union |= of(inner)
        return union

    def _is_idle(self, step: Step) -> bool:
        """Whether no outcome of a rule changes anything in the whole world: it is never made."""
        return step.number in self._idle

    def before(self, step: Step, into: S) -> S:
        return self._union(step, lambda inner: self.inner.before(inner, into))

    def after(self, step: Step, sources: S) -> S:
        return self._union(step, lambda inner: self.inner.after(inner, sources))

    def steps_between(self, sources: S, targets: S) -> Iterator[Step]:
        seen: set[int] = set()
        for step in self.inner.steps_between(sources, targets):
            original = self.reduced.originals[step.number]
            # seen from several areas it is still one step
            if original.number not in seen:
                seen.add(original.number)
                yield original

    def shifted(self, step: Step, variable: int, up: bool) -> S:
        domain = self.system.variables[variable]
        # places have no order: raising and lowering them is asked area by area below
        if variable != PLACE:
            return shifted(self, step, variable, up, range(domain.low, domain.high + 1))
        # a step that was asked about stays among areas told apart; areas that were left out are
        # nowhere on this map
        areas = sorted(self.translation.told_apart)

        def among(low: int, high: int) -> Formula:
            return either(Within(PLACE, a, a) for a in areas if low <= a <= high)

        return shifted(self, step, PLACE, up, areas, among)

    def happening(self, step: Step, events: Mapping[int, Formula]) -> S:
        # by the number in the whole world, the place among those that are left
        left = {number: place for place, number in enumerate(self.reduced.settlers)}
        ever = {n: event for n, event in events.items() if n not in self.reduced.never_by_itself}
        # nobody knows when what was left out happens
        if not ever.keys() <= left.keys():
            raise NotAsked(step.rule.id)
        mentioned = {left[n]: self.translation.translated(event) for n, event in ever.items()}
        return self._union(step, lambda inner: self.inner.happening(inner, mentioned))

    def seek(self, sets: Iterable[S], within: S) -> None:
        self.inner.seek(sets, within)

    @property
    def leaves_open(self) -> bool:
        return self.inner.leaves_open

    def is_come_into(self, situations: S) -> bool | None:
        return self.inner.is_come_into(situations)

    def reaching_by_choice(self, target: S, within: S) -> S:
        return self.inner.reaching_by_choice(target, within)

    def walks(self, avoiding: S | None = None, reached: S | None = None) -> LensWalks[S]:
        return LensWalks(self, self.inner.walks(avoiding, reached))

    def _inner_trace(self, trace: Trace) -> Trace:
        """A play of the smaller system: steps that it does not know make no difference to it."""
        walking = self.inner.walking
        word, steps = walking.start(), list[Step]()
        for step in trace.steps:
            # one step of the whole may be seen from several areas; one of them is possible
            for inner in self._inner_steps.get(step.number, ()):
                after = walking.after(word, inner)
                if after is not None:
                    steps.append(inner)
                    word = after
                    break
        return Trace(tuple(steps))

    def at_end_of(self, trace: Trace) -> S:
        return self.inner.at_end_of(self._inner_trace(trace))

    def meets(self, trace: Trace, situations: S) -> bool:
        return self.inner.meets(self._inner_trace(trace), situations)

    def distances_to(self, target: S) -> Callable[[S], int | None]:
        raise NotAsked("distances")

    def of(self, situation: Mapping[Key, Value]) -> S:
        raise NotAsked("single situations")

    def examples(self, situations: S, most: int) -> list[dict[Key, Value]]:
        raise NotAsked("single situations")

    def spelled_out(self, trace: Trace) -> Trace:
        """A play of the whole world: openings are made right before they are needed."""
        return self._speller.spelled_out(trace) if self.reduced.shortens else trace

    @cached_property
    def _speller(self) -> Speller:
        return Speller(self.system, self.reduced)


class LensWalks(Generic[S]):
    """Plays of a reduced system, with the steps of the whole."""

    def __init__(self, lens: Lens[S], inner: Walks[S]) -> None:
        self.lens = lens
        self.inner = inner

    @property
    def reached(self) -> S:
        return self.inner.reached

    def shortest(self, target: S, surely: bool = False) -> Trace | None:
        # moves that were left out count in the whole, so that nobody knows which play has fewest
        if surely and self.lens.reduced.shortens:
            raise NotAsked("distances")
        trace = self.inner.shortest(target, surely)
        if trace is None:
            return None
        reduced = self.lens.reduced
        steps = tuple(reduced.originals[step.number] for step in trace.steps)
        # where reductions leave steps out, fewest steps here may be more there
        return Trace(steps, trace.shortest and not reduced.shortens)

    def moves_to(self, target: S) -> Distance | None:
        if self.lens.reduced.shortens:
            raise NotAsked("distances")
        return self.inner.moves_to(target)

    def by_moves(self, sets: Sequence[Any]) -> None:
        return None
