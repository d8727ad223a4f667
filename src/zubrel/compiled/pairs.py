"""Which values of two variables may ever be had together: what is told of no pair is certain.

Every value that a play may come to is kept with the values of other variables that may be had
beside it. An operator is possible where the values that it allows may be had two by two; the values
that it brings are had beside what may be had with those that it asks for (h² of planning: Haslum,
Geffner: Admissible heuristics for optimal planning, 2000; as invariants for searching backwards:
Alcázar, Torralba: A reminder about the importance of computing and exploiting invariants, 2015). A
way that shuts behind the player for good and must be gone back, a thing that lies behind the door
for which it is spent: sets of single values know nothing of these. What limits on
carrying exclude is left out from the first.

A set of values, of whatever variables, is a number with a bit for each. Variables of many values
are left out: amounts of money exclude little, and would be nearly all of the work.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import permutations
from typing import Protocol

from zubrel.base.budget import Budget, Limits, WorkSpent
from zubrel.compiled.formulas import Load
from zubrel.compiled.operators import Compiled, Effect, Operators
from zubrel.compiled.parts import PLACE, Change, Operation, Variable
from zubrel.compiled.possible import ALWAYS
from zubrel.policy import PAIRS, PAIRS_SIZE

WIDE = 32
"""Values of a variable beyond which it is left out (the place never is)."""
APPLY, EACH = 8, 2
"""Units of work to apply an operator, and for each value that it may change."""


class Limited(Compiled, Protocol):
    """What has to be known of a system beside its operators."""

    @property
    def start(self) -> tuple[int, ...]: ...

    @property
    def loads(self) -> tuple[Load, ...]: ...


class Pairs:
    """The least sets of pairs closed under all operators of a system.

    `possible[n]`: operator number n may be applied in some situation that a play comes to.
    """

    def __init__(self, system: Limited, operators: Operators, values: Sequence[int]) -> None:
        """`values` are masks of those that each variable may have."""
        self.variables = system.variables
        self.operators = operators
        self.places: list[int] = []
        """By variable the bit of its lowest value; those of one variable stand together."""
        count = 0
        for variable in system.variables:
            self.places.append(count)
            count += variable.size
        # one number for all values of all variables, so that sets are joined and cut in one
        # operation
        self.full = [
            (1 << v.size) - 1 << place for v, place in zip(self.variables, self.places, strict=True)
        ]
        # the place has many values, and most pairs that matter are with an area
        self.wide = [v.size > WIDE and n != PLACE for n, v in enumerate(self.variables)]
        self.among = sum(
            mask << place for mask, place in zip(values, self.places, strict=True)
        )  # each value stands for one bit, so that adding is joining
        """Values beyond which nobody looks."""
        self.free = sum(
            self.among & full for full, wide in zip(self.full, self.wide, strict=True) if wide
        )
        """Those of variables that are left out: had beside everything."""
        self.beside = [self.free] * count
        """By value: the values that may be had beside it, itself included."""
        self.loads = [self._weights(load) for load in system.loads]
        """For each limit by variable: the bits of its values, each with what it weighs."""
        self.limits = [load.high for load in system.loads]
        # limits on carrying hold in every situation: what they exclude needs no search
        self.excluded = self._too_heavy()
        """By value: those that weigh too much beside it."""
        self.reached = self.free
        # all values of the start are had at once
        self._note(self._start(system.start))
        self.possible = [False] * len(operators.all)
        # all others ask single variables for values only, which masks of pairs tell
        self._whole = {
            number
            for number, operator in enumerate(operators.all)
            if operator.others or any(w != ALWAYS for e in operator.effects for _, w in e.changes)
        }
        """Operators of which a test is more than one of single variables."""
        self._asked = [self._masks_asked(operator.allowed) for operator in operators.all]
        self._reads = [self._read(n) for n in range(len(operators.all))]

    def _start(self, start: Sequence[int]) -> int:
        values = zip(self.variables, self.places, start, self.wide, strict=True)
        return sum(1 << place + at - v.low for v, place, at, wide in values if not wide)

    def _note(self, together: int) -> None:
        """Some values are had at once."""
        self.reached |= together
        for bit in bits_of(together):
            self.beside[bit] |= together

    def _masks_asked(self, allowed: Mapping[int, int]) -> list[int]:
        """By variable that is asked for the values that will do, as far as they are looked at."""
        shifted = ((v, mask << self.places[v] & self.among) for v, mask in allowed.items())
        return [mask for v, mask in shifted if not self.wide[v]]

    def _read(self, number: int) -> int:
        """The values that decide whether an operator is possible, and what it brings."""
        operator = self.operators.all[number]
        # what it changes belongs to it: what is had beside the old value decides what is beside the
        # new one
        return sum(self.full[v] for v in {*operator.reads, *(e.variable for e in operator.effects)})

    def _weights(self, load: Load) -> list[list[tuple[int, int]]]:
        """By variable of a limit the bits of its values, and what each weighs."""
        # of a stock each value weighs as much as it counts
        each = [
            [(self.places[v] + at, at) for at in range(self.variables[v].size)]
            for v in load.variables
        ]
        for mark in load.marks:
            # a mark weighs one where its test holds, whatever its value
            variable, place = self.variables[mark.variable], self.places[mark.variable]
            each.append(
                [
                    (place + at, int(mark.low <= variable.low + at <= mark.high))
                    for at in range(variable.size)
                ]
            )
        return each

    def _too_heavy(self) -> dict[int, int]:
        excluded: dict[int, int] = {}
        for each, limit in zip(self.loads, self.limits, strict=True):
            # two values alone may weigh too much; more than two at once are looked at for each
            # operator
            for one, other in permutations(each, 2):
                for bit, weight in one:
                    heavy = sum(1 << b for b, w in other if weight + w > limit)
                    excluded[bit] = excluded.get(bit, 0) | heavy
        return excluded

    def _is_too_heavy(self, known: int) -> bool:
        """Whether the lightest values of a set weigh too much together."""
        for each, limit in zip(self.loads, self.limits, strict=True):
            # even the lightest choice of what is left breaks the limit
            if sum(min((w for b, w in one if known >> b & 1), default=0) for one in each) > limit:
                return True
        return False

    def close(self, budget: Budget) -> Pairs:
        """All that operators bring. Raises `WorkSpent` as `Budget.spend` does: then nothing is
        certain."""
        due = list(range(len(self.operators.all)))
        while due:
            changed = 0
            for number in due:
                budget.spend(APPLY)
                changed |= self._apply(number, budget)
            # only operators that read something new may bring something new
            due = [n for n, read in enumerate(self._reads) if changed & read]
        return self

    # what is told

    def had_beside_all(self, masks: Sequence[int]) -> int:
        """What may be had beside some value of each mask, themselves included; 0: of two of them
        no values may be had at once. A mask has values of one variable.
        """
        known = self.reached
        while True:
            before = known
            for mask in masks:
                beside = 0
                for bit in bits_of(mask & known):
                    beside |= self.beside[bit]
                known &= beside
                if not known:
                    return 0
            # what is left of one variable may rule out values of another
            # a single variable has nobody to rule its values out
            if known == before or len(masks) < 2:
                return known

    def values_beside(self, variable: int, at: int, other: int) -> int:
        """The values of another variable that may be had beside a value, as a mask.

        `at` is the place of the value among those of its variable.
        """
        beside = self.beside[self.places[variable] + at]
        return beside >> self.places[other] & (1 << self.variables[other].size) - 1

    def values(self) -> list[int]:
        """For each variable the values that it may ever have, as a mask."""
        return self.masks(self.reached)

    def masks(self, values: int) -> list[int]:
        """A set of values as a mask for each variable."""
        pairs = zip(self.full, self.places, strict=True)
        return [(values & full) >> place for full, place in pairs]

    # one operator

    def _apply(self, number: int, budget: Budget) -> int:
        """Note what an operator brings; the values of which something new is known."""
        operator = self.operators.all[number]
        known = self.had_beside_all(self._asked[number])
        # what it asks for is never had together as far as is known; it is asked again when more is
        if not known or self._is_too_heavy(known):
            return 0
        domains: Sequence[int] = ()
        if number in self._whole:
            # tests of several variables are asked of sets of values, as the relaxation does
            domains = self.masks(known)
            holds = self.operators.masks.holds
            if not all(holds(part, domains) for part in operator.others):
                return 0
        self.possible[number] = True
        effects = [e for e in operator.effects if not self.wide[e.variable]]
        # all effects are about the situation before, so that they are worked out before any is
        # noted
        after = [self._results(effect, known, domains) for effect in effects]
        touched = sum(self.full[effect.variable] for effect in effects)
        changed = 0
        for number, results in enumerate(after):
            budget.spend(EACH * len(results))
            for new, beside in self._brought(number, known, after, touched).items():
                changed |= self._join(new, beside)
        return changed

    def _results(self, effect: Effect, known: int, domains: Sequence[int]) -> dict[int, int]:
        """By value of a variable before, as its bit: the values that it may have afterwards."""
        variable = effect.variable
        place, domain = self.places[variable], self.variables[variable]
        holds = self.operators.masks.holds
        made = [
            (c, when == ALWAYS)
            for c, when in effect.changes
            if when == ALWAYS or holds(when, domains)
        ]
        results: dict[int, int] = {}
        # value by value: what is had beside a value before belongs to what it becomes
        for bit in bits_of(known & self.full[variable]):
            values = {bit - place}
            for change, surely in made:
                moved = {after for value in values for after in _changed(domain, change, value)}
                # a change under a condition may not be made
                values = moved if surely else values | moved
            results[bit] = sum(1 << place + value for value in values) & self.among
        return results

    def _brought(
        self, number: int, known: int, after: Sequence[dict[int, int]], touched: int
    ) -> dict[int, int]:
        """By value that a variable may have afterwards: what may be had beside it then."""
        brought: dict[int, int] = {}
        others = [results for n, results in enumerate(after) if n != number]
        for bit, values in after[number].items():
            # beside the old value of the variable: what is never had beside it is not there when it
            # changes
            with_it = known & self.beside[bit]
            beside = with_it & ~touched
            for results in others:
                # what changes at the same time is had beside it as it is afterwards
                moved = 0
                for other, value in results.items():
                    if with_it >> other & 1:
                        moved |= value
                # no value of the other variable goes with this one: they do not change together
                # from here
                if not moved:
                    break
                beside |= moved
            else:
                for new in bits_of(values):
                    brought[new] = brought.get(new, 0) | beside
        return brought

    def _join(self, new: int, beside: int) -> int:
        more = (beside | 1 << new) & ~self.beside[new] & ~self.excluded.get(new, 0)
        if more:
            self.reached |= 1 << new
            self.beside[new] |= more
            # being had together goes both ways
            for other in bits_of(more & ~self.free):
                self.beside[other] |= 1 << new
            more |= 1 << new
        return more


def pairs_of(system: Limited, operators: Operators, values: Sequence[int]) -> Pairs | None:
    """The pairs of a system, or None where they would be too much work (`policy.PAIRS`)."""
    # the work grows with values times operators: past a size nobody waits for it
    size = sum(v.size for v in system.variables) * len(operators.all)
    if size > PAIRS_SIZE:
        return None
    # a budget of its own: pairs are a help, and no limit of the user's may be used up by them
    budget = Budget(Limits())
    try:
        with budget.within(PAIRS):
            return Pairs(system, operators, values).close(budget)
    except WorkSpent:
        return None


def _changed(domain: Variable, change: Change, value: int) -> tuple[int, ...]:
    """What a change makes of a value, counted from the lowest; nothing beyond the domain."""
    top = domain.size - 1
    match change.operation:
        case Operation.SET:
            after = change.number - domain.low
        case Operation.FLIP:
            after = top - value
        # a plain sum never leaves the domain: its guard sees to it, and so does the cut below
        case Operation.ADD:
            after = value + change.number
        case Operation.ADD_UP_TO_END:
            after = min(top, max(0, value + change.number))
    return (after,) if 0 <= after <= top else ()


def bits_of(values: int) -> Iterator[int]:
    """The places of the bits of a set, the lowest first."""
    while values:
        lowest = values & -values
        yield lowest.bit_length() - 1
        values ^= lowest
