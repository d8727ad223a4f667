"""What a win costs from many situations at once, where whatever is had stays had.

A value costs what brings it cheapest, and that costs one move and all that it asks for, added up
(Bonet, Geffner: Planning as heuristic search, 2001, for variables of many values). An amount is
brought one gain after the other, so that six coins cost six times what one does. The sums are
worked out for whole columns of situations: one at a time they would take a hundred times as long.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from zubrel.certain.bringing import Bringer, Row, Table, adding, mapping, setting
from zubrel.certain.plans import place_after
from zubrel.compiled.operators import Effect, Operator
from zubrel.compiled.parts import ENDING, Change, Operation
from zubrel.compiled.possible import (
    ALWAYS,
    Among,
    AnyPossible,
    Count,
    Every,
    Possible,
    Weight,
    places_of,
    variables_of,
)
from zubrel.compiled.relaxation import Relaxation

FAR = float("inf")
"""What a value costs to which nothing leads. All else is less, though what many things ask for is
counted for each of them: where such things follow upon each other, it doubles each time."""
ROUNDS = 60
"""Rounds after which values are taken to cost what they do by then: these numbers lead a search,
and prove nothing."""
WRITE = 1_000
"""Units of work to write down an operator, with the functions on columns that make its moves."""
APPLIED, CELLS = 16, 600
"""Units of work to bring one effect, and cells of a table that take one more."""
PER_SUM = 4
"""How often a cell is gone through where something is added to an amount."""

Reader = Callable[[Table], Row]
"""What something that is asked for costs."""


class _Brought(Struct, frozen=True):
    """An effect: the variable, under which conditions, whether what it makes of a value costs that
    value first, and how many rows of a table it takes."""

    variable: int
    bring: Bringer
    whens: tuple[Reader, ...]
    from_before: bool
    rows: int


class _Costed(Struct, frozen=True):
    """An operator: what it costs by itself, what it asks for by variable (None: of several)."""

    weight: int
    asked: tuple[tuple[int | None, Reader], ...]
    brought: tuple[_Brought, ...]
    reads: frozenset[int]


class Costs:
    """What wins cost, as far as operators lead to them that are possible from some start on."""

    def __init__(self, relaxation: Relaxation, start: Sequence[int]) -> None:
        self.variables = relaxation.system.variables
        self.work = float(WRITE * len(relaxation.operators.all))
        """Units of work that were done since somebody has accounted for them."""
        sizes = [variable.size for variable in self.variables]
        self.first = [sum(sizes[:number]) for number in range(len(sizes))]
        """The row of the first value of each variable."""
        self.rows = sum(sizes)
        operators, (order, work) = relaxation.operators.all, _by_layers(relaxation, start)
        self.work += work
        # an end that is no win leads to none
        useful = [
            number for number in order if operators[number].wins or not _ends(operators[number])
        ]
        self.only_high = _only_high(self.variables, [operators[number] for number in useful])
        self.costed = [self._costed(operators[number]) for number in useful]
        self.win = self._among(ENDING, relaxation.good)

    def of(self, values: npt.NDArray[np.int64]) -> Row:
        """What a win costs from each of some situations; `FAR`: nothing leads to any.

        `values` are the places of values among those of their variables, a row a variable and a
        column a situation.
        """
        count = values.shape[1]
        table: Table = np.full((self.rows, count), FAR)
        for first, places in zip(self.first, values, strict=True):
            table[first + places, np.arange(count)] = 0
        # an operator has its turn again only where something that it reads costs less by now
        lowered, looked = [1] * len(self.variables), [0] * len(self.costed)
        now, applied, cells = 1, 0, 0
        for _ in range(ROUNDS):
            before = now
            self.work += len(self.costed)
            for number, costed in enumerate(self.costed):
                if all(lowered[variable] <= looked[number] for variable in costed.reads):
                    continue
                looked[number] = now
                applied += len(costed.brought)
                cells += sum(brought.rows for brought in costed.brought) * count
                for variable in self._apply(costed, table, count):
                    now += 1
                    lowered[variable] = now
            if now == before:
                break
        self.work += applied * APPLIED + cells / CELLS
        return self.win(table).copy()

    def _apply(self, costed: _Costed, table: Table, count: int) -> list[int]:
        """The variables of which an operator makes values cheaper."""
        asked = [(variable, read(table)) for variable, read in costed.asked]
        lowered = []
        for brought in costed.brought:
            cost = np.full(count, float(costed.weight))
            for variable, row in asked:
                # the value before is counted where it is made into another one
                if not brought.from_before or variable != brought.variable:
                    cost += row
            for read in brought.whens:
                cost += read(table)
            if brought.bring(table, cost):
                lowered.append(brought.variable)
        return lowered

    # written out

    def _costed(self, operator: Operator) -> _Costed:
        asked = [
            (variable, self._among(variable, mask))
            for variable, mask in operator.allowed.items()
            # what is going on asks for that everywhere, and nothing ends before a win
            if (variable, mask) != (ENDING, 1)
        ]
        # whether it all can be carried is left to a search that follows
        others = [(None, self._possible(part)) for part in operator.others]
        brought = [b for effect in operator.effects if (b := self._brought(effect, operator))]
        reads = set(operator.reads) | {b.variable for b in brought if b.from_before}
        weight = int(operator.step is not None and not operator.walks)
        return _Costed(weight, (*asked, *others), tuple(brought), frozenset(reads))

    def _among(self, variable: int, mask: int) -> Reader:
        first, size = self.first[variable], self.variables[variable].size
        places = places_of(mask & (1 << size) - 1)
        low, high = places[0], places[-1]
        if variable in self.only_high:
            high = size - 1
        if low == high:
            return lambda table: table[first + low]
        if variable in self.only_high or len(places) == high - low + 1:
            return lambda table: table[first + low : first + high + 1].min(0)
        rows = np.array(places) + first
        return lambda table: table[rows].min(0)

    def _possible(self, possible: Possible) -> Reader:
        match possible:
            case Among(variable, mask):
                return self._among(variable, mask)
            case Every(parts) if parts:
                every = [self._possible(part) for part in parts]
                return lambda table: np.sum([read(table) for read in every], axis=0)
            case AnyPossible(parts) if parts:
                some = [self._possible(part) for part in parts]
                return lambda table: np.min([read(table) for read in some], axis=0)
            case Count(count, parts):
                these = [self._possible(part) for part in parts]
                return lambda table: np.sort([read(table) for read in these], axis=0)[:count].sum(0)
        free = 0.0 if possible != AnyPossible(()) else FAR
        return lambda table: np.full(table.shape[1], free)

    def _brought(self, effect: Effect, operator: Operator) -> _Brought | None:
        variable, changes = effect.variable, effect.changes
        first, size = self.first[variable], self.variables[variable].size
        allowed = operator.allowed.get(variable, (1 << size) - 1)
        change, when = changes[0]
        whens = () if when == ALWAYS else (self._possible(when),)
        if len(changes) == 1 and change.operation is Operation.SET:
            row = first + change.number - self.variables[variable].low
            return _Brought(variable, setting(row), whens, from_before=False, rows=1)
        if all(c.operation is Operation.ADD and w == ALWAYS for c, w in changes):
            # what is paid and what is given back are one sum
            change = Change(variable, Operation.ADD, sum(c.number for c, _ in changes))
            changes = ((change, ALWAYS),)
        if len(changes) == 1 and change.operation in (Operation.ADD, Operation.ADD_UP_TO_END):
            if variable in self.only_high:
                if change.number <= 0:
                    return None  # nobody asks for less
                # room for it there always is, but what it asks for has to be there
                least = allowed & -allowed
                allowed = (1 << size) - least
            places = places_of(allowed)
            ends = change.operation is Operation.ADD_UP_TO_END
            if len(places) == places[-1] - places[0] + 1:
                run = range(first + places[0], first + places[-1] + 1)
                bring = adding(range(first, first + size), run, change.number, ends)
                return _Brought(variable, bring, whens, True, PER_SUM * size)
        # whether what else it asks for holds is left open: each value leads to all that it may
        pairs = [
            (first + place, first + after)
            for place in places_of(allowed)
            for after in self._after(variable, place, changes)
            if after != place
        ]
        if not pairs:
            return None
        return _Brought(variable, mapping(pairs), (), True, PER_SUM * len(pairs))

    def _after(
        self, variable: int, place: int, changes: Sequence[tuple[Change, Possible]]
    ) -> list[int]:
        """The places that a value may be changed to."""
        domain, here = self.variables[variable], {place}
        for change, when in changes:
            own = isinstance(when, Among) and when.variable == variable
            # asked of the value before all changes
            if isinstance(when, Among) and own and not when.mask >> place & 1:
                continue
            moved = {place_after(change, before, domain) for before in here}
            here = moved if own or when == ALWAYS else here | moved
        return sorted(after for after in here if 0 <= after < domain.size)


def _by_layers(relaxation: Relaxation, start: Sequence[int]) -> tuple[list[int], float]:
    """The operators that are possible from sets of values on, in the order of their layers, and the
    units of work to find them."""
    operators, work = relaxation.operators, 0.0
    domains, order = list(start), dict[int, None]()
    while True:
        after, gained = list(domains), list[tuple[int, int, int]]()
        for run in operators.run:
            run(domains, after, gained)
        work += relaxation.apply * len(operators.run)
        order |= dict.fromkeys(number for _, _, number in gained)
        if not gained:
            break
        domains = after
    # the others bring what something else has brought before them
    rest = [n for n in range(len(operators.run)) if operators.is_possible(n, domains)]
    return list(order | dict.fromkeys(rest)), work


def _ends(operator: Operator) -> bool:
    return any(effect.variable == ENDING for effect in operator.effects)


def _only_high(variables: Sequence[Any], operators: Sequence[Operator]) -> frozenset[int]:
    """Amounts of which nothing asks for little, but for room for more: who has more can do all
    that others can, or spend it."""
    low = set[int]()
    for operator in operators:
        parts = [*operator.others, *(when for e in operator.effects for _, when in e.changes)]
        # a load asks for little of each, and is left to the search
        asked = [part for part in parts if not isinstance(part, Weight)]
        low |= {variable for part in asked for variable in variables_of(part)}
        gains = {
            effect.variable: sum(change.number for change, _ in effect.changes)
            for effect in operator.effects
            if all(change.operation is Operation.ADD for change, _ in effect.changes)
        }
        for variable, mask in operator.allowed.items():
            top = variables[variable].size - 1
            if mask.bit_length() - 1 < top - max(0, gains.get(variable, 0)):
                low.add(variable)
        # what is more than two states is no amount; what is set is not added up
        for effect in operator.effects:
            sums = (Operation.ADD, Operation.ADD_UP_TO_END)
            if any(change.operation not in sums for change, _ in effect.changes):
                low.add(effect.variable)
    return frozenset(n for n, v in enumerate(variables) if v.size > 2 and n not in low)
