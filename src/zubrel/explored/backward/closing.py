"""Least fixpoints backwards, with small diagrams first.

The functions are applied in no fixed order (chaotic iteration; the least fixpoint is the same): an
update that would make the set of an area much larger than all sets are waits until nothing smaller
is left to do, and then the smallest ones of those that wait are made. What lies in between is often
much larger than what comes out.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Mapping

from msgspec import Struct

from zubrel.explored.backward.areas import Areas, shared
from zubrel.explored.backward.functions import Function, Functions
from zubrel.explored.symbolic.encoding import Assignment, Diagram
from zubrel.explored.symbolic.reordering import reorder

FIRST_SIZE = 64
"""Nodes of a diagram that are always allowed."""
ALIKE = 1.1
"""Updates that wait are made together with the smallest of them up to so many times its nodes. (To
allow twice as many for all at once instead: bazaar L 11 took 2.0 s and not 0.2, the lodge 3.2 and
not 0.6, a ship with small numbers 5 and not 10.)"""
GROWN = 1.3
"""Updates are made at once up to so many times the nodes of the largest set. (Where each that made
it larger waited, what leads to a win of a bazaar XL applied all functions 850 times and not 56, and
took 40 s and not 10; with 1.6 two others took twice as long as with 1.3.)"""
REORDERED, REORDERING = 10_000, 0.5
"""Nodes from which on an order is looked for in which the sets are smaller, then each time that
they have become twice as many; and the work on that, in that since the last time. (With 3,000, half
as many more and as much work six feathers took 6.9 million units and not 9.9, but bazaars XL 2, 4
and 9 31, 23 and 28 and not 21, 19 and 16; the feathers alone took 7 to 16 with other numbers.)"""
WORTHWHILE = 0.9
"""Part of the nodes that has to be left in another order, so that the next sets of that size are
worth another look (all of bazaar L 1 looked 70 times, 0.3 s each, for a twentieth of the nodes)."""
LOOKED_UP = 4
"""Nodes that are gone through for a unit of work. Chosen, not measured: where only new nodes
counted, 20 million units took 66 s in a bazaar L."""


class Update(Struct, frozen=True, eq=False):
    """By which function the set of an area has grown, and to what."""

    function: Function
    grown: Diagram


class Closure(Struct, frozen=True):
    """A set closed backwards, the seed it has grown from, and how: by area, in their order.

    `hit`: it ends where it has come to what was looked for, and may be larger than this.
    """

    seed: Areas
    areas: Areas
    updates: tuple[tuple[int, ...], ...]
    history: tuple[Update, ...]
    hit: bool

    def added_by(self, area: int, bits: Assignment) -> int:
        """The number of the update by which a situation, that the seed does not hold, came in."""
        # sets only grow: the first update that holds it
        updates = self.updates[area]
        return updates[
            bisect_left(updates, True, key=lambda n: bool(self.history[n].grown.eval(bits)))
        ]

    def sets_before(self, number: int) -> list[Diagram]:
        """By area, the sets as they were before an update."""
        sets = []
        for seed, updates in zip(self.seed, self.updates, strict=True):
            # sets are kept with the updates that made them, so that none has to be made again
            earlier = bisect_left(updates, number)
            sets.append(self.history[updates[earlier - 1]].grown if earlier else seed)
        return sets


class BackwardFixpoint:
    """One fixpoint over situations at rest: a step is taken with all that follows by itself.

    `within` is what it never leaves, `until` what ends it when it is come to.
    `barred` are, by the number of a step, situations from which it is not taken.
    Where it is not `told` how the set has grown, less is kept, and an order of the variables is
    looked for in which the sets are smaller.
    """

    def __init__(
        self,
        functions: Functions,
        seed: Areas,
        within: Areas,
        until: Callable[[int, Diagram], bool] | None = None,
        barred: Mapping[int, Areas] | None = None,
        told: bool = True,
    ) -> None:
        self.functions = functions
        self.encoding = functions.encoding
        # a rougher set begins rough: its own seed is among what it leaves things out of
        self.seed = tuple(self.approximated(diagram) for diagram in shared(seed, within))
        # areas outside of these are cut off each update: plays never come there, or it is settled
        # already
        self.within = within
        self.until = until
        self.barred = barred or {}
        self.told = told
        self.sets = list(self.seed)
        self.sizes = [s.node_count() for s in self.sets]
        self.allowed = self._largest()
        self.history: list[Update] = []
        self.updates: list[list[int]] = [[] for _ in self.sets]
        self.due: dict[int, Function] = {}
        """Those that have something new to be applied to."""
        self.busy: set[int] = set()
        """The numbers of those that have added something."""
        self.late: dict[int, tuple[int, Function]] = {}
        """Those whose update would have been too large, with its nodes."""
        # whatever leads into an area that holds something from the beginning is due first
        for area, diagram in enumerate(self.sets):
            if diagram.satisfiable():
                self._wake(area)
        self.hit = False
        # what was spent so far is others' work, and does not count towards a new order
        self._began = self.encoding.budget.work
        self._reorder_at = max(REORDERED, functions.well_ordered)

    def run(self) -> Closure:
        """Raises what `Budget.spend` does; it goes on from there when it is run again."""
        self.hit = self.until is not None and any(
            self.until(area, diagram) for area, diagram in enumerate(self.sets)
        )
        while not self.hit and (self.due or self.late):
            if not self.due:
                self._allow_the_smallest()
            # what has added nothing so far waits until the others rest: a key that is bought and
            # used up over and over would wake all that has nothing to do with it each time
            busy = [f for f in self.due.values() if f.number in self.busy]
            # small sets first: what is added to them may spare work on the large ones
            batch = sorted(
                busy or self.due.values(), key=lambda f: (self.sizes[f.target], f.number)
            )
            for function in batch:
                # what adds one to an amount is done over and over: with all others in between each
                # time, an amount to 99 would take 99 rounds
                while function.number in self.due and not self.hit:
                    self._apply(function)
            # where sets have become smaller, nothing may be made as large as they were
            self.allowed = self._largest()
            if not self.told and sum(self.sizes) > self._reorder_at:
                self._reorder()
        return self.closure()

    def closure(self) -> Closure:
        """The sets as they are now, which are all that is known where it has not run to its end."""
        return Closure(
            self.seed,
            tuple(self.sets),
            tuple(map(tuple, self.updates)),
            tuple(self.history),
            self.hit,
        )

    def _reorder(self) -> None:
        """Look for an order of the variables in which the sets are smaller."""
        budget = self.encoding.budget
        left = reorder(self.encoding, self.sets, REORDERING * (budget.work - self._began))
        self._began = budget.work
        self.sizes = [s.node_count() for s in self.sets]
        self.allowed = self._largest()
        self._reorder_at = max(REORDERED, 2 * sum(self.sizes))
        # the next sets that are closed are much like these: what is no better for them hardly is
        # for others of their size
        self.functions.well_ordered = self._reorder_at if left > WORTHWHILE else 0
        # what was too large may not be in another order
        self.due.update((number, function) for number, (_, function) in self.late.items())
        self.late.clear()

    def _allow_the_smallest(self) -> None:
        """Only updates are left that make sets larger: the smallest of them are due now."""
        self.allowed = int(ALIKE * min(size for size, _ in self.late.values()))
        # several of about the same size at once: each may make the others smaller or needless
        for number, (size, function) in list(self.late.items()):
            if size <= self.allowed:
                self.due[number] = function
                del self.late[number]

    def _largest(self) -> int:
        """A little more nodes than any set has, and as are always allowed."""
        return int(GROWN * max([FIRST_SIZE, *self.sizes]))

    def _wake(self, area: int) -> None:
        """What leads into an area has something new to be applied to."""
        for function in self.functions.leading_into.get(area, ()):
            self.due[function.number] = function
            self.late.pop(function.number, None)

    def approximated(self, diagram: Diagram) -> Diagram:
        """What is added to a set for some situations: these, and more where that is rough."""
        return diagram

    def _apply(self, function: Function) -> None:
        area, old = function.area, self.sets[function.area]
        before = self.functions.before_resting(function, self.sets) & self.within[area]
        assert function.step is not None, "what happens by itself follows a step"
        if function.step.number in self.barred:
            before = before & ~self.barred[function.step.number][area]
        # after all that is cut from it: what is left out would bring that back
        new = old | self.approximated(before)
        self.encoding.pause()
        grows = new != old
        if grows:
            size = new.node_count()
            # what was made before and is looked up again takes time as well
            self.encoding.budget.spend(size // LOOKED_UP)
        # where the work ends before, it is still to be applied
        del self.due[function.number]
        if not grows:
            return
        # what makes the set smaller in nodes is welcome, however large
        if size > self.allowed and size > self.sizes[area]:
            self.late[function.number] = size, function
            return
        self.sets[area], self.sizes[area] = new, size
        if self.told:
            self.updates[area].append(len(self.history))
            self.history.append(Update(function, new))
        self.busy.add(function.number)
        self._wake(area)
        self.hit = self.until is not None and self.until(area, new)
