"""Situations as decision diagrams: which bits stand for which variable, and formulas over them.

A set of situations is a diagram over the bits of all variables (Bryant: Graph-based algorithms for
Boolean function manipulation, 1986). The bits of a variable stand together, the highest on top.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import reduce

from oxidd.bdd import BDDFunction, BDDManager

from zubrel.base.budget import Budget, address_space_left, require_room
from zubrel.compiled.formulas import AtLeast, Both, Either, Formula, Load, Opposite, Within
from zubrel.compiled.system import System

Diagram = BDDFunction
Assignment = list[tuple[int, bool]]
"""A value for every bit."""
NODE_BYTES = 40
"""What a node takes with its share of the tables, about; measured, rounded up."""
SELECTORS = 6
"""Bits at the top that tell several sets apart which are worked on at once."""
USUAL_CAPACITY, LARGEST_CAPACITY = 1 << 26, 1 << 28
"""Nodes; their room is only set aside, and taken when it is used."""
SPACE_BYTES, LEAST_SPACE = 100, 600 << 20
"""Address space that is set aside for a node with the growth of its tables, where that is limited:
the library ends the process when it is refused. And what it takes besides, threads included."""
PAUSE = 20
"""Units of work of one step of a fixpoint beside the nodes that it makes; a node is one unit. On
eleven worlds of eight families this told the seconds to within a third."""
LOOK_AFTER = 64
"""Values of a variable between two looks at the limits."""
COLLECT = 0.4
"""The share of the room that new nodes may fill before those no longer used are given up. Done at
fixed points of the work, since what is then made anew counts as work again."""


def _capacity(memory: int | None) -> int:
    """For how many nodes room is set aside. Raises `NoRoom` where there is none."""
    # room is reserved, and taken only as it is used: too much of it costs addresses, no memory
    capacity = USUAL_CAPACITY if memory is None else max(1 << 20, memory // NODE_BYTES)
    space = address_space_left()
    if space is not None:
        require_room(2 * LEAST_SPACE)
        capacity = min(capacity, (space - LEAST_SPACE) // SPACE_BYTES)
    return min(capacity, LARGEST_CAPACITY)


class Encoding:
    """The manager of all diagrams of a system, and the bits of its variables.

    `doubled` variables have a second row of bits beside their own, free in every set of
    situations; `same` is where both rows agree.
    """

    def __init__(
        self, system: System, order: Sequence[int], doubled: frozenset[int], budget: Budget
    ) -> None:
        self.system = system
        self.budget = budget
        self.bits: dict[int, list[int]] = {v: [] for v in range(len(system.variables))}
        self.copies: dict[int, list[int]] = {}
        # on top of all: sets of several questions are told apart by them, and share what lies below
        self.selectors = list(range(SELECTORS))
        count = SELECTORS
        for variable in order:
            # a variable of one value has no bits, and no test of it needs a node
            for _ in range((system.variables[variable].size - 1).bit_length()):
                self.bits[variable].append(count)
                count += 1
                # next to what it copies: that the two are equal takes few nodes there
                if variable in doubled:
                    self.copies.setdefault(variable, []).append(count)
                    count += 1
        self.coded = sorted(order)
        """The variables that have bits."""
        self._upwards = [v for v in reversed(order) if self.bits[v]]
        """Those with bits that tell anything, from the last bits to the first."""
        self.count = count
        self.free = SELECTORS + sum(len(copies) for copies in self.copies.values())
        capacity = _capacity(budget.limits.memory)
        # too small a cache forgets results that are about to be needed again
        cache = 1 << (19 if count < 100 else 21 if count < 400 else 22)
        self.manager = BDDManager(capacity, cache, 1)
        # nodes there were when work was last counted, and after nodes were last collected
        self._made = self._kept = 0
        self._room = int(capacity * COLLECT)
        self.manager.add_vars(count)
        self.true, self.false = self.manager.true(), self.manager.false()
        self._formulas: dict[Formula, Diagram] = {}
        self._values: dict[tuple[int, int], Diagram] = {}
        self._pairs: dict[tuple[int, int], Assignment] = {}
        free = [*(bit for copies in self.copies.values() for bit in copies), *self.selectors]
        self.unused: Assignment = [(bit, False) for bit in free]
        """The bits that are free in all sets."""

    def pause(self) -> None:
        """Count the work since the last pause. Raises what `Budget.spend` does."""
        made = self.manager.approx_num_inner_nodes()
        units = PAUSE + max(0, made - self._made)
        self._made = made
        # before the manager does so by itself, in the middle of an operation
        if made - self._kept > self._room:
            self.collect()
        self.budget.spend(units)

    def collect(self) -> None:
        """Give up the nodes that nobody uses any more."""
        self.manager.gc()
        self._made = self._kept = self.manager.approx_num_inner_nodes()

    # pieces

    def literal(self, bit: int, value: bool) -> Diagram:
        return self.manager.var(bit) if value else self.manager.not_var(bit)

    def cube(self, literals: Iterable[tuple[int, bool]]) -> Diagram:
        """The conjunction of literals."""
        product = self.true
        for bit, value in sorted(literals, reverse=True):
            product = self.literal(bit, value) & product
        return product

    def code(self, variable: int, value: int) -> list[bool]:
        """The bits of a value, the highest first."""
        number, size = value - self.system.variables[variable].low, len(self.bits[variable])
        return [bool(number >> (size - 1 - n) & 1) for n in range(size)]

    def equals(self, variable: int, value: int) -> Diagram:
        """The variable has this value."""
        known = self._values.get((variable, value))
        if known is None:
            # tests of one value are what most formulas are made of
            pairs = zip(self.bits[variable], self.code(variable, value), strict=True)
            known = self._values[variable, value] = self.cube(pairs)
        return known

    def among(self, variable: int, values: Iterable[int]) -> Diagram:
        """The variable has one of these values."""
        union = self.false
        for count, value in enumerate(values):
            union = union | self.equals(variable, value)
            # amounts of thousands of values take their time
            if count % LOOK_AFTER == LOOK_AFTER - 1:
                self.pause()
        return union

    def union(self, diagrams: Iterable[Diagram]) -> Diagram:
        return reduce(lambda a, b: a | b, diagrams, self.false)

    def situation(self, values: Sequence[int]) -> Diagram:
        """The one situation with these values of the variables, in their order."""
        product = self.true
        # from the last bits on: each conjunction only puts something on top
        for variable in self._upwards:
            product = self.equals(variable, values[variable]) & product
        return product

    def assignment(self, values: Sequence[int]) -> Assignment:
        """Every bit of a situation with these values; those that are free in all sets are low."""
        assigned: Assignment = []
        for variable in self._upwards:
            key = variable, values[variable]
            # the bits of a value never change, and situations are made by the ten thousand
            pairs = self._pairs.get(key)
            if pairs is None:
                code = self.code(variable, values[variable])
                pairs = self._pairs[key] = list(zip(self.bits[variable], code, strict=True))
            assigned += pairs
        return assigned + self.unused

    def values(self, diagram: Diagram) -> list[int]:
        """The values of the variables in some situation of a set that is not empty."""
        picked = diagram.pick_cube()
        assert picked is not None, "an empty set has no situation"
        # what has no bits has one value only, its lowest
        values = [variable.low for variable in self.system.variables]
        for number in self.coded:
            value = 0
            for bit in self.bits[number]:
                # a bit that the cube leaves open may be either: low is as good
                value = value * 2 + bool(picked[bit])
            values[number] += value
        return values

    def size(self, diagram: Diagram) -> int:
        """How many situations a set has, exactly."""
        return int(diagram.sat_count(self.count)) >> self.free

    # formulas

    def formula(self, formula: Formula) -> Diagram:
        """The diagram of a formula."""
        known = self._formulas.get(formula)
        if known is None:
            known = self._formulas[formula] = self._formula(formula)
        return known

    def _formula(self, formula: Formula) -> Diagram:
        match formula:
            case Within(variable, low, high):
                return self._within(variable, low, high)
            case Both(parts):
                ordered = sorted(parts, key=self._depth, reverse=True)
                return reduce(lambda f, p: self.formula(p) & f, ordered, self.true)
            case Either(parts):
                ordered = sorted(parts, key=self._depth, reverse=True)
                return reduce(lambda f, p: self.formula(p) | f, ordered, self.false)
            case Opposite(part):
                return ~self.formula(part)
            case AtLeast(count, parts):
                # a count is a sum of truth values
                tests: list[Mapping[int, Diagram]] = []
                for part in parts:
                    holds = self.formula(part)
                    tests.append({1: holds, 0: ~holds})
                return self._sum(tests, lambda total: total >= count, count)
            case Load(variables, marks, high):
                columns: list[Mapping[int, Diagram]] = [
                    {x: self.equals(v, x) for x in range(self.system.variables[v].high + 1)}
                    for v in sorted(variables, key=self._top)
                ]
                for mark in marks:
                    holds = self.formula(mark)
                    columns.append({1: holds, 0: ~holds})
                return self._sum(columns, lambda total: total <= high, high + 1)

    def _depth(self, formula: Formula) -> int:
        return self._top(formula.variable) if isinstance(formula, Within) else -1

    def _top(self, variable: int) -> int:
        return self.bits[variable][0] if self.bits[variable] else -1

    def _within(self, variable: int, low: int, high: int) -> Diagram:
        domain = self.system.variables[variable]
        bits = self.bits[variable]
        interval = self.true
        if high < domain.high:
            interval = self._at_most(bits, high - domain.low)
        if low > domain.low:
            interval = interval & ~self._at_most(bits, low - domain.low - 1)
        return interval

    def _at_most(self, bits: Sequence[int], number: int) -> Diagram:
        at_most = self.true
        for place, bit in enumerate(reversed(bits)):
            one = bool(number >> place & 1)
            zero = self.literal(bit, False)
            at_most = zero | at_most if one else zero & at_most
        return at_most

    def _sum(
        self, columns: Sequence[Mapping[int, Diagram]], good: Callable[[int], bool], most: int
    ) -> Diagram:
        """Where the sum of one number from each column is good; sums from `most` on count alike."""
        # from the last column back: what a total leads to is known when the columns before it are
        # added
        totals = {total: self.true if good(total) else self.false for total in range(most + 1)}
        for column in reversed(columns):
            sums = {}
            for total in totals:
                sums[total] = self.union(
                    where & totals[min(most, total + number)] for number, where in column.items()
                )
                self.pause()
            totals = sums
        return totals[0]

    def valid(self, variables: Iterable[int]) -> Diagram:
        """The bits of these variables stand for some value."""
        valid = self.true
        for variable in variables:
            size = self.system.variables[variable].size
            if size < 1 << len(self.bits[variable]):
                valid = valid & self._at_most(self.bits[variable], size - 1)
        return valid

    def level_of(self, diagram: Diagram) -> int:
        """Where in the order of bits the one on top of a diagram stands; behind all, of none."""
        level = diagram.node_level()
        return self.count if level is None else level

    # several sets at once

    def selected(self, number: int) -> Diagram:
        """The selectors have this number."""
        return self.cube((bit, bool(number >> n & 1)) for n, bit in enumerate(self.selectors))

    def selected_union(self, sets: Sequence[Diagram]) -> Diagram:
        """Up to 2^SELECTORS sets as one, each under its number."""
        return self.union(
            situations & self.selected(number) for number, situations in enumerate(sets)
        )

    def split_by_selectors(self, combined: Diagram, count: int) -> list[Diagram]:
        """The opposite of `together`."""
        bits = self.positive_cube(self.selectors)
        return [(combined & self.selected(n)).exists(bits) for n in range(count)]

    # the second row of bits

    def same(self, variables: Iterable[int]) -> Diagram:
        """Both rows of bits of some doubled variables agree."""
        equal = self.true
        pairs = [p for v in variables for p in zip(self.bits[v], self.copies[v], strict=True)]
        for bit, copy in sorted(pairs, reverse=True):
            equal = equal & self.manager.var(bit).equiv(self.manager.var(copy))
        return equal

    def positive_cube(self, bits: Iterable[int]) -> Diagram:
        """The bits to be quantified, in the form that the library wants."""
        return self.cube((bit, True) for bit in bits)
