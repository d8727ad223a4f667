"""Steps as functions on bits: what leads into a set, by substitution.

A step is a function where it is possible, and so is each thing that happens by itself. What leads
into a set is then the set with every bit replaced by what becomes of it, and the guard. Sums are
adders on bits, which do not fall into pieces by their carries. The place has no bits: there is one
diagram an area, and a function leads from one area to one.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any

from msgspec import Struct
from msgspec.structs import replace
from oxidd.bdd import BDDFunction

from zubrel.base.budget import Budget
from zubrel.compiled.facts import settlers_after
from zubrel.compiled.formulas import FALSE, TRUE, Formula, Within
from zubrel.compiled.parts import ENDING, PLACE, Change, Operation, Settler, Step
from zubrel.compiled.system import System
from zubrel.compiled.ways import standing_in
from zubrel.explored.backward.adders import Bits, changed
from zubrel.explored.backward.areas import Areas
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.explored.symbolic.ordering import order_of

MOST_COURSES = 24
"""Ways in which what follows a step may go, beyond which it is gone back through each time."""

LARGE = 12
"""Nodes of a condition of a change, from which on it is gone back by two functions and not one."""


class Function(Struct, frozen=True, eq=False):
    """What one outcome does, or one thing that happens by itself, from one area to one.

    `step` is None for what happens by itself, `settler` a number for what is no ending. `after` are
    the variables that may change, with their bits afterwards.
    """

    number: int
    step: Step | None
    settler: int | None
    area: int
    target: int
    guard: Diagram
    after: Mapping[int, Bits]
    substitution: Any

    def before(self, diagram: Diagram) -> Diagram:
        """From where in `area` it leads into a set in `target`."""
        return self.becomes(diagram) & self.guard

    def becomes(self, diagram: Diagram) -> Diagram:
        """What has to hold before it, so that it leads into a set, its guard left out."""
        return diagram if self.substitution is None else diagram.substitute(self.substitution)


class Functions:
    """All functions of a system. Situations are valid values of its variables, reached or not.

    In each area, `quiet` are those in which nothing happens by itself, `going_on` those in which
    the game has not ended.
    """

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        order = [v for v in order_of(system) if v != PLACE]
        # the second row of bits remembers what a step may change and what follows undo
        self.undoing = system.settled - {PLACE, ENDING}
        """The variables in which what happens by itself may undo a step: no end is undone."""
        self.encoding = Encoding(system, order, self.undoing, budget)
        # the place has no bits of its own: every set is a tuple with one diagram an area
        self.areas = range(system.variables[PLACE].size)
        self.valid = self.encoding.valid(order)
        # no step leads on from an end, so that all guards can be cut to what has not ended
        self.going_on = self.encoding.formula(Within(ENDING, 0, 0)) & self.valid
        self.all: list[Function] = []
        self.of_step: dict[int, list[Function]] = {s.number: [] for s in system.steps}
        self.quiet: list[Diagram] = []
        self._by_itself = (
            *system.settlers,
            *(Settler("", f, (Change(ENDING, Operation.SET, n),)) for f, n in system.endings),
        )
        """All that happens by itself, endings at last."""
        self._settling: list[list[tuple[Settler, Function]]] = [[] for _ in self.areas]
        """By area, each with what of it happens there."""
        self._following: dict[int, tuple[Function, ...]] = {}
        self._courses: dict[int, tuple[Function, ...] | None] = {}
        # settlers are met area by area: most of them can happen in a few areas only
        for area in self.areas:
            self._begin(area)
        self.settling = [f for here in self._settling for _, f in here]
        self.well_ordered = 0
        """Nodes up to which sets are hardly smaller in another order of the variables."""
        self.moves_player = any(f.area != f.target for f in self.settling)
        """Whether what happens by itself may lead elsewhere."""
        # closures of sets at rest apply steps alone, and what follows each of them with it
        self.steps = [f for f in self.all if f.step is not None]

    def _begin(self, area: int) -> None:
        """The functions that lead from an area: what happens by itself comes before any move."""
        # `free`: where none of what comes earlier has happened
        free = self.going_on
        for number, settler in enumerate(self.system.settlers):
            guard = self.at(settler.guard, area) & free
            changing = self.encoding.false
            for where, target, after in self._outcomes(area, settler.changes, guard):
                # what changes nothing does not happen, and lets the next one happen
                moved = where if target != area else where & ~self._same(after)
                changing = changing | moved
                self._add(area, target, moved, after, cause=settler, settler=number)
            # of several that could happen the first does
            free = free & ~changing
        for ending in self._by_itself[len(self.system.settlers) :]:
            guard = self.at(ending.guard, area) & free
            for where, target, after in self._outcomes(area, ending.changes, guard):
                self._add(area, target, where, after, cause=ending)
            free = free & ~guard
        # an ending is at rest: nothing follows it
        self.quiet.append(free | (self.valid & ~self.going_on))
        for move in self.system.moves:
            if move.areas is None or area in move.areas:
                guard = self.at(move.guard, area) & free
                for step in move.steps if guard.satisfiable() else ():
                    for where, target, after in self._outcomes(area, step.changes, guard):
                        self._add(area, target, where, after, step)
            self.encoding.pause()

    def at(self, formula: Formula, area: int) -> Diagram:
        """Where a formula holds in an area."""
        return self.encoding.formula(standing_in(area, formula))

    def where(self, formula: Formula) -> Areas:
        """The settled situations in which a formula holds."""
        return tuple(self.at(formula, area) & self.quiet[area] for area in self.areas)

    def _add(
        self,
        area: int,
        target: int,
        guard: Diagram,
        after: Mapping[int, Bits],
        step: Step | None = None,
        cause: Settler | None = None,
        settler: int | None = None,
    ) -> None:
        # nothing to go back through: most rules are possible in few areas
        if not guard.satisfiable():
            return
        substitution = self._substitution(after)
        function = Function(len(self.all), step, settler, area, target, guard, after, substitution)
        self.all.append(function)
        if step is not None:
            self.of_step[step.number].append(function)
        if cause is not None:
            self._settling[area].append((cause, function))

    def _substitution(self, after: Mapping[int, Bits]) -> Any:
        # a bit that stays is left out: substitution costs by the bits that it goes through
        changed = [
            (bit, becomes)
            for variable, bits in after.items()
            for bit, becomes in zip(self.encoding.bits[variable], bits, strict=True)
            if becomes != self.encoding.manager.var(bit)
        ]
        return BDDFunction.make_substitution(changed) if changed else None

    def following(self, function: Function) -> tuple[Function, ...]:
        """What may happen by itself between a step from a situation at rest and the rest after it.

        Nothing would happen at first, so that only what is made possible since can: by the step, or
        by what has happened after it.
        """
        assert function.step is not None, "what happens by itself follows a step"
        if function.number not in self._following:
            after = settlers_after(self._by_itself, [function.step.changes])
            following, areas = list[Function](), [function.target]
            # what happens may take the player elsewhere, where other functions are the same things
            for area in areas:
                for cause, other in self._settling[area]:
                    if cause in after:
                        following.append(other)
                        if other.target not in areas:
                            areas.append(other.target)
            self._following[function.number] = tuple(following)
        return self._following[function.number]

    @cached_property
    def leading_into(self) -> Mapping[int, Sequence[Function]]:
        """By area, the steps whose sources depend on the situations there."""
        leading: dict[int, list[Function]] = {}
        for function in self.steps:
            # what follows by itself may look at the situations of other areas than the step leads
            # to
            for area in sorted({function.target, *(f.target for f in self.following(function))}):
                leading.setdefault(area, []).append(function)
        return leading

    def before_resting(self, function: Function, resting: Sequence[Diagram]) -> Diagram:
        """As `settled_before`, for sets that hold nothing but situations at rest."""
        if function.number not in self._courses:
            self._courses[function.number] = self._courses_of(function)
        courses = self._courses[function.number]
        if courses is None:
            return self.settled_before(function, resting)
        if len(courses) == 1:  # nearly all of them
            return courses[0].before(resting[courses[0].target])
        return self.encoding.union(course.before(resting[course.target]) for course in courses)

    def _courses_of(self, function: Function) -> tuple[Function, ...] | None:
        """A step together with what follows, one function for each way in which that may go.

        They lead on to rest only where they lead into what is at rest. None: there are too many.
        """
        # going back through all that follows, each time, meets sets of what is not at rest: they
        # are much larger than those at both ends, and hold nothing new nearly always
        following = self.following(function)
        courses = [function]
        for course in courses:
            moving = course.guard & ~course.becomes(self.quiet[course.target])
            for other in following if moving.satisfiable() else ():
                if other.area != course.target:
                    continue
                guard = moving & course.becomes(other.guard)
                if guard.satisfiable():
                    after = dict(course.after)
                    for variable, bits in other.after.items():
                        after[variable] = [course.becomes(bit) for bit in bits]
                    courses.append(
                        replace(
                            function,
                            target=other.target,
                            guard=guard,
                            after=after,
                            substitution=self._substitution(after),
                        )
                    )
            self.encoding.pause()
            # what never rests goes on for ever
            if len(courses) > MOST_COURSES:
                return None
        return tuple(courses)

    def settled_before(self, function: Function, areas: Sequence[Diagram]) -> Diagram:
        """From where a step, with what follows by itself, leads into a set.

        The set may hold situations at rest, and others that are met on the way to rest.
        """
        following = self.following(function)
        into = {function.target: areas[function.target]}
        # a settler may make another one possible that stands before it, so that one round is not
        # enough
        grows = bool(following)
        while grows:
            grows = False
            for other in following:
                old = into.get(other.area, areas[other.area])
                new = old | other.before(into.get(other.target, areas[other.target]))
                if new != old:
                    into[other.area] = new
                    grows = True
            self.encoding.pause()
        return function.before(into[function.target])

    def _same(self, after: Mapping[int, Bits], but: Iterable[int] = ()) -> Diagram:
        """Where no variable changes, `but` for some."""
        same = self.encoding.true
        for variable, bits in after.items():
            if variable not in but:
                for bit, becomes in zip(self.encoding.bits[variable], bits, strict=True):
                    # bit by bit, high ones first, as they stand in the order
                    same = same & self.encoding.manager.var(bit).equiv(becomes)
        return same

    def unchanged(self, function: Function, but: Iterable[int] = ()) -> Diagram:
        """Where a function changes nothing, `but` for some variables and the place."""
        return function.guard & self._same(function.after, but)

    def _outcomes(
        self, area: int, changes: Sequence[Change], where: Diagram
    ) -> Iterator[tuple[Diagram, int, dict[int, Bits]]]:
        """For each area that changes lead to: from where, and what becomes of the bits."""
        conditions = (c.when for c in changes if c.when != TRUE)
        large = next((w for w in conditions if self.at(w, area).node_count() > LARGE), None)
        if large is not None:
            # a gift for whoever has room for it: with what all others weigh in the place of a bit,
            # every set would grow by all that, whether it asks for the gift or not
            holds = self.at(large, area)
            for here, made in ((where & holds, TRUE), (where & ~holds, FALSE)):
                known = [replace(c, when=made) if c.when == large else c for c in changes]
                if here.satisfiable():
                    yield from self._outcomes(area, known, here)
            return
        places: list[tuple[int, Diagram]] = []
        after: dict[int, Bits] = {}
        for change in changes:
            # conditions of changes are about the situation before the step
            when = self.at(change.when, area)
            if not (where & when).satisfiable():
                continue
            if change.variable == PLACE:
                places.append((change.number, when))
            elif self.system.variables[change.variable].size > 1:
                old = after.get(change.variable) or self._own(change.variable)
                new, fits = changed(self.encoding, change, old)
                # beyond the domain is nowhere: the guard has seen to it where plays come
                where = where & (fits | ~when)
                # a later change goes on from what an earlier one has made of the bits
                after[change.variable] = [when.ite(n, o) for n, o in zip(new, old, strict=True)]
        # of several changes of the place the last one counts
        for target, when in reversed(places):
            moved = where & when
            if moved.satisfiable():
                # areas have no bits: each target is a function of its own
                yield moved, target, after
            where = where & ~when
        if where.satisfiable():
            yield where, area, after

    def _own(self, variable: int) -> Bits:
        return [self.encoding.manager.var(bit) for bit in self.encoding.bits[variable]]
