"""The symbolic engine: sets of situations as decision diagrams, never listed.

All reachable situations are found by closing groups of steps one after the other, those with the
lowest variables first (after Ciardo, Lüttgen, Siminiceanu: Saturation, 2001): what stands low in
the diagrams is at rest before what stands higher moves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import reduce

from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula, Within, variables_of
from zubrel.compiled.system import ENDING, PLACE, Move, Step, System
from zubrel.explored.diagrams import SELECTORS, Diagram, Encoding
from zubrel.explored.islands import islands_of
from zubrel.explored.ordering import order_of
from zubrel.explored.relations import Relation, relation
from zubrel.explored.space import Trace
from zubrel.explored.symbolic_settling import SymbolicSettling
from zubrel.explored.symbolic_walks import SymbolicWalks
from zubrel.explored.walking import Walking

PATIENCE = 2e7


class DiagramSet:
    """A set of situations as a diagram.

    `asks` are the variables that decide who is in it, where that is known.
    """

    __slots__ = ("asks", "diagram")

    def __init__(self, diagram: Diagram, asks: frozenset[int] | None = None) -> None:
        self.diagram = diagram
        self.asks = asks

    def __and__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(self.diagram & other.diagram)

    def __or__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(self.diagram | other.diagram)

    def __sub__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(other.diagram.imp_strict(self.diagram))

    def __bool__(self) -> bool:
        return bool(self.diagram.satisfiable())


class Group:
    """Steps whose variables begin at the same depth, with what they read and write in all."""

    def __init__(
        self, steps: Sequence[Step], reads: frozenset[int], writes: frozenset[int], repeats: bool
    ) -> None:
        self.steps = steps
        self.repeats = repeats
        self.reads = reads
        self.writes = writes

    def minds(self, other: Group) -> bool:
        """Whether the order of a step of one and a step of the other can matter.

        Where it cannot, neither makes the other possible or impossible, or changes what it does:
        whichever group is closed last has then seen what the other has added.
        """
        return bool(self.writes & (other.reads | other.writes) or self.reads & other.writes)


def _only_new(follow: Callable[[Step, Diagram], Diagram]) -> Callable[[Step, Diagram], Diagram]:
    """Follows a step only from what it has not been followed from before."""
    seen: dict[int, Diagram] = {}

    def new(step: Step, some: Diagram) -> Diagram:
        known = seen.get(step.number)
        seen[step.number] = some
        return follow(step, some if known is None else some & ~known)

    return new


class SymbolicSpace:
    """`Space` over diagrams."""

    engine = "symbolic"

    def __init__(self, system: System, memory: int | None) -> None:
        self.system = system
        settled = frozenset(c.variable for s in system.settlers for c in s.changes)
        doubled = settled | ({ENDING} if system.endings else frozenset())
        order = order_of(system)
        self.encoding = Encoding(system, order, doubled if settled else frozenset(), memory)
        self.going_on = self.encoding.formula(Within(ENDING, 0, 0))
        self.settling = SymbolicSettling(system, self.encoding, self.going_on)
        self.relations: list[Relation] = []
        self.moves_of: list[Move] = []
        for move in system.moves:
            guard = self._guard(move)
            read = variables_of(move.guard) | {PLACE}
            for step in move.steps:
                self.relations.append(relation(self.encoding, guard, read, step.changes))
                self.moves_of.append(move)
        islands, self.plain = islands_of(system)
        self.first_of = {area: min(island) for island in islands for area in island}
        self.islands = [self.encoding.among(PLACE, island) for island in islands]
        self.place = self.encoding.positive_cube(self.encoding.bits[PLACE])
        self.groups = self._groups(order)
        self.minding = [
            [n for n, other in enumerate(self.groups) if other is not group and other.minds(group)]
            for group in self.groups
        ]
        self.found = self.encoding.false
        self.start = self.encoding.false
        self.stopped: str | None = None
        self.walking = Walking(system)
        self.pause: Callable[[], None] = lambda: None
        self.patience = PATIENCE
        """How much work is left for finding shortest plays: nodes of layers times steps."""
        self._possible: dict[int, Diagram] = {}
        self._walks: SymbolicWalks | None = None

    def _guard(self, move: Move) -> Diagram:
        encoding = self.encoding
        areas = encoding.true if move.areas is None else encoding.among(PLACE, move.areas)
        return areas & self.going_on & encoding.formula(move.guard)

    def _groups(self, order: Sequence[int]) -> list[Group]:
        depth = {variable: n for n, variable in enumerate(order)}
        groups: dict[int, list[Step]] = {}
        for step, one in zip(self.system.steps, self.relations, strict=True):
            if one.guard.satisfiable() and step.number not in self.plain:
                own = [depth[v] for v in one.reads | one.writes if v in depth and v != PLACE]
                groups.setdefault(min(own, default=len(order)), []).append(step)
        found = []
        for number in sorted(groups, reverse=True):
            steps = groups[number]
            of = [self.relations[s.number] for s in steps]
            reads = frozenset().union(*(self._read_by(s) for s in steps))
            writes = frozenset().union(*(self._written_by(s) for s in steps))
            repeats = (
                len(of) > 1
                or self.settling.sets_off(of[0].writes)
                or (of[0].image(self.encoding, of[0].guard) & of[0].guard).satisfiable()
            )
            found.append(Group(steps, reads, writes, repeats))
        return found

    def _read_by(self, step: Step) -> frozenset[int]:
        """What a step and all that it sets off depend on: variables, and areas below zero."""
        move, one = self.moves_of[step.number], self.relations[step.number]
        more, _ = self.settling.set_off_by(one.writes)
        reads = one.reads | more | {ENDING}
        asks = PLACE in more or PLACE in variables_of(move.guard) or any(
            PLACE in variables_of(c.when) for c in step.changes
        )  # fmt: skip
        if asks or (move.areas is None and PLACE in one.writes):
            return (reads - {PLACE}) | self._areas(range(self.system.variables[PLACE].size))
        return (reads - {PLACE}) | self._areas(move.areas or ())

    def _written_by(self, step: Step) -> frozenset[int]:
        """What a step and all that it sets off change: variables, and areas below zero.

        An area that is left is changed as well: what is possible there no longer is.
        """
        move, one = self.moves_of[step.number], self.relations[step.number]
        _, more = self.settling.set_off_by(one.writes)
        writes = (one.writes | more) - {PLACE}
        if PLACE in more or (PLACE in one.writes and move.areas is None):
            return writes | self._areas(range(self.system.variables[PLACE].size))
        if PLACE not in one.writes:
            return writes
        ends = {c.number for c in step.changes if c.variable == PLACE}
        return writes | self._areas(ends.union(move.areas or ()))

    def _areas(self, areas: Iterable[int]) -> frozenset[int]:
        """Numbers below zero that stand for areas; those of one island share theirs."""
        return frozenset(-1 - self.first_of.get(area, area) for area in areas)

    # fixpoints

    def closed(
        self, seed: Diagram, follow: Callable[[Step, Diagram], Diagram], within: Diagram | None,
        spread: Callable[[Diagram], Diagram] | None = None, barred: bool = False,
    ) -> Diagram:  # fmt: skip
        """The least set that holds `seed` and all that `follow` leads to, kept to `within`.

        Groups are closed in turn, and after each the player walks about on the islands. Where
        `within` leaves something out, or steps are `barred` in some situations, the other order
        of two steps may be closed, so that every group minds every other.
        """
        spread = spread or self.spread
        if self.settling.needed:
            follow = _only_new(follow)
        if within is not None and within != self.found and self.spread(within) != within:
            return self._closed_plainly(seed, follow, within)
        free = not barred and (within is None or within == self.found)
        found = spread(seed)
        restless = [True] * len(self.groups)
        number = 0
        while True:
            while number < len(restless) and not restless[number]:
                number += 1
            if number == len(restless):
                if not any(restless):
                    return found
                number = 0
                continue
            restless[number] = False
            before = found
            found = self._group_closed(self.groups[number], found, follow, within)
            if found != before:
                closed, found = found, spread(found)
                restless[number] = found != closed
                for other in self.minding[number] if free else range(len(restless)):
                    restless[other] = True
            number = 0 if found != before else number + 1

    def spread(self, found: Diagram) -> Diagram:
        """With everything that walking about on the islands adds."""
        for island in self.islands:
            here = found & island & self.going_on
            found = found | (here.exists(self.place) & island)
        return found

    def _closed_plainly(
        self, seed: Diagram, follow: Callable[[Step, Diagram], Diagram], within: Diagram
    ) -> Diagram:
        """As `closed`, where some islands are only partly within."""
        found = seed
        while True:
            before = found
            for step in self.system.steps:
                self.pause()
                found = found | (follow(step, found) & within)
            if found == before:
                return found

    def _group_closed(
        self, group: Group, found: Diagram, follow: Callable[[Step, Diagram], Diagram],
        within: Diagram | None,
    ) -> Diagram:  # fmt: skip
        while True:
            before = found
            for step in group.steps:
                self.pause()
                reached = follow(step, found)
                found = found | (reached if within is None else reached & within)
                self.note(found)
            if found == before or not group.repeats:
                return found

    def note(self, found: Diagram) -> None:
        """Called with every growing set; a search looks at its limits here."""

    def forth(self, step: Step, some: Diagram) -> Diagram:
        """Where a step leads from some situations, settled."""
        return self.settling.settle(self.relations[step.number].image(self.encoding, some))

    def back(self, step: Step, some: Diagram) -> Diagram:
        """From which reached situations a step leads into some settled ones."""
        into = self.settling.before(some)
        return self.relations[step.number].preimage(self.encoding, into) & self.found

    def set_of(self, diagram: Diagram) -> DiagramSet:
        return DiagramSet(diagram)

    def holds(self, diagram: Diagram, word: int) -> bool:
        """Whether a packed situation is in a set."""
        values = self.walking.packing.unpack([word])
        pairs: list[tuple[int, bool]] = []
        for variable, bits in self.encoding.bits.items():
            pairs += zip(bits, self.encoding.code(variable, values[variable]), strict=True)
        pairs += [(bit, False) for copies in self.encoding.copies.values() for bit in copies]
        pairs += [(bit, False) for bit in self.encoding.selectors]
        return bool(diagram.eval(pairs))

    # the protocol

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
        self.pause = lambda: None
        self.patience = 0

    @property
    def unexplored(self) -> DiagramSet:
        return DiagramSet(self.encoding.false if self.stopped is None else self.found)

    def count(self, situations: DiagramSet) -> int:
        return self.encoding.size(situations.diagram)

    def where(self, formula: Formula) -> DiagramSet:
        return DiagramSet(self.encoding.formula(formula) & self.found, variables_of(formula))

    def some(self, formula: Formula) -> bool:
        return bool(self.where(formula))

    def reaching(self, targets: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self._at_once(targets, lambda seed: self.closed(seed, self.back, self.found))

    def reached_from(self, sources: Sequence[DiagramSet]) -> list[DiagramSet]:
        return self._at_once(sources, lambda seed: self.closed(seed, self.forth, self.found))

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
        )  # fmt: skip

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
        after = settling.settle(one.image(self.encoding, kept & same))
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

            still = self.closed(target.diagram, allowed, self.found, barred=True)
            if still == kept:
                return DiagramSet(kept)
            kept = still

    def walks(self, avoiding: DiagramSet | None = None) -> SymbolicWalks:
        if avoiding is not None:
            return SymbolicWalks(self, self.found & ~avoiding.diagram)
        if self._walks is None:
            self._walks = SymbolicWalks(self, self.found)
        return self._walks

    def at_end_of(self, trace: Trace) -> DiagramSet:
        return DiagramSet(self.encoding.situation(self.walking.end_of(trace)))

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
