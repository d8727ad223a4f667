"""The symbolic engine: sets of situations as decision diagrams, never listed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import reduce

from zubrel.base.budget import Budget
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula, Within, variables_of
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.space import EverySituation, Trace
from zubrel.explored.symbolic.diagram_set import DiagramSet
from zubrel.explored.symbolic.encoding import SELECTORS, Diagram
from zubrel.explored.symbolic.fixpoints import SymbolicFixpoints
from zubrel.explored.symbolic.walks import SymbolicWalks


class SymbolicSpace(SymbolicFixpoints, EverySituation[DiagramSet, SymbolicWalks]):
    """`Space` over diagrams."""

    engine = "symbolic"

    def __init__(self, system: System, budget: Budget) -> None:
        super().__init__(system, budget)
        self._possible: dict[int, Diagram] = {}

    @property
    def moves(self) -> int | None:
        """How many different (situation, step) there are."""
        if self.stopped is not None:
            return None
        return sum(self.encoding.size(self.possible(s).diagram) for s in self.system.steps)

    @property
    def everything(self) -> DiagramSet:
        return DiagramSet(self.found)

    def give_up(self, limit: str) -> None:
        self.stopped = limit
        self.patience = self.reserve = 0

    @property
    def unexplored(self) -> DiagramSet:
        return DiagramSet(self.encoding.false if self.stopped is None else self.found)

    def count(self, situations: DiagramSet) -> int:
        return self.encoding.size(situations.diagram)

    def where(self, formula: Formula) -> DiagramSet:
        return DiagramSet(self.encoding.formula(formula) & self.found, variables_of(formula))

    def reaching(self, targets: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self._closed_at_once(targets, self.back, backwards=True)

    def reached_from(self, sources: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self._closed_at_once(sources, self.forth, backwards=False)

    def _closed_at_once(
        self,
        seeds: Sequence[DiagramSet],
        follow: Callable[[Step, Diagram], Diagram],
        backwards: bool,
    ) -> list[DiagramSet]:
        # seeds that walking about makes equal have the same closure
        wider = [DiagramSet(self.spread(seed.diagram)) for seed in seeds]
        return self._at_once(
            wider, lambda seed: self.closed(seed, follow, self.found, backwards=backwards)
        )

    def reached_without(self, avoided: Sequence[DiagramSet]) -> list[DiagramSet]:
        def without(some: Diagram) -> Diagram:
            allowed = self.found & ~some
            return self.closed(self.start & allowed, self.forth, allowed)

        easy = {n for n, some in enumerate(avoided) if self._is_for_good(some)}
        hard = self._at_once([s for n, s in enumerate(avoided) if n not in easy], without)
        answers = iter(hard)
        return [
            self._staying_out_of(some) if n in easy else next(answers)
            for n, some in enumerate(avoided)
        ]

    def _staying_out_of(self, some: DiagramSet) -> DiagramSet:
        """The situations outside of a set that is never left."""
        out = self.found & ~some.diagram
        return DiagramSet(out if (self.start & out).satisfiable() else self.encoding.false)

    def _at_once(
        self, sets: Sequence[DiagramSet], answer: Callable[[Diagram], Diagram]
    ) -> list[DiagramSet]:
        """The answer for each set; the same question is answered once, many at a time."""
        different: list[Diagram] = []
        places = []
        for some in sets:
            place = next((n for n, d in enumerate(different) if d == some.diagram), None)
            if place is None:
                place = len(different)
                different.append(some.diagram)
            places.append(place)
        found: list[Diagram] = []
        for first in range(0, len(different), 1 << SELECTORS):
            some_sets = different[first : first + (1 << SELECTORS)]
            if len(some_sets) == 1:
                found.append(answer(some_sets[0]))
            else:
                together = answer(self.encoding.together(some_sets))
                found += self.encoding.apart(together, len(some_sets))
        return [DiagramSet(found[place]) for place in places]

    def _is_for_good(self, some: DiagramSet) -> bool:
        """Whether no step leads out of a set: who is not in it has then never been in it."""
        if some.asks is None or some.asks & self.settling.writes:
            return False
        out = self.found & ~some.diagram
        return not any(
            (self.forth(step, some.diagram) & out).satisfiable()
            for step, one in zip(self.system.steps, self.relations, strict=True)
            if one.writes & some.asks
        )

    def possible(self, step: Step) -> DiagramSet:
        known = self._possible.get(step.number)
        if known is None:
            move = self.moves_of[step.number]
            guard = self.relations[step.number].guard & self.found
            quiet = reduce(lambda a, b: a & b, (self._quiet(s) for s in move.steps), guard)
            known = guard & ~quiet
            self._possible |= {s.number: known for s in move.steps}
        return DiagramSet(known)

    def _quiet(self, step: Step) -> Diagram:
        """The situations in which a step, settled, changes nothing."""
        one, settling = self.relations[step.number], self.settling
        fixed = one.unchanged(self.encoding)
        settled = settling.writes & frozenset(self.encoding.copies)
        if not settled or not one.writes & settled:
            return fixed
        # what is undone while settling: the second row of bits remembers how it was
        kept = one.unchanged(self.encoding, one.writes - settled) & one.guard & self.found & ~fixed
        if not kept.satisfiable():
            return fixed
        same = self.encoding.same(sorted(settled))
        restless = settling.restless
        after = settling.settle(one.image(self.encoding, kept & same))
        # with the second row of bits these are no situations that anybody should come upon
        settling.restless = restless
        copies = [bit for v in settled for bit in self.encoding.copies[v]]
        undone = (after & same).exists(self.encoding.positive_cube(copies))
        return fixed | (undone & kept)

    def before(self, step: Step, into: DiagramSet) -> DiagramSet:
        return DiagramSet(self.back(step, into.diagram) & self.possible(step).diagram)

    def after(self, step: Step, sources: DiagramSet) -> DiagramSet:
        return DiagramSet(self.forth(step, sources.diagram & self.possible(step).diagram))

    def steps_between(self, sources: DiagramSet, targets: DiagramSet) -> list[Step]:
        into = self.settling.before(targets.diagram)
        found = []
        for step in self.system.steps:
            one = self.relations[step.number]
            if (one.preimage(self.encoding, into) & sources.diagram).satisfiable() and (
                self.before(step, targets) & sources
            ):
                found.append(step)
        return found

    def shifted(self, step: Step, variable: int, up: bool) -> DiagramSet:
        domain, found = self.system.variables[variable], self.encoding.false
        for value in range(domain.low, domain.high + 1):
            low, high = (value + 1, domain.high) if up else (domain.low, value - 1)
            self.pause()
            if low <= high:
                there = self.where(Within(variable, low, high)).diagram
                found = found | (self.back(step, there) & self.encoding.equals(variable, value))
        return DiagramSet(found & self.possible(step).diagram)

    def happening(self, step: Step, events: Mapping[int, Formula]) -> DiagramSet:
        met = self.settling.meeting(events)
        sources = self.relations[step.number].preimage(self.encoding, met)
        return DiagramSet(sources & self.possible(step).diagram)

    def reaching_by_choice(self, target: DiagramSet, within: DiagramSet) -> DiagramSet:
        kept = within.diagram
        while True:
            barred: dict[int, Diagram] = {}
            outside = DiagramSet(self.found & ~kept)
            for move in self.system.moves:
                if len(move.steps) > 1:
                    lost = self.encoding.union(self.before(s, outside).diagram for s in move.steps)
                    barred |= {s.number: lost for s in move.steps}
            if not any(lost.satisfiable() for lost in barred.values()):
                return DiagramSet(kept)

            def allowed(step: Step, some: Diagram, barred: dict[int, Diagram] = barred) -> Diagram:
                sources = self.back(step, some)
                return sources & ~barred[step.number] if step.number in barred else sources

            still = self.closed(target.diagram, allowed, self.found, barred=True, backwards=True)
            if still == kept:
                return DiagramSet(kept)
            kept = still

    def walks_around(
        self, avoiding: DiagramSet | None, reached: DiagramSet | None
    ) -> SymbolicWalks:
        if avoiding is None:
            return SymbolicWalks(self, self.found)
        walks = SymbolicWalks(self, self.found & ~avoiding.diagram, self.walks())
        walks.known = None if reached is None else reached.diagram
        return walks

    def at_end_of(self, trace: Trace) -> DiagramSet:
        return DiagramSet(self.encoding.situation(self.walking.end_of(trace)))

    def meets(self, trace: Trace, some: DiagramSet) -> bool:
        return any(self.holds(some.diagram, word) for word in self.walking.along(trace))

    def distances_to(self, target: DiagramSet) -> Callable[[DiagramSet], int | None]:
        layers = [target.diagram]
        known = [target.diagram]

        def nearest(some: DiagramSet) -> int | None:
            for distance, layer in enumerate(layers):
                if (layer & some.diagram).satisfiable():
                    return distance
            while layers[-1].satisfiable():
                back = self.encoding.union(self.back(s, layers[-1]) for s in self.system.steps)
                layers.append(back & ~known[0])
                known[0] = known[0] | back
                if (layers[-1] & some.diagram).satisfiable():
                    return len(layers) - 1
            return None

        return nearest

    def of(self, situation: Mapping[Key, Value]) -> DiagramSet:
        return DiagramSet(self.encoding.situation(self.system.values(situation)) & self.found)

    def examples(self, situations: DiagramSet, most: int) -> list[dict[Key, Value]]:
        found: list[dict[Key, Value]] = []
        rest = situations.diagram
        while len(found) < most and rest.satisfiable():
            values = self.encoding.values(rest)
            found.append(self.system.situation(values))
            rest = rest & ~self.encoding.situation(values)
        return found
