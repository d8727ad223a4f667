"""What happens by itself, for whole sets of situations."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from zubrel.compiled.formulas import Formula, variables_of
from zubrel.compiled.parts import ENDING, Change, Operation
from zubrel.compiled.system import System
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.explored.symbolic.relations import Relation, relation

LONG = 500
Happening = tuple[Relation, Diagram]
"""Something that happens by itself, and where it does."""


class SymbolicSettling:
    """Settlers and endings as relations: the first that would change something happens.

    `restless` gathers every situation that was ever on its way to rest; what came of them is only
    asked about those.
    """

    def __init__(self, system: System, encoding: Encoding, going_on: Diagram) -> None:
        self.encoding = encoding
        self.going_on = going_on
        self.restless = encoding.false
        self.happen: list[Happening] = []
        free = going_on
        for settler in system.settlers:
            # as relations, so that what comes before can be asked as well
            guard, read = encoding.formula(settler.guard), variables_of(settler.guard)
            one = relation(encoding, guard, read, settler.changes)
            # what changes nothing does not count as happening, or the world would never rest
            changing = free & one.guard & ~one.unchanged(encoding)
            self.happen.append((one, changing))
            # of several that could happen the first does; the next see what is left
            free = free & ~changing
        for formula, number in system.endings:
            guard = encoding.formula(formula)
            change = Change(ENDING, Operation.SET, number)
            self.happen.append(
                (relation(encoding, guard, variables_of(formula), [change]), free & guard)
            )
            # an ending is the last thing that happens: the next ones see only what goes on
            free = free & ~guard
        self.needed = bool(self.happen)
        self.on_long_way: Callable[[Diagram], None] | None = None
        """Given all that is still moving when coming to rest takes very long."""
        self.moving = going_on & ~free
        self.writes = frozenset().union(*(one.writes for one, _ in self.happen))

    def settle(self, diagram: Diagram, happen: Sequence[Happening] | None = None) -> Diagram:
        """The situations in which `some` come to rest.

        `happen` is what can happen on the way, where that is known not to be everything.
        """
        if not self.needed:
            return diagram
        happen = self.happen if happen is None else happen
        rounds = 0
        while (diagram & self.moving).satisfiable():
            for one, where in happen:
                moving = diagram & where
                if moving.satisfiable():
                    # remembered for the way back, which goes through it
                    self.restless = self.restless | moving
                    # what is not moved by this one stays for those that come after it
                    diagram = (diagram & ~where) | one.image(self.encoding, moving)
            rounds += 1
            self.encoding.pause()
            # a settling of so many rounds may be one that never ends
            if self.on_long_way is not None and rounds % LONG == 0:
                self.on_long_way(diagram & self.moving)
        return diagram

    def sets_off(self, writes: frozenset[int]) -> bool:
        """Whether anything can happen by itself after some variables were written."""
        return any(writes & (one.reads | one.writes) for one, _ in self.happen)

    def set_off_by(self, writes: frozenset[int]) -> tuple[frozenset[int], frozenset[int]]:
        """The variables read and written by all that can happen after some were written."""
        reads: frozenset[int] = frozenset()
        written: frozenset[int] = frozenset()
        known: set[int] = set()
        changed = True
        while changed:
            changed = False
            for number, (one, _) in enumerate(self.happen):
                # what it writes counts too: whether it changes anything depends on what is there
                if number not in known and ((writes | written) & (one.reads | one.writes)):
                    known.add(number)
                    reads, written, changed = reads | one.reads, written | one.writes, True
        return reads, written

    def _once(self, moving: Diagram) -> Diagram:
        return self.encoding.union(
            one.image(self.encoding, moving & where) for one, where in self.happen
        )

    def after(self, step: Relation) -> list[Happening]:
        """What can happen between a step from a settled situation and the rest that follows.

        That is what the variables set off that the step has written, as far as it agrees with the
        values that the step has given to variables which nothing changes by itself.
        """
        # the closure over all that is set off: one settler may set off the next one
        _, written = self.set_off_by(step.writes)
        touched = step.writes | written
        # what nothing changes by itself still has the value that the step gave it
        kept = {b for v, bits in self.encoding.bits.items() if v not in self.writes for b in bits}
        given = [
            self.encoding.cube(s for s in piece.settings if s[0] in kept) for piece in step.pieces
        ]
        # what reads or writes nothing that was touched was at rest before, and still is
        return [
            (one, where)
            for one, where in self.happen
            if touched & (one.reads | one.writes)
            and any((where & values).satisfiable() for values in given)
        ]

    def before(self, settled: Diagram, happen: Sequence[Happening] | None = None) -> Diagram:
        """`settled`, and every situation on its way that comes to rest in it.

        `happen` is what can happen on the way, where that is known not to be everything.
        """
        return self.closed(settled & ~self.moving, happen) if self.needed else settled

    def closed(self, known: Diagram, happen: Sequence[Happening] | None = None) -> Diagram:
        """`found`, and all that comes into it on its way to rest."""
        happen = self.happen if happen is None else happen
        fresh = known
        while fresh.satisfiable():
            back = self.encoding.union(
                one.preimage(self.encoding, fresh) & where for one, where in happen
            )
            # only situations that some play was in on its way: all others are none of anybody's
            fresh = back & self.restless & ~known
            known = known | fresh
            self.encoding.pause()
        return known

    def meeting(self, events: Mapping[int, Formula]) -> Diagram:
        """The situations on whose way to rest an event takes place."""
        return self.closed(
            self.encoding.union(
                self.restless & self.happen[number][1] & self.encoding.formula(formula)
                for number, formula in events.items()
            )
        )

    def never_resting(self, moving: Diagram) -> Diagram:
        """Of the situations reached from `moving`, those that never come to rest."""
        # forwards all that they come to by themselves, then backwards whatever always goes on
        # within it
        reached = fresh = moving
        while fresh.satisfiable():
            fresh = self._once(fresh) & self.moving & ~reached
            reached = reached | fresh
            self.encoding.pause()
        while True:
            kept = self.encoding.union(
                one.preimage(self.encoding, reached) & where & reached for one, where in self.happen
            )
            if kept == reached:
                return kept
            self.encoding.pause()
            reached = kept
