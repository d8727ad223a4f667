"""A reduced system, searched, behind the questions that are asked about the whole world.

A lens answers what it was made for: the endings, and the formulas that were asked for when the
system was reduced. Anything else raises `NotAsked`, so that nothing is answered by guessing.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from functools import cached_property
from typing import Any

from zubrel.base.budget import Budget
from zubrel.base.progress import Progress
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
from zubrel.explored.space import Distance, NotAsked, Trace
from zubrel.explored.symbolic.diagram_set import DiagramSet
from zubrel.explored.symbolic.search import explore_symbolic
from zubrel.explored.symbolic.sets import SymbolicSpace
from zubrel.explored.symbolic.walks import SymbolicWalks
from zubrel.quotient.lifting import Speller
from zubrel.quotient.translating import Translation
from zubrel.reduced.reduce import EVERY, reduce
from zubrel.reduced.result import Reduced

log = logging.getLogger(__name__)


def lens_for(
    system: System,
    asked: Sequence[Formula],
    budget: Budget,
    progress: Progress,
    using: Iterable[str] = EVERY,
) -> Lens:
    """The world through a lens for `asked`. Raises `EndlessSettling` as a search does.

    What happens by itself is kept whole, because a world that never rests must be found out.
    """
    settled = sorted(system.settled)
    kept = [Within(v, system.variables[v].low, system.variables[v].low) for v in settled]
    reduced = reduce(system, (*asked, *kept), tuple(using), budget)
    left, _ = reduced.size
    log.info("a lens for %d formulas: %d variables left", len(asked), left)
    return Lens(system, reduced, explore_symbolic(reduced.system, budget, progress))


class Lens:
    """`Space` over classes of situations that a question cannot tell apart."""

    engine = "symbolic"
    merged = True

    def __init__(self, system: System, reduced: Reduced, inner: SymbolicSpace) -> None:
        self.system = system
        self.reduced = reduced
        self.inner = inner
        self.stopped = inner.stopped
        self.translation = Translation(system, reduced)
        self._inner_steps: dict[int, list[Step]] = {}
        for original, step in zip(reduced.originals, reduced.system.steps, strict=True):
            self._inner_steps.setdefault(original.number, []).append(step)
        self._idle = {
            s.number for m in system.moves for s in m.steps if not any(o.changes for o in m.steps)
        }

    @property
    def moves(self) -> None:
        return None

    @property
    def acting(self) -> Sequence[Move]:
        return [m for m in self.system.moves if any(s.number in self._inner_steps for s in m.steps)]

    def count(self, situations: DiagramSet) -> int:
        """How many classes a set has."""
        return self.inner.count(situations)

    @property
    def everything(self) -> DiagramSet:
        return self.inner.everything

    def give_up(self, limit: str) -> None:
        self.stopped = limit
        self.inner.give_up(limit)

    @property
    def unexplored(self) -> DiagramSet:
        return self.inner.unexplored

    def where(self, formula: Formula) -> DiagramSet:
        return self.inner.where(self.translation.translated(formula))

    def answers(self, formulas: Iterable[Formula], steps: Iterable[Step]) -> bool:
        """Whether these formulas can be asked about, and all that these steps read and change."""
        try:
            for formula in formulas:
                self.translation.translated(formula)
            for step in steps:
                if not self._is_idle(step):
                    self._steps(step)
        except NotAsked:
            return False
        return True

    def holds_somewhere(self, formula: Formula) -> bool:
        return self.allows(self.everything, formula)

    def allows(self, future: DiagramSet, formula: Formula) -> bool:
        return bool(self._here_or_near(formula, future))

    def arriving(self, area: int) -> tuple[DiagramSet, Distance | None]:
        """Where the player is in an area, or can walk there at will; after how many moves.

        The moves are those of a play, though not of the shortest (None: there is none).
        """
        here = self._here_or_near(Within(PLACE, area, area), self.everything)
        trace = self.walks().shortest(here)
        if trace is None:
            return here, None
        moves = self._speller.moves_into(trace, area)
        return here, None if moves is None else Distance(moves, False)

    def _here_or_near(self, formula: Formula, future: DiagramSet) -> DiagramSet:
        """Where a formula holds, or from where a player may walk to where it does.

        Only what belongs to a `future` that nothing leads out of. It is empty only if there is no
        such place. Raises `NotAsked`. Nobody walks any more when the game has ended.
        """
        with suppress(NotAsked):
            return future & self.where(formula)
        near = self.translation.near(formula)
        here = future & self.inner.where(both((Within(ENDING, 0, 0), near)))
        if not here and future & self.inner.where(near):
            raise NotAsked("what an ended game was like")
        return here

    def reaching(self, targets: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reaching(targets)

    def reached_from(self, sources: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reached_from(sources)

    def reached_without(self, avoided: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reached_without(avoided)

    def _steps(self, step: Step) -> list[Step]:
        """What a step is in the smaller system: it may be seen from several areas."""
        if step.number not in self._inner_steps:
            raise NotAsked(step.rule.id)
        return self._inner_steps[step.number]

    def possible(self, step: Step) -> DiagramSet:
        """Where a step can be taken and makes a difference to what was asked."""
        return self._union(step, self.inner.possible)

    def _union(self, step: Step, of: Callable[[Step], DiagramSet]) -> DiagramSet:
        """What holds of a step, seen from wherever; nothing if it is never made."""
        union = self.where(FALSE)
        for inner in () if self._is_idle(step) else self._steps(step):
            union |= of(inner)
        return union

    def _is_idle(self, step: Step) -> bool:
        """Whether no outcome of a rule changes anything in the whole world: it is never made."""
        return step.number in self._idle

    def before(self, step: Step, into: DiagramSet) -> DiagramSet:
        return self._union(step, lambda inner: self.inner.before(inner, into))

    def after(self, step: Step, sources: DiagramSet) -> DiagramSet:
        return self._union(step, lambda inner: self.inner.after(inner, sources))

    def steps_between(self, sources: DiagramSet, targets: DiagramSet) -> list[Step]:
        steps = self.inner.steps_between(sources, targets)
        originals = (self.reduced.originals[step.number] for step in steps)
        return list({step.number: step for step in originals}.values())

    def shifted(self, step: Step, variable: int, up: bool) -> DiagramSet:
        domain, sources = self.system.variables[variable], self.where(FALSE)
        for value in range(domain.low, domain.high + 1):
            low, high = (value + 1, domain.high) if up else (domain.low, value - 1)
            beyond: Formula = Within(variable, low, high)
            if variable == PLACE:  # a step that was asked about stays among areas told apart
                # areas that were left out are nowhere on this map
                if value not in self.translation.told_apart:
                    continue
                there = sorted(a for a in self.translation.told_apart if low <= a <= high)
                beyond = either(Within(PLACE, a, a) for a in there)
            if low <= high:
                moved = self.before(step, self.where(beyond))
                sources |= moved & self.where(Within(variable, value, value))
        return sources

    def happening(self, step: Step, events: Mapping[int, Formula]) -> DiagramSet:
        changing = [n for n, settler in enumerate(self.system.settlers) if settler.changes]
        # some of them were left out, so that places in the list do not correspond
        if len(self.inner.system.settlers) != len(changing):
            raise NotAsked(step.rule.id)
        mentioned = {
            n: self.translation.translated(events[number])
            for n, number in enumerate(changing)
            if number in events
        }
        return self._union(step, lambda inner: self.inner.happening(inner, mentioned))

    def reaching_by_choice(self, target: DiagramSet, within: DiagramSet) -> DiagramSet:
        return self.inner.reaching_by_choice(target, within)

    def walks(
        self, avoiding: DiagramSet | None = None, reached: DiagramSet | None = None
    ) -> LensWalks:
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

    def at_end_of(self, trace: Trace) -> DiagramSet:
        return self.inner.at_end_of(self._inner_trace(trace))

    def meets(self, trace: Trace, situations: DiagramSet) -> bool:
        return self.inner.meets(self._inner_trace(trace), situations)

    def distances_to(self, target: DiagramSet) -> Callable[[DiagramSet], int | None]:
        raise NotAsked("distances")

    def of(self, situation: Mapping[Key, Value]) -> DiagramSet:
        raise NotAsked("single situations")

    def examples(self, situations: DiagramSet, most: int) -> list[dict[Key, Value]]:
        raise NotAsked("single situations")

    def spelled_out(self, trace: Trace) -> Trace:
        """A play of the whole world: openings are made right before they are needed."""
        return self._speller.spelled_out(trace) if self.reduced.shortens else trace

    @cached_property
    def _speller(self) -> Speller:
        return Speller(self.system, self.reduced)


class LensWalks:
    """Plays of a reduced system, with the steps of the whole."""

    def __init__(self, lens: Lens, inner: SymbolicWalks) -> None:
        self.lens = lens
        self.inner = inner

    @property
    def reached(self) -> DiagramSet:
        return self.inner.reached

    def shortest(self, target: DiagramSet, surely: bool = False) -> Trace | None:
        if surely and self.lens.reduced.shortens:
            raise NotAsked("distances")
        trace = self.inner.shortest(target, surely)
        if trace is None:
            return None
        reduced = self.lens.reduced
        steps = tuple(reduced.originals[step.number] for step in trace.steps)
        return Trace(steps, trace.shortest and not reduced.shortens)

    def moves_to(self, target: DiagramSet) -> Distance | None:
        if self.lens.reduced.shortens:
            raise NotAsked("distances")
        return self.inner.moves_to(target)

    def by_moves(self, sets: Sequence[Any]) -> None:
        return None
