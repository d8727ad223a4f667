"""A reduced system, searched, behind the questions that are asked about the whole world.

A lens answers what it was made for: the endings, and the formulas that were asked for when the
system was reduced. Anything else raises `NotAsked`, so that nothing is answered by guessing.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import FALSE, Either, Formula, Within, both, either, variables_of
from zubrel.compiled.system import PLACE, Move, Step, System
from zubrel.explored.space import NotAsked, Trace
from zubrel.explored.symbolic import DiagramSet, SymbolicSpace
from zubrel.explored.symbolic_search import explore_symbolic
from zubrel.explored.symbolic_walks import SymbolicWalks
from zubrel.explored.walking import Walking
from zubrel.reduced.cone import Reduced
from zubrel.reduced.reduce import EVERY, reduce
from zubrel.reduced.rising import marks_of, parts_of


def look(
    system: System, asked: Sequence[Formula], budget: Budget, progress: Progress,
    using: Iterable[str] = EVERY,
) -> Lens:  # fmt: skip
    """The world through a lens for `asked`. Raises `EndlessSettling` as a search does.

    What happens by itself is kept whole, because a world that never rests must be found out.
    """
    settled = sorted({c.variable for s in system.settlers for c in s.changes})
    kept = [Within(v, system.variables[v].low, system.variables[v].low) for v in settled]
    reduced = reduce(system, (*asked, *kept), tuple(using))
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
        self._inner_step = {o.number: s for o, s in
                            zip(reduced.originals, reduced.system.steps, strict=True)}  # fmt: skip
        self._idle = {s.number for m in system.moves for s in m.steps
                      if not any(o.changes for o in m.steps)}  # fmt: skip
        self._walking: Walking | None = None

    @property
    def moves(self) -> None:
        return None

    @property
    def acting(self) -> Sequence[Move]:
        return [m for m in self.system.moves if any(s.number in self._inner_step for s in m.steps)]

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
        return self.inner.where(self._told(formula))

    def _told(self, formula: Formula) -> Formula:
        """A formula in terms of what is left. Raises `NotAsked` where that does not decide it."""
        formula = self.reduced.formula(formula)
        areas: frozenset[int] | None = None
        for variable in variables_of(formula):
            whole, left = self.system.variables[variable], self.inner.system.variables[variable]
            if left.size < whole.size:
                raise NotAsked(" ".join(whole.key))
            if variable in self.reduced.forgotten:
                areas = areas or _areas_of(formula, self.system.variables[PLACE].size)
                if not areas <= self.reduced.forgotten[variable]:
                    raise NotAsked(" ".join(whole.key))
        return formula

    def answers(self, formulas: Iterable[Formula], steps: Iterable[Step]) -> bool:
        """Whether these formulas can be asked about, and all that these steps read and change."""
        try:
            for formula in formulas:
                self._told(formula)
            for step in steps:
                if not self._is_idle(step):
                    self._step(step)
        except NotAsked:
            return False
        return True

    def some(self, formula: Formula) -> bool:
        return bool(self.where(formula))

    def seen(self, formula: Formula) -> DiagramSet | None:
        """A set that every play comes into at the very moment when a formula becomes true.

        It holds nothing but situations in which the formula is true, though not all of them: what
        is forgotten was seen before. None where there is no such set: for other formulas than that
        some of several marks are set, and where a mark may be set and forgotten in one move.
        """
        formula = self.reduced.formula(formula)
        parts = formula.parts if isinstance(formula, Either) else (formula,)
        found: DiagramSet | None = None
        for part in parts:
            here = self._seen_mark(part)
            if here is None:
                return None
            found = here if found is None else found | here
        return found

    def _seen_mark(self, formula: Formula) -> DiagramSet | None:
        if not isinstance(formula, Within) or formula.variable not in self._marks:
            return None
        mark, domain = formula.variable, self.system.variables[formula.variable]
        left = self.inner.system.variables[mark]
        if left.size < domain.size or (formula.low, formula.high) != (domain.high, domain.high):
            return None
        areas = self.reduced.forgotten.get(mark)
        if areas is None:
            return self.inner.where(formula)
        if any(c.variable == PLACE for s in self.system.settlers for c in s.changes):
            return None
        for landing in self._landings.get(mark, ()):
            if landing is None or not areas.issuperset(landing):
                return None
        standing = either(Within(PLACE, area, area) for area in sorted(areas))
        return self.inner.where(both((formula, standing)))

    @cached_property
    def _marks(self) -> set[int]:
        return marks_of(self.system)

    @cached_property
    def _landings(self) -> dict[int, list[Collection[int] | None]]:
        """For each variable: where the player stands after the steps that change it (None: any)."""
        moves = {s.number: m for m in self.system.moves for s in m.steps}
        found: dict[int, list[Collection[int] | None]] = {}
        for step in self.reduced.originals:
            ends = {c.number for c in step.changes if c.variable == PLACE}
            for variable in {c.variable for c in step.changes}:
                found.setdefault(variable, []).append(ends or moves[step.number].areas)
        return found

    def reaching(self, targets: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reaching(targets)

    def reached_from(self, sources: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reached_from(sources)

    def reached_without(self, avoided: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self.inner.reached_without(avoided)

    def _step(self, step: Step) -> Step:
        if step.number not in self._inner_step:
            raise NotAsked(step.rule.id)
        return self._inner_step[step.number]

    def possible(self, step: Step) -> DiagramSet:
        """Where a step can be taken and makes a difference to what was asked."""
        if self._is_idle(step):
            return self.where(FALSE)
        return self.inner.possible(self._step(step))

    def _is_idle(self, step: Step) -> bool:
        """Whether no outcome of a rule changes anything in the whole world: it is never made."""
        return step.number in self._idle

    def before(self, step: Step, into: DiagramSet) -> DiagramSet:
        if self._is_idle(step):
            return self.where(FALSE)
        return self.inner.before(self._step(step), into)

    def after(self, step: Step, sources: DiagramSet) -> DiagramSet:
        return self.inner.after(self._step(step), sources)

    def steps_between(self, sources: DiagramSet, targets: DiagramSet) -> list[Step]:
        found = self.inner.steps_between(sources, targets)
        return [self.reduced.originals[step.number] for step in found]

    def shifted(self, step: Step, variable: int, up: bool) -> DiagramSet:
        domain, found = self.system.variables[variable], self.where(FALSE)
        for value in range(domain.low, domain.high + 1):
            low, high = (value + 1, domain.high) if up else (domain.low, value - 1)
            if low <= high:
                there = self.before(step, self.where(Within(variable, low, high)))
                found |= there & self.where(Within(variable, value, value))
        return found

    def happening(self, step: Step, events: Mapping[int, Formula]) -> DiagramSet:
        changing = [n for n, settler in enumerate(self.system.settlers) if settler.changes]
        if len(self.inner.system.settlers) != len(changing):
            raise NotAsked(step.rule.id)
        if self._is_idle(step):
            return self.where(FALSE)
        told = {n: self._told(events[number]) for n, number in enumerate(changing)
                if number in events}  # fmt: skip
        return self.inner.happening(self._step(step), told)

    def reaching_by_choice(self, target: DiagramSet, within: DiagramSet) -> DiagramSet:
        return self.inner.reaching_by_choice(target, within)

    def walks(
        self, avoiding: DiagramSet | None = None, reached: DiagramSet | None = None
    ) -> LensWalks:
        return LensWalks(self, self.inner.walks(avoiding, reached))

    def _inner_trace(self, trace: Trace) -> Trace:
        known = (self._inner_step.get(step.number) for step in trace.steps)
        return Trace(tuple(step for step in known if step is not None))

    def at_end_of(self, trace: Trace) -> DiagramSet:
        return self.inner.at_end_of(self._inner_trace(trace))

    def meets(self, trace: Trace, some: DiagramSet) -> bool:
        return self.inner.meets(self._inner_trace(trace), some)

    def distances_to(self, target: DiagramSet) -> Callable[[DiagramSet], int | None]:
        raise NotAsked("distances")

    def of(self, situation: Mapping[Key, Value]) -> DiagramSet:
        raise NotAsked("single situations")

    def examples(self, situations: DiagramSet, most: int) -> list[dict[Key, Value]]:
        raise NotAsked("single situations")

    def spelled_out(self, trace: Trace) -> Trace:
        """A play of the whole world: openings are made right before they are needed."""
        if not self.reduced.woven:
            return trace
        if self._walking is None:
            self._walking = Walking(self.system)
        word, steps = self._walking.start(), list[Step]()
        for step in trace.steps:
            after = self._taken(step, word, steps)
            if after is None:
                raise ValueError(f"{step.rule.id} is not possible in the whole world")
            word = after
        return Trace(tuple(steps), trace.shortest and len(steps) == len(trace.steps))

    def _taken(self, step: Step, word: int, steps: list[Step]) -> int | None:
        """Where a step leads after the openings that it needs; all are added to `steps`."""
        assert self._walking is not None
        after = self._walking.after(word, step)
        for opening in self.reduced.woven.get(step.number, ()) if after is None else ():
            opened = self._taken(opening, word, steps)
            if opened is not None:
                word = opened
        after = self._walking.after(word, step) if after is None else after
        if after is not None and after != word:
            steps.append(step)
        return after


def _areas_of(formula: Formula, count: int) -> frozenset[int]:
    """The areas, of so many, in which a formula can hold: as far as its conjuncts say."""
    areas = frozenset(range(count))
    for part in parts_of(formula):
        tests = part.parts if isinstance(part, Either) else (part,)
        if all(isinstance(t, Within) and t.variable == PLACE for t in tests):
            areas &= {a for t in tests if isinstance(t, Within) for a in range(t.low, t.high + 1)}
    return areas


class LensWalks:
    """Plays of a reduced system, with the steps of the whole."""

    def __init__(self, lens: Lens, inner: SymbolicWalks) -> None:
        self.lens = lens
        self.inner = inner

    @property
    def reached(self) -> DiagramSet:
        return self.inner.reached

    def shortest(self, target: DiagramSet, surely: bool = False) -> Trace | None:
        if surely and self.lens.reduced.woven:
            raise NotAsked("distances")
        trace = self.inner.shortest(target, surely)
        if trace is None:
            return None
        reduced = self.lens.reduced
        steps = tuple(reduced.originals[step.number] for step in trace.steps)
        return Trace(steps, trace.shortest and not reduced.woven)

    def moves_to(self, target: DiagramSet) -> int | None:
        if self.lens.reduced.woven:
            raise NotAsked("distances")
        return self.inner.moves_to(target)

    def by_moves(self, sets: Sequence[Any]) -> None:
        return None
