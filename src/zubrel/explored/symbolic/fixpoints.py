"""What the symbolic engine computes with: relations of all steps, and least fixpoints over them.

All reachable situations are found by closing groups of steps one after the other, those with the
lowest variables first (after Ciardo, Lüttgen, Siminiceanu: Saturation, 2001): what stands low in
the diagrams is at rest before what stands higher moves. Regions that nobody comes back to are
closed one after the other; on the way back, from the last to the first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from zubrel.base.budget import Budget
from zubrel.compiled.formulas import Within, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Move, Step
from zubrel.compiled.system import System
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.explored.symbolic.islands import islands_of
from zubrel.explored.symbolic.ordering import order_of
from zubrel.explored.symbolic.relations import Relation, relation
from zubrel.explored.symbolic.settling import Happening, SymbolicSettling
from zubrel.policy import BOTH_ENDS, LAYERS


class StepGroup:
    """Steps of a region whose variables begin at the same depth, with what they read and write.

    `leaves`: they lead out of the region.
    """

    def __init__(
        self,
        steps: Sequence[Step],
        reads: frozenset[int],
        writes: frozenset[int],
        repeats: bool,
        region: int,
        leaves: bool,
    ) -> None:
        self.region = region
        self.leaves = leaves
        self.steps = steps
        self.repeats = repeats
        self.reads = reads
        self.writes = writes

    def interferes_with(self, other: StepGroup) -> bool:
        """Whether the order of a step of one and a step of the other can matter.

        Where it cannot, neither makes the other possible or impossible, or changes what it does:
        whichever group is closed last has then seen what the other has added.
        """
        return bool(self.writes & (other.reads | other.writes) or self.reads & other.writes)


def _only_new(follow: Callable[[Step, Diagram], Diagram]) -> Callable[[Step, Diagram], Diagram]:
    """Follows a step only from what it has not been followed from before."""
    seen: dict[int, Diagram] = {}

    def new(step: Step, diagram: Diagram) -> Diagram:
        known = seen.get(step.number)
        # images distribute over unions: those of what was there before are in the closure already
        seen[step.number] = diagram
        return follow(step, diagram if known is None else diagram & ~known)

    return new


class SymbolicFixpoints:
    """The steps of a system as relations, and what can be closed under them."""

    def __init__(self, system: System, budget: Budget, fewest: bool = True) -> None:
        self.system = system
        settled = frozenset(c.variable for s in system.settlers for c in s.changes)
        # a second row of bits, only where something happens by itself: it remembers what was
        # before
        doubled = settled | ({ENDING} if system.endings else frozenset())
        order = order_of(system)
        self.encoding = Encoding(system, order, doubled if settled else frozenset(), budget)
        self.going_on = self.encoding.formula(Within(ENDING, 0, 0))
        self.settling = SymbolicSettling(system, self.encoding, self.going_on)
        self.relations: list[Relation] = []
        self.moves_of: list[Move] = []
        for move in system.moves:
            guard = self._guard(move)
            read = variables_of(move.guard) | {PLACE}
            for step in move.steps:
                self.relations.append(relation(self.encoding, guard, read, step.changes))
                self.encoding.pause()
                self.moves_of.append(move)
        # plain ways within an island are not followed one by one: `spread` walks them all at once
        islands, self.plain = islands_of(system)
        # so that the areas of an island count as one when it is asked what interferes
        self.first_of = {area: min(island) for island in islands for area in island}
        self.islands = [self.encoding.among(PLACE, island) for island in islands]
        self.place = self.encoding.positive_cube(self.encoding.bits[PLACE])
        self.groups = self._groups(order)
        self.interfering = [
            [
                n
                for n, other in enumerate(self.groups)
                if other is not group and other.interferes_with(group)
            ]
            for group in self.groups
        ]
        self.forwards = list(range(len(self.groups)))
        # what leads into a region that is closed comes before what is in the region before it
        self.backwards = sorted(
            self.forwards, key=lambda n: (-self.groups[n].region, not self.groups[n].leaves, n)
        )
        regions = sorted({group.region for group in self.groups})
        self._regions_before = {region: number for number, region in enumerate(regions)}
        self.count_of_regions, self.closed_regions = len(regions), 0
        """Regions in which something can be done, and those of them behind the one that a search
        from the start is closing."""
        self._happening: dict[int, list[Happening]] = {}
        self.reachable = self.encoding.false
        self.start = self.encoding.false
        self.stopped: str | None = None
        self.walking = Walking(system)
        self.patience = LAYERS
        self.reserve = BOTH_ENDS
        """Work that is left for shortest walks by layers, and by layers from both ends."""
        self.fewest = fewest
        """Whether it matters that a walk beyond the layers has the fewest steps."""
        self.on_growth: Callable[[Diagram], None] | None = None
        """Called with every set of a fixpoint, for whoever watches it grow."""

    def pause(self) -> None:
        """Count the work since the last pause. Raises what `Budget.spend` does."""
        self.encoding.pause()

    def _guard(self, move: Move) -> Diagram:
        encoding = self.encoding
        areas = encoding.true if move.areas is None else encoding.among(PLACE, move.areas)
        return areas & self.going_on & encoding.formula(move.guard)

    def _groups(self, order: Sequence[int]) -> list[StepGroup]:
        depth = {variable: n for n, variable in enumerate(order)}
        region = self.system.regions
        groups: dict[tuple[int, bool, int], list[Step]] = {}
        for step, one in zip(self.system.steps, self.relations, strict=True):
            # a step that is never possible would only be tried again and again
            if one.guard.satisfiable() and step.number not in self.plain:
                # nearly all touch the place, which stands on top: it would make one group of them
                own = [depth[v] for v in one.reads | one.writes if v in depth and v != PLACE]
                begins = {region[a] for a in self.moves_of[step.number].areas or region}
                ends = {region[c.number] for c in step.changes if c.variable == PLACE}
                # what leads out of a region comes after all that can be done within it
                leaves = not ends <= begins
                groups.setdefault((min(begins), leaves, -min(own, default=len(order))), []).append(
                    step
                )
        made = []
        for here, leaves, number in sorted(groups):
            steps = groups[here, leaves, number]
            of = [self.relations[s.number] for s in steps]
            reads = frozenset().union(*(self._read_by(s) for s in steps))
            writes = frozenset().union(*(self._written_by(s) for s in steps))
            # a single step that can never follow itself is closed by one application
            repeats = (
                len(of) > 1
                or self.settling.sets_off(of[0].writes)
                or (of[0].image(self.encoding, of[0].guard) & of[0].guard).satisfiable()
            )
            made.append(StepGroup(steps, reads, writes, repeats, here, leaves))
        return made

    def _read_by(self, step: Step) -> frozenset[int]:
        """What a step and all that it sets off depend on: variables, and areas below zero."""
        move, one = self.moves_of[step.number], self.relations[step.number]
        # what a step sets off is part of it
        more, _ = self.settling.set_off_by(one.writes)
        reads = one.reads | more | {ENDING}
        asks = (
            PLACE in more
            or PLACE in variables_of(move.guard)
            or any(PLACE in variables_of(c.when) for c in step.changes)
        )
        if asks or (move.areas is None and PLACE in one.writes):
            return (reads - {PLACE}) | self._areas(range(self.system.variables[PLACE].size))
        # a move in few areas reads no more of the place than whether the player is there
        return (reads - {PLACE}) | self._areas(move.areas or ())

    def _written_by(self, step: Step) -> frozenset[int]:
        """What a step and all that it sets off change: variables, and areas below zero.

        An area that is left is changed as well: what is possible there no longer is.
        """
        move, one = self.moves_of[step.number], self.relations[step.number]
        # what happens by itself after a step belongs to it: nobody sees what lies in between
        _, more = self.settling.set_off_by(one.writes)
        writes = (one.writes | more) - {PLACE}
        # where the step begins or ends is not known beforehand: any area may be left or entered
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
        self,
        seed: Diagram,
        follow: Callable[[Step, Diagram], Diagram],
        within: Diagram | None,
        spread: Callable[[Diagram], Diagram] | None = None,
        barred: bool = False,
        backwards: bool = False,
    ) -> Diagram:
        """The least set that holds `seed` and all that `follow` leads to, kept to `within`.

        `backwards` says that `follow` goes from what a step leads into to where it comes from.
        Groups are closed in turn, and after each the player walks about on the islands. Where
        `within` leaves something out, or steps are `barred` in some situations, the other order
        of two steps may be closed, so that every group minds every other.
        """
        spread = spread or self.spread
        # what was followed once need not be followed again: a large set has hardly anything new
        follow = _only_new(follow)
        if within is not None and within != self.reachable and self.spread(within) != within:
            return self._closed_plainly(seed, follow, within)
        # only where nothing is left out do steps that do not interfere commute
        free = not barred and (within is None or within == self.reachable)
        # walking first: most steps are possible somewhere on an island
        closure = spread(seed)
        # a group is restless as long as something was added that it has not followed
        restless = [True] * len(self.groups)
        order, place = self.backwards if backwards else self.forwards, 0
        while True:
            while place < len(order) and not restless[order[place]]:
                place += 1
            if place == len(order):
                if not any(restless):
                    return closure
                place = 0
                continue
            number = order[place]
            restless[number] = False
            if not backwards:
                self.closed_regions = self._regions_before[self.groups[number].region]
            before = closure
            closure = self._group_closed(self.groups[number], closure, follow, within)
            if closure != before:
                closed, closure = closure, spread(closure)
                restless[number] = closure != closed
                # without the right to commute every group has to look again
                for other in self.interfering[number] if free else range(len(restless)):
                    restless[other] = True
            # back to the lowest group: what stands low comes to rest before what stands higher
            place = 0 if closure != before else place + 1

    def spread(self, known: Diagram) -> Diagram:
        """With everything that walking about on the islands adds."""
        for island in self.islands:
            # nobody walks about any more when the game has ended
            here = known & island & self.going_on
            # forgetting where on the island the player is, and standing anywhere on it again
            known = known | (here.exists(self.place) & island)
        return known

    def _closed_plainly(
        self, seed: Diagram, follow: Callable[[Step, Diagram], Diagram], within: Diagram
    ) -> Diagram:
        """As `closed`, where some islands are only partly within."""
        closure = seed
        while True:
            before = closure
            for step in self.system.steps:
                self.pause()
                closure = closure | (follow(step, closure) & within)
            # diagrams are kept once only, so that this compares two addresses
            if closure == before:
                return closure

    def _group_closed(
        self,
        group: StepGroup,
        known: Diagram,
        follow: Callable[[Step, Diagram], Diagram],
        within: Diagram | None,
    ) -> Diagram:
        while True:
            before = known
            for step in group.steps:
                self.pause()
                reached = follow(step, known)
                known = known | (reached if within is None else reached & within)
                # whoever waits for some situation can end the closure as soon as it is met
                if self.on_growth is not None:
                    self.on_growth(known)
            if known == before or not group.repeats:
                return known

    def forth(self, step: Step, diagram: Diagram) -> Diagram:
        """Where a step leads from some settled situations, settled."""
        moved = self.relations[step.number].image(self.encoding, diagram)
        return self.settling.settle(moved, self._set_off_by(step))

    def back(self, step: Step, diagram: Diagram) -> Diagram:
        """From which reached situations a step leads into some settled ones."""
        into = self.settling.before(diagram, self._set_off_by(step))
        return self.relations[step.number].preimage(self.encoding, into) & self.reachable

    def _set_off_by(self, step: Step) -> Sequence[Happening]:
        """What can happen by itself after a step."""
        if step.number not in self._happening:
            self._happening[step.number] = self.settling.after(self.relations[step.number])
        return self._happening[step.number]

    def holds(self, diagram: Diagram, word: int) -> bool:
        """Whether a packed situation is in a set."""
        values = self.walking.packing.unpack([word])
        return bool(diagram.eval(self.encoding.assignment(values)))
