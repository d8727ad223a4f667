"""The symbolic engine: sets of situations as decision diagrams, never listed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import reduce
from operator import and_

from zubrel.base.budget import Budget
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula, variables_of
from zubrel.compiled.parts import Move, Step
from zubrel.compiled.system import System
from zubrel.explored.by_sets import by_choice, shifted
from zubrel.explored.space import EverySituation, Trace
from zubrel.explored.symbolic.diagram_set import DiagramSet
from zubrel.explored.symbolic.encoding import SELECTORS, Diagram
from zubrel.explored.symbolic.fixpoints import SymbolicFixpoints
from zubrel.explored.symbolic.walks import SymbolicWalks


class SymbolicSpace(SymbolicFixpoints, EverySituation[DiagramSet, SymbolicWalks]):
    """`Space` over diagrams."""

    engine = "symbolic"

    def __init__(self, system: System, budget: Budget, fewest: bool = True) -> None:
        super().__init__(system, budget, fewest)
        self._possible: dict[int, Diagram] = {}

    @property
    def moves(self) -> int | None:
        """How many different (situation, step) there are."""
        if self.stopped is not None:
            return None
        return sum(self.encoding.size(self.possible(s).diagram) for s in self.system.steps)

    @property
    def everything(self) -> DiagramSet:
        return DiagramSet(self.reachable)

    def give_up(self, limit: str) -> None:
        self.stopped = limit
        self.patience = self.reserve = 0

    @property
    def unexplored(self) -> DiagramSet:
        return DiagramSet(self.encoding.false if self.stopped is None else self.reachable)

    def count(self, situations: DiagramSet) -> int:
        return self.encoding.size(situations.diagram)

    def where(self, formula: Formula) -> DiagramSet:
        return DiagramSet(self.encoding.formula(formula) & self.reachable, variables_of(formula))

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
        # that is cheap, and makes one question of many
        wider = [DiagramSet(self.spread(seed.diagram)) for seed in seeds]
        return self._at_once(
            wider, lambda seed: self.closed(seed, follow, self.reachable, backwards=backwards)
        )

    def reached_without(self, avoided: Sequence[DiagramSet]) -> list[DiagramSet]:
        def without(diagram: Diagram) -> Diagram:
            # a play that avoids a set may not begin in it either
            allowed = self.reachable & ~diagram
            return self.closed(self.start & allowed, self.forth, allowed)

        # who is outside of a set that is never left has never been in it: no closure is needed
        easy = {n for n, diagram in enumerate(avoided) if self._is_for_good(diagram)}
        hard = self._at_once([s for n, s in enumerate(avoided) if n not in easy], without)
        answers = iter(hard)
        return [
            self._staying_out_of(diagram) if n in easy else next(answers)
            for n, diagram in enumerate(avoided)
        ]

    def _staying_out_of(self, situations: DiagramSet) -> DiagramSet:
        """The situations outside of a set that is never left."""
        out = self.reachable & ~situations.diagram
        return DiagramSet(out if (self.start & out).satisfiable() else self.encoding.false)

    def _at_once(
        self, sets: Sequence[DiagramSet], reply: Callable[[Diagram], Diagram]
    ) -> list[DiagramSet]:
        """The answer for each set; the same question is answered once, many at a time."""
        different: list[Diagram] = []
        places = []
        for situations in sets:
            # diagrams are compared by their roots, which takes no time
            place = next((n for n, d in enumerate(different) if d == situations.diagram), None)
            if place is None:
                place = len(different)
                different.append(situations.diagram)
            places.append(place)
        answers: list[Diagram] = []
        for first in range(0, len(different), 1 << SELECTORS):
            some_sets = different[first : first + (1 << SELECTORS)]
            if len(some_sets) == 1:
                answers.append(reply(some_sets[0]))
            else:
                # one closure for many sets, told apart by selector bits: what they share is
                # followed once
                combined = reply(self.encoding.selected_union(some_sets))
                answers += self.encoding.split_by_selectors(combined, len(some_sets))
        return [DiagramSet(answers[place]) for place in places]

    def _is_for_good(self, situations: DiagramSet) -> bool:
        """Whether no step leads out of a set: who is not in it has then never been in it."""
        # what happens by itself may lead out of it after any step
        if situations.asks is None or situations.asks & self.settling.writes:
            return False
        out = self.reachable & ~situations.diagram
        return not any(
            (self.forth(step, situations.diagram) & out).satisfiable()
            for step, one in zip(self.system.steps, self.relations, strict=True)
            if one.writes & situations.asks
        )

    def possible(self, step: Step) -> DiagramSet:
        known = self._possible.get(step.number)
        if known is None:
            move = self.moves_of[step.number]
            guard = self.relations[step.number].guard & self.reachable
            quiet = reduce(lambda a, b: a & b, (self._quiet(s) for s in move.steps), guard)
            known = guard & ~quiet
            # all outcomes of a move are steps where any of them changes something
            self._possible |= {s.number: known for s in move.steps}
        return DiagramSet(known)

    def _quiet(self, step: Step) -> Diagram:
        """The situations in which a step, settled, changes nothing."""
        one, settling = self.relations[step.number], self.settling
        fixed = one.unchanged(self.encoding)
        settled = settling.writes & frozenset(self.encoding.copies)
        # nothing that follows can undo what it does not write
        if not settled or not one.writes & settled:
            return fixed
        # what is undone while settling: the second row of bits remembers how it was
        kept = (
            one.unchanged(self.encoding, one.writes - settled) & one.guard & self.reachable & ~fixed
        )
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
        # once for all steps: most are ruled out by what comes before settling
        into = self.settling.before(targets.diagram)
        steps = []
        for step in self.system.steps:
            one = self.relations[step.number]
            if (one.preimage(self.encoding, into) & sources.diagram).satisfiable() and (
                self.before(step, targets) & sources
            ):
                steps.append(step)
        return steps

    def shifted(self, step: Step, variable: int, up: bool) -> DiagramSet:
        self.pause()
        domain = self.system.variables[variable]
        return shifted(self, step, variable, up, range(domain.low, domain.high + 1))

    def happening(self, step: Step, events: Mapping[int, Formula]) -> DiagramSet:
        met = self.settling.meeting(events)
        sources = self.relations[step.number].preimage(self.encoding, met)
        return DiagramSet(sources & self.possible(step).diagram)

    def reaching_by_choice(self, target: DiagramSet, within: DiagramSet) -> DiagramSet:
        # a move is safe only if none of its outcomes leaves the set: luck picks the outcome
        def escaping(move: Move, kept: Diagram) -> Diagram:
            outside = DiagramSet(self.reachable & ~kept)
            return self.encoding.union(self.before(s, outside).diagram for s in move.steps)

        def closed(barred: Mapping[int, Diagram]) -> Diagram:
            def allowed(step: Step, diagram: Diagram) -> Diagram:
                sources = self.back(step, diagram)
                # going back over a barred step would count on luck
                return sources & ~barred[step.number] if step.number in barred else sources

            return self.closed(target.diagram, allowed, self.reachable, barred=True, backwards=True)

        kept = by_choice(
            self.system.moves, within.diagram, escaping, and_, lambda d: d.satisfiable(), closed
        )
        return DiagramSet(kept)

    def walks_around(
        self, avoiding: DiagramSet | None, reached: DiagramSet | None
    ) -> SymbolicWalks:
        if avoiding is None:
            return SymbolicWalks(self, self.reachable)
        walks = SymbolicWalks(self, self.reachable & ~avoiding.diagram, self.walks())
        walks.known = None if reached is None else reached.diagram
        return walks

    def at_end_of(self, trace: Trace) -> DiagramSet:
        return DiagramSet(self.encoding.situation(self.walking.end_of(trace)))

    def meets(self, trace: Trace, situations: DiagramSet) -> bool:
        return any(self.holds(situations.diagram, word) for word in self.walking.along(trace))

    def distances_to(self, target: DiagramSet) -> Callable[[DiagramSet], int | None]:
        # by distance: the situations with so many steps to the target and no fewer
        layers = [target.diagram]
        known = [target.diagram]

        def nearest(situations: DiagramSet) -> int | None:
            for distance, layer in enumerate(layers):
                if (layer & situations.diagram).satisfiable():
                    return distance
            # layers are kept, so that each distance is worked out once for all who ask
            while layers[-1].satisfiable():
                back = self.encoding.union(self.back(s, layers[-1]) for s in self.system.steps)
                layers.append(back & ~known[0])
                known[0] = known[0] | back
                if (layers[-1] & situations.diagram).satisfiable():
                    return len(layers) - 1
            return None

        return nearest

    def of(self, situation: Mapping[Key, Value]) -> DiagramSet:
        return DiagramSet(self.encoding.situation(self.system.values(situation)) & self.reachable)

    def examples(self, situations: DiagramSet, most: int) -> list[dict[Key, Value]]:
        examples: list[dict[Key, Value]] = []
        remaining = situations.diagram
        while len(examples) < most and remaining.satisfiable():
            values = self.encoding.values(remaining)
            examples.append(self.system.situation(values))
            # which ones are picked follows the order of the bits, and is the same each time
            remaining = remaining & ~self.encoding.situation(values)
        return examples
