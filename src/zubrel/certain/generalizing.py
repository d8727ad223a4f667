"""Sets of situations that are lost for the same reason as one that is.

From a situation that is lost for sure, sets of values come to no win. Little of it is to blame: a
win asks for values that are never had; whatever brings one of them asks for another one that is
never had, and so on, until all of them keep each other away. Who has none of these values has lost
as well, whatever else may be so (traps, and what is learnt from dead ends: Lipovetzky, Muise,
Geffner: Traps, invariants, and dead-ends, 2016; Steinmetz, Hoffmann: Towards clause-learning state
space search, 2016). Which of them are taken is a guess, by how much each would ask for in turn; so
the relaxation is asked once more, of the whole set, and its no is the proof.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from zubrel.compiled.operators import Domains, Effect, Gain
from zubrel.compiled.parts import ENDING, Change, Operation, Variable
from zubrel.compiled.possible import (
    ALWAYS,
    Among,
    AnyPossible,
    Count,
    Every,
    Possible,
    Weight,
)
from zubrel.compiled.relaxation import Relaxation
from zubrel.compiled.system import System

WRITER, CHOOSING = 0.5, 8
"""Units of work to look at what may bring a value; and how many times as much as to apply an
operator it takes to choose what to deny (with counters to 100 and to a million)."""
MOST_DENIED = 1_000
"""Times that something is denied for one set: a counter to a million would be gone back along by
ones. Chosen."""

Values = dict[int, int]
"""By variable, some of its values."""


class Generalizing:
    """Finds sets of lost situations around single ones."""

    def __init__(self, system: System, relaxation: Relaxation) -> None:
        self.system = system
        self.relaxation = relaxation

    @cached_property
    def writers(self) -> list[list[tuple[int, Effect]]]:
        """By variable the numbers of the operators that change it, and how each does."""
        # most small worlds are proved before anything is asked here
        writers: list[list[tuple[int, Effect]]] = [[] for _ in self.system.variables]
        for number, operator in enumerate(self.relaxation.operators.all):
            for effect in operator.effects:
                writers[effect.variable].append((number, effect))
        return writers

    def around(self, start: Domains) -> tuple[Among, ...] | None:
        """The variables that matter, each with the values that it may have, so that no win is left.

        None where the relaxation knows of a win from `start`, or no such set is found. Raises what
        `spend` does.
        """
        future = self.relaxation.fixpoint(start)
        if future[ENDING] & self.relaxation.good:
            return None
        denied = _Denying(self, start, future).denied()
        if denied is None:
            return None
        possible = self.system.possible_values
        # what no play ever has is left out: the relaxation might think of wins by it
        sets = [mask & ~denied.get(v, 0) for v, mask in enumerate(possible)]
        sets[ENDING] = start[ENDING]
        # loads, conditions and sums may have been taken for less than they are
        if self.relaxation.may_win(sets):
            return None
        matter = (v for v in sorted(denied) if v != ENDING and possible[v] & ~sets[v])
        return tuple(Among(v, sets[v]) for v in matter)


class _Denying:
    """Collects values that are never had in the future of a start, until they deny each other."""

    def __init__(self, whole: Generalizing, start: Domains, future: Domains) -> None:
        self.relaxation = whole.relaxation
        self.operators = whole.relaxation.operators
        self.additions = whole.relaxation.additions
        self.writers = whole.writers
        self.variables = whole.system.variables
        self.full = self.operators.masks.full
        self.start = start
        self.future = future
        self.values: Values = {}
        """Those that must never be had."""
        self.others = list(self.full)
        """By variable all others."""
        self.waiting: list[int] = []
        """Variables of which it is still to be seen what brings such values."""
        self.summed: set[int] = set()
        """Those of which all that may be added does not suffice."""
        self.times = 0
        """How often something was denied."""

    def denied(self) -> Values | None:
        """By variable the values that the start must not have; None: none are found."""
        self._deny({ENDING: self.relaxation.good})
        while self.waiting:
            variable = self.waiting.pop()
            for number, effect in self.writers[variable]:
                if not self._keeps_away(number, effect):
                    return None
        return {**self.values, **{v: self._more_than_fits(v) for v in self.summed}}

    def _deny(self, values: Values) -> None:
        for variable, mask in values.items():
            known = self.values.get(variable, 0)
            if mask & ~known:
                self.values[variable] = known | mask
                self.others[variable] &= ~mask
                if variable not in self.waiting:
                    self.waiting.append(variable)

    def _keeps_away(self, number: int, effect: Effect) -> bool:
        """Deny so much that an operator brings no value that is denied; whether that can be."""
        variable = effect.variable
        self.relaxation.budget.spend(WRITER)
        if variable in self.summed and self._adds(number, variable):
            # what is counted is not to be kept away, and nothing else may count
            if self._is_possible(number, self.future):
                return True
            while self._is_possible(number, self.others):
                if not self._deny_one(number, effect):
                    return False
            return True
        # each denial leaves less to bring: there is an end to it
        while self._brings(number, variable):
            if self._deny_one(number, effect):
                continue
            if variable not in self.additions.capped or variable in self.summed:
                return False
            self.summed.add(variable)
            # from now on all that adds to it is looked at in another way
            if variable not in self.waiting:
                self.waiting.append(variable)
            return True
        return True

    def _brings(self, number: int, variable: int) -> bool:
        """Whether an operator brings a value that is denied, where no such is had before."""
        gained: list[Gain] = []
        self.relaxation.budget.spend(self.relaxation.apply)
        self.operators.run[number](self.others, [0] * len(self.others), gained)
        return any(v == variable and new & self.values[v] for v, new, _ in gained)

    def _is_possible(self, number: int, domains: Domains) -> bool:
        self.relaxation.budget.spend(self.relaxation.apply)
        return self.operators.is_possible(number, domains)

    # what to deny

    def _deny_one(self, number: int, effect: Effect) -> bool:
        """Deny one more thing that an operator asks for; whether there was any, and it is not too
        much."""
        self.times += 1
        self.relaxation.budget.spend(CHOOSING * self.relaxation.apply)
        ways = self._ways(number, effect) if self.times <= MOST_DENIED else []
        if ways:
            self._deny(min(ways, key=self._price))
        return bool(ways)

    def _ways(self, number: int, effect: Effect) -> list[Values]:
        """What may be denied, so that an operator brings less; each of them says something new."""
        operator, variable = self.operators.all[number], effect.variable
        asked: list[Possible] = [Among(v, mask) for v, mask in operator.allowed.items()]
        asked += [*operator.others, *(when for _, when in effect.changes if when != ALWAYS)]
        ways = [way for part in asked if (way := self._denying(part, variable)) is not None]
        if variable != ENDING:
            # or whatever it makes such a value of
            before = _before(effect, self.values[variable], self.variables[variable])
            before &= operator.allowed.get(variable, -1) & self.others[variable]
            ways.append({variable: before & ~self.future[variable]})
        new = [way for way in ways if self._is_new(way)]
        if not new:
            # nothing by itself suffices: all that it might look at stays as the future has it
            looked_at = (*sorted(operator.reads), variable)
            rest = {v: self.full[v] & ~self.future[v] for v in looked_at if v != ENDING}
            new = [rest] if self._is_new(rest) else []
        return new

    def _is_new(self, way: Values) -> bool:
        return any(mask & ~self.values.get(v, 0) for v, mask in way.items())

    def _price(self, way: Values) -> float:
        """How much a way will ask for in turn, as it seems: by all that changes its variables."""
        price = 0.0
        for variable, mask in way.items():
            if mask & ~self.values.get(variable, 0):
                writers = 1 + len(self.writers[variable])
                # some of them were looked at already
                price += writers / 2 if variable in self.values else writers
        return price

    def _denying(self, possible: Possible, of: int) -> Values | None:
        """Values whose lack makes something impossible that is impossible in the future, for a
        change `of` a variable; None: it is possible there."""
        match possible:
            case Among(variable, mask):
                return None if mask & self.future[variable] else {variable: mask}
            case AnyPossible(parts):
                return self._of_all([self._denying(part, of) for part in parts], len(parts))
            case Every(parts):
                return self._of_all([self._denying(part, of) for part in parts], 1)
            case Count(count, parts):
                ways = [self._denying(part, of) for part in parts]
                return self._of_all(ways, len(parts) - count + 1)
            case Weight(load, denied):
                if denied:
                    return None
                # what is carried beside it stays as heavy as it always is
                lowest = {v: self.future[v] & -self.future[v] for v in load.variables if v != of}
                return {v: low - 1 for v, low in lowest.items() if low > 1}

    def _of_all(self, ways: Sequence[Values | None], needed: int) -> Values | None:
        """So many of some ways together, those that ask for least; None: there are too few."""
        known = sorted((way for way in ways if way is not None), key=self._price)
        if len(known) < needed:
            return None
        together: Values = {}
        for way in known[:needed]:
            for variable, mask in way.items():
                together[variable] = together.get(variable, 0) | mask
        return together

    # sums

    def _adds(self, number: int, variable: int) -> bool:
        adding = self.additions.by_operator.get(number, ())
        return any(one.variable == variable for one in adding)

    def _more_than_fits(self, variable: int) -> int:
        """The values of a variable from which all that is added may come to what is denied."""
        additions = self.additions
        most = of_start = self.start[variable].bit_length() - 1
        counted: set[int] = set()
        for number in additions.adders[variable]:
            family = additions.family[number]
            if family not in counted and self._is_possible(number, self.future):
                counted.add(family)
                adding = additions.by_operator[number]
                most += next(one.most for one in adding if one.variable == variable)
        denied = self.values[variable]
        least = (denied & -denied).bit_length() - 1
        # how much more there could have been from the first
        highest = of_start + max(0, least - 1 - most)
        return denied | self.full[variable] & ~((2 << highest) - 1)


def _before(effect: Effect, mask: int, domain: Variable) -> int:
    """The values, as a set, of which an effect may make one in `mask`."""
    for change, when in reversed(effect.changes):
        made = _before_change(change, mask, domain)
        # what is made under a condition may be left out
        mask = made if when == ALWAYS else made | mask
    return mask


def _before_change(change: Change, mask: int, domain: Variable) -> int:
    full, last, number = (1 << domain.size) - 1, domain.size - 1, change.number
    match change.operation:
        case Operation.SET:
            return full if mask >> number - domain.low & 1 else 0
        case Operation.FLIP:
            return (mask & 1) << 1 | mask >> 1
    if number >= 0:
        before = mask >> number
        if change.operation is Operation.ADD_UP_TO_END and mask >> last & 1:
            before |= full & ~((1 << max(0, last - number)) - 1)
        return before
    before = mask << -number & full
    if change.operation is Operation.ADD_UP_TO_END and mask & 1:
        before |= (1 << min(domain.size, -number + 1)) - 1
    return before
