"""`Space` over sets of which it is found out when it matters whether plays come to them.

A set is kept as one diagram an area over all valid situations, and stands for those of them that
some play comes to. Unions, cuts and whatever leads into a set are exact in that reading, since
plays lead from what is reached to what is reached only; whether a set is empty is decided by going
back from it. Sets closed backwards often stay small where the set of all that is reached does not:
they hold what matters for one question, and not every useless combination.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import reduce

from zubrel.base.budget import Allowance, Budget, WorkSpent
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import FALSE, Formula
from zubrel.compiled.parts import PLACE, Move, Step
from zubrel.compiled.system import System
from zubrel.explored.backward.area_set import AreaSet
from zubrel.explored.backward.areas import Areas, joined, lies_in_any, shared, without
from zubrel.explored.backward.closing import BackwardFixpoint
from zubrel.explored.backward.functions import Function
from zubrel.explored.backward.reaching import Reaching
from zubrel.explored.backward.seeking import Seeking
from zubrel.explored.by_sets import by_choice, shifted
from zubrel.explored.packed.shortening import shorter
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Distance, EverySituation, NotAsked, Trace
from zubrel.explored.symbolic.encoding import Diagram
from zubrel.policy import SOUGHT, SOUGHT_IN_ALL


class BackwardSpace(EverySituation[AreaSet, "BackwardWalks"]):
    """What no set closed backwards can tell raises `NotAsked`: numbers of situations, distances."""

    engine = "symbolic"
    at_once = False
    moves: int | None = None

    def __init__(self, system: System, budget: Budget) -> None:
        """Raises `EndlessSettling` where a play comes to what never rests."""
        self.system = system
        self.reaching_back = Reaching(system, budget)
        self.functions = self.reaching_back.functions
        self._seeking = Seeking(self.reaching_back)
        self._allowance = Allowance(SOUGHT_IN_ALL)
        self._hard: list[Areas] = []
        """Sets of which it takes too much work to tell whether plays come to them."""
        self.encoding = self.functions.encoding
        self.stopped: str | None = None
        # by step, where it is possible: asked again and again by different findings
        self._able: dict[int, AreaSet] = {}

    @property
    def leaves_open(self) -> bool:
        return bool(self._hard)

    @property
    def walking(self) -> Walking:
        return self.reaching_back.walking

    @property
    def has_closed(self) -> bool:
        """Whether what leads to some set is known, and not only begun."""
        return self.reaching_back.has_closed

    # sets

    def is_reached(self, situations: AreaSet) -> bool:
        """Whether some play, of those that count, comes to some of a set."""
        back = self.reaching_back
        if not situations.holds_any:
            return False
        # plays that go on from somewhere: whether a known play is in the set tells nothing then
        if situations.origin is not None:
            return self._is_reached_from(situations.origin, situations.areas)
        # a play is made of it, whose situations answer the next questions
        return back.play(situations.areas, situations.avoiding) is not None

    def _is_reached_from(self, origin: AreaSet, areas: Areas) -> bool:
        """Whether plays go on from some reached situation of `origin` into a set."""
        there = origin.areas

        def is_there(area: int, diagram: Diagram) -> bool:
            return bool((diagram & there[area]).satisfiable())

        back = self.reaching_back
        # the closure ends at its first hit; whether plays come to what was hit is another question
        closure = BackwardFixpoint(self.functions, self._cut(areas), back.possibly, is_there).run()
        if not closure.hit:
            return False
        # nearly always it is one situation at the end of a play, which the first hit is then
        if origin & AreaSet(self, closure.areas):
            return True
        # what was hit first may be out of reach while more of the origin is not: all of it is
        # closed
        return bool(origin & AreaSet(self, back.closed(self._cut(areas))))

    def count(self, situations: AreaSet) -> int:
        raise NotAsked("how many")

    @property
    def everything(self) -> AreaSet:
        return AreaSet(self, self._cut(tuple(self.functions.quiet)))

    def _cut(self, areas: Areas) -> Areas:
        """Without what is known never to be reached."""
        return shared(areas, self.reaching_back.possibly)

    def give_up(self, limit: str) -> None:
        self.stopped = limit

    @property
    def unexplored(self) -> AreaSet:
        return self.everything if self.stopped is not None else self.where(FALSE)

    def where(self, formula: Formula) -> AreaSet:
        return AreaSet(self, self._cut(self.functions.where(formula)))

    def at_end_of(self, trace: Trace) -> AreaSet:
        return self._single(self.walking.end_of(trace))

    def _single(self, values: Sequence[int]) -> AreaSet:
        areas = list(self.reaching_back.nothing)
        # one diagram an area, of which one holds one situation
        areas[values[PLACE]] = self.encoding.situation(values)
        return AreaSet(self, tuple(areas))

    def meets(self, trace: Trace, situations: AreaSet) -> bool:
        if not situations.is_plain:
            raise NotAsked("sets that different plays come to")
        back = self.reaching_back
        return any(back.known.holds(situations.areas, word) for word in self.walking.along(trace))

    def of(self, situation: Mapping[Key, Value]) -> AreaSet:
        return self._single(self.system.values(situation))

    def examples(self, situations: AreaSet, most: int) -> list[dict[Key, Value]]:
        raise NotAsked("single situations")

    def holding(self, situations: AreaSet) -> Callable[[Sequence[int]], bool]:
        """Whether a situation that some play comes to is in a set, by its values."""
        assert situations.is_plain, "of other sets, the play matters as well"
        areas, assignment = situations.areas, self.encoding.assignment
        return lambda values: bool(areas[values[PLACE]].eval(assignment(values)))

    # steps

    def possible(self, step: Step) -> AreaSet:
        if step.number not in self._able:
            steps = self.system.move_of[step.number].steps
            # all outcomes: a move is possible or not, whatever luck does with it
            made = [f for s in steps for f in self.functions.of_step[s.number]]
            areas = list(self.reaching_back.nothing)
            for function in made:
                areas[function.area] = areas[function.area] | function.guard
            # a move of which no outcome makes a difference is none
            idle = reduce(shared, (self._idle(s) for s in steps))
            able = without(tuple(areas), idle)
            for other in steps:
                self._able[other.number] = AreaSet(self, able)
        return self._able[step.number]

    def _idle(self, step: Step) -> Areas:
        """The situations in which a step, settled, changes nothing."""
        idle = list(self.reaching_back.nothing)
        for function in self.functions.of_step[step.number]:
            # a step may lead elsewhere and be undone by what follows: that is idle as well
            undone = self._undone(function)
            idle[function.area] = idle[function.area] | undone
        return tuple(idle)

    def _undone(self, function: Function) -> Diagram:
        """Where a function, settled, changes nothing."""
        functions, copies = self.functions, self.encoding.copies
        undoing = copies.keys()
        here = function.area == function.target
        fixed = functions.unchanged(function) if here else self.encoding.false
        if not (undoing & function.after.keys()) and (here or not functions.moves_player):
            return fixed
        # what follows may undo it: the second row of bits remembers how it was
        # what else the step changes stays changed: there nothing is undone
        kept = functions.unchanged(function, undoing)
        if not kept.satisfiable():
            return fixed
        same = self.encoding.same(copies)
        resting = list(self.reaching_back.nothing)
        resting[function.area] = functions.quiet[function.area] & functions.going_on & same
        undone = functions.settled_before(function, resting) & kept & same
        second = [bit for bits in copies.values() for bit in bits]
        return fixed | undone.exists(self.encoding.positive_cube(second))

    def before(self, step: Step, into: AreaSet) -> AreaSet:
        """For plays that keep out of something: where such plays are before the step."""
        if into.origin is not None:
            raise NotAsked("what comes before what comes later")
        areas = into.areas
        # the play has kept out of it up to and with the step
        if into.avoiding is not None:
            areas = without(areas, into.avoiding)
        before = into.with_areas(self.reaching_back.before(step, areas))
        return before & self.possible(step)

    def after(self, step: Step, sources: AreaSet) -> AreaSet:
        raise NotAsked("what comes after")

    def steps_between(self, sources: AreaSet, targets: AreaSet) -> Iterator[Step]:
        """One at a time, for whoever has seen enough; those of plays that are known come first."""
        new: list[AreaSet] = []
        steps: list[Step] = []
        # whether a set is empty may take a closure of its own, which known plays save
        for step in self.system.steps:
            between = self.before(step, targets) & sources
            if between.is_plain and self.reaching_back.known.play_into(between.areas) is not None:
                yield step
            elif between.holds_any:
                new.append(between)
                steps.append(step)
        yield from (step for step, between in zip(steps, new, strict=True) if between)

    def shifted(self, step: Step, variable: int, up: bool) -> AreaSet:
        domain = self.system.variables[variable]
        return shifted(self, step, variable, up, range(domain.low, domain.high + 1))

    def happening(self, step: Step, events: Mapping[int, Formula]) -> AreaSet:
        met = list(self.reaching_back.nothing)
        for function in self.functions.settling:
            # only what is watched for: everything else that happens is passed over
            event = None if function.settler is None else events.get(function.settler)
            if event is not None:
                holds = self.functions.at(event, function.area)
                met[function.area] = met[function.area] | (function.guard & holds)
        return AreaSet(self, self.reaching_back.before(step, tuple(met))) & self.possible(step)

    # fixpoints

    def reaching(self, targets: Sequence[AreaSet]) -> list[AreaSet]:
        # what leads into a set of some plays only is another question for each of them
        if not all(target.is_plain for target in targets):
            raise NotAsked("sets that different plays come to")
        closed = (self.reaching_back.closed(self._cut(t.areas)) for t in targets)
        return [AreaSet(self, areas) for areas in closed]

    def reached_from(self, sources: Sequence[AreaSet]) -> list[AreaSet]:
        quiet = self.everything.areas
        return [AreaSet(self, quiet, origin=source) for source in sources]

    def reached_without(self, avoided: Sequence[AreaSet]) -> list[AreaSet]:
        if not all(situations.is_plain for situations in avoided):
            raise NotAsked("sets that different plays come to")
        quiet = self.everything
        return [AreaSet(self, (quiet - a).areas, avoiding=a.areas) for a in avoided]

    def seek(self, sets: Iterable[AreaSet], within: AreaSet) -> None:
        self._seeking.seek([s.areas for s in sets if s.is_plain], within.areas)

    def is_come_into(self, situations: AreaSet) -> bool | None:
        # what only some plays come to, nobody seeks
        if not situations.is_plain:
            return bool(situations)
        budget, areas = self.encoding.budget, situations.areas
        # what is known already takes no work, of which nothing may be left
        known = self._seeking.known(areas)
        if known is None and not lies_in_any(areas, self._hard):
            with suppress(WorkSpent), budget.sharing(self._allowance, SOUGHT):
                known = bool(situations)
            if known is None:
                budget.spend(1)  # a share that is all spent outside of here ends this
                self._hard.append(areas)
            elif not known:
                self._seeking.refuted.append(areas)
        return known

    def reaching_by_choice(self, target: AreaSet, within: AreaSet) -> AreaSet:
        back = self.reaching_back

        def escaping(move: Move, kept: Areas) -> Areas:
            # a move that may lead out of it is no choice of the player
            outside = without(self.everything.areas, kept)
            return reduce(joined, (back.before(s, outside) for s in move.steps))

        def closed(barred: Mapping[int, Areas]) -> Areas:
            seed = self._cut(target.areas)
            fixpoint = BackwardFixpoint(
                self.functions, seed, back.possibly, barred=barred, told=False
            )
            return fixpoint.run().areas

        def is_reached(areas: Areas) -> bool:
            # which moves doom is known by then, and mostly none of them is one that is left to luck
            return self.is_reached(AreaSet(self, areas))

        kept = by_choice(self.system.moves, within.areas, escaping, shared, is_reached, closed)
        return AreaSet(self, kept)

    def walks_around(self, avoiding: AreaSet | None, reached: AreaSet | None) -> BackwardWalks:
        if avoiding is None:
            return BackwardWalks(self, self.everything)
        (without,) = self.reached_without([avoiding]) if reached is None else (reached,)
        return BackwardWalks(self, without)

    def distances_to(self, target: AreaSet) -> Callable[[AreaSet], int | None]:
        raise NotAsked("distances")


class BackwardWalks:
    """Plays that go the way by which a set was closed: not the shortest."""

    def __init__(self, space: BackwardSpace, reached: AreaSet) -> None:
        self.space = space
        self.reached = reached

    def shortest(self, target: AreaSet, surely: bool = False) -> Trace | None:
        # no set here knows how many steps lead to it
        if surely:
            raise NotAsked("distances")
        wanted = target & self.reached
        if wanted.origin is not None:
            raise NotAsked("plays that go on from somewhere")
        back = self.space.reaching_back
        play = back.play(wanted.areas, wanted.avoiding)
        # whatever is left out could lead to where a play must never be
        if play is None or not wanted.is_plain:
            return play
        return shorter(play, lambda word: back.known.holds(wanted.areas, word), back.walking)

    def moves_to(self, target: AreaSet) -> Distance | None:
        trace = self.shortest(target)
        return None if trace is None else Distance(len(trace.steps), False)

    def by_moves(self, sets: Sequence[AreaSet]) -> list[tuple[int, ...]] | None:
        return None
