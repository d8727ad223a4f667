"""Sums that never fall: what no play comes to, as counting tells.

A weighted sum of what is held and what is done that no step lowers is never less than at the start:
keys held, and doors opened with them, are never less than keys picked up. Weights with which it
would be less are looked for by a linear program (the state equation of Petri nets, as a proof that
something is out of reach: Esparza, Melzer: Verification of safety properties using integer
programming, 2000). It reckons in floating point: what it finds is made integers, and each operator
is asked again whether it lowers that sum.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from functools import cached_property
from math import gcd, lcm
from typing import Any

from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.compiled.operators import Effect, Operator
from zubrel.compiled.parts import PLACE, Operation, Variable
from zubrel.compiled.possible import ALWAYS, places_of
from zubrel.compiled.system import System

Digit = tuple[int, int]
"""A variable, and the place of a binary digit of its value, counted from its lowest value."""
Difference = tuple[tuple[int, int], ...]
"""By how much some terms change, those that do."""
Moved = tuple[tuple[Difference, ...], ...]
"""What an operator does: for each variable that it changes, by which differences it may."""

MOST_VALUES = 64
"""Of a variable that is set to values, beyond which no sum knows it."""
MOST_DENOMINATOR, MOST_WEIGHT = 720, 100_000
"""Of weights that are made integers: others are hardly what the program has meant."""
NOTHING = 1e-9
"""A weight that is less is taken for none."""
REFUTING = 30
"""Units of work of a linear program for each row of it (measured: 7 ms for 184 rows)."""


class Sum(Struct, frozen=True):
    """The weighted sum of some digits is at least so much wherever a play comes to."""

    weights: dict[Digit, int]
    least: int


class Balances:
    """The sums of a system that no operator lowers; `begin` are the values that plays begin with.

    A *term* is an amount, or one digit of a variable that is only ever set to values.
    """

    def __init__(self, system: System, begin: Sequence[int]) -> None:
        self.system = system
        self.terms: list[dict[Digit, int]] = []
        """For each term its digits, and what they count in it."""
        self._of_variable: dict[int, list[int]] = {}
        adding = self._adding()
        for number, variable in enumerate(system.variables):
            # that walks lead back and forth, no sum can tell
            if number == PLACE or variable.size == 1:
                continue
            places = range((variable.size - 1).bit_length())
            if number in adding:
                terms = [{(number, place): 1 << place for place in places}]
            elif variable.size <= MOST_VALUES:
                terms = [{(number, place): 1} for place in places]
            else:
                continue
            self._of_variable[number] = [len(self.terms) + n for n in range(len(terms))]
            self.terms += terms
        self.begin = [0] * len(self.terms)
        for number in self._of_variable:
            value = begin[number] - system.variables[number].low
            for term, count in self._counts(number, value).items():
                self.begin[term] = count
        self.moved = self._every_move()

    def excluding(self, digits: Mapping[Digit, bool], budget: Budget) -> Sum | None:
        """A sum that is too small wherever these digits are so, whatever the others are.

        None where there is none, or none is found. Raises what `Budget.spend` does.
        """
        budget.spend(REFUTING * self._program.rows)
        sure, free = [0] * len(self.terms), [0] * len(self.terms)
        for term, counts in enumerate(self.terms):
            for digit, count in counts.items():
                if digit not in digits:
                    free[term] += count
                elif digits[digit]:
                    sure[term] += count
        more = [s - b for s, b in zip(sure, self.begin, strict=True)]
        weights = _whole(self._program.weights(more, free))
        if weights is None or not self._never_falls(weights):
            return None
        most = sum(w * m + max(0, w * f) for w, m, f in zip(weights, more, free, strict=True))
        if most >= 0:
            return None  # the program took for less what is not
        of_digits = {
            digit: weight * count
            for weight, counts in zip(weights, self.terms, strict=True)
            for digit, count in counts.items()
            if weight
        }
        return Sum(of_digits, sum(w * b for w, b in zip(weights, self.begin, strict=True)))

    def _never_falls(self, weights: Sequence[int]) -> bool:
        """Whether no operator lowers the sum of all terms with these weights."""
        return all(
            sum(min(sum(weights[t] * n for t, n in d) for d in part) for part in parts) >= 0
            for parts in self.moved
        )

    @cached_property
    def _program(self) -> _Program:
        return _Program(len(self.terms), self.moved)

    # what operators do to terms

    def _adding(self) -> set[int]:
        """The variables that something is added to."""
        return {
            effect.variable
            for operator in self.system.relaxation.operators.all
            for effect in operator.effects
            if any(c.operation not in (Operation.SET, Operation.FLIP) for c, _ in effect.changes)
        }

    def _every_move(self) -> list[Moved]:
        every: dict[Moved, None] = {}
        pairs = self.system.pairs
        for number, operator in enumerate(self.system.relaxation.operators.all):
            # what is never possible lowers nothing
            if pairs is not None and not pairs.possible[number]:
                continue
            known = [e for e in operator.effects if e.variable in self._of_variable]
            moved = tuple(self._differences(operator, effect) for effect in known)
            # many are alike, such as all that open a way with the same key
            every[tuple(part for part in moved if part != ((),))] = None
        return [moved for moved in every if moved]

    def _differences(self, operator: Operator, effect: Effect) -> tuple[Difference, ...]:
        """By what the terms of a variable may differ after an operator; of one term, the least and
        the most: what lies between lowers no sum more than one of them."""
        number = effect.variable
        possible = self.system.possible_values[number] & operator.allowed.get(number, -1)
        before = places_of(possible)
        if not before:
            return ((),)
        terms, variable = self._of_variable[number], self.system.variables[number]
        if len(terms) == 1:
            ends = sorted(set(_between(effect, before, variable)))
            return tuple(((terms[0], n),) if n else () for n in ends)
        differences = set[Difference]()
        for value in before:
            after = {value}
            # with more than one term it is only ever set
            for change, when in effect.changes:
                made = {change.number - variable.low}
                after = made if when == ALWAYS else after | made
            differences |= {self._difference(number, value, other) for other in after}
        return tuple(sorted(differences))

    def _difference(self, variable: int, before: int, after: int) -> Difference:
        old, new = self._counts(variable, before), self._counts(variable, after)
        return tuple((t, new[t] - old[t]) for t in sorted(new) if new[t] != old[t])

    def _counts(self, variable: int, value: int) -> dict[int, int]:
        """What the terms of a variable count where it has a value, from its lowest on."""
        return {
            term: sum(count for (_, place), count in self.terms[term].items() if value >> place & 1)
            for term in self._of_variable[variable]
        }


def _between(effect: Effect, before: Sequence[int], variable: Variable) -> tuple[int, int]:
    """How much less or more a variable may have, at the ends, after it had some of its values,
    counted from the lowest on."""
    low = high = 0
    for change, when in effect.changes:
        match change.operation:
            case Operation.SET:
                value = change.number - variable.low
                fewer, more = value - before[-1], value - before[0]
            case Operation.FLIP:
                fewer, more = -before[-1], variable.size - 1 - before[0]
            case Operation.ADD:
                fewer, more = low + change.number, high + change.number
            case Operation.ADD_UP_TO_END:
                # as much of it as there is room for
                fewer, more = low + min(0, change.number), high + max(0, change.number)
        low, high = (fewer, more) if when == ALWAYS else (min(low, fewer), max(high, more))
    return low, high


class _Program:
    """For what should be less than at the start, weights with which it is, of all that no operator
    lowers."""

    def __init__(self, terms: int, moved: Sequence[Moved]) -> None:
        from scipy.sparse import csr_matrix  # half a second, which most worlds do without

        # each weight is a difference of two numbers of which one is nothing, so that their sum is
        # its size; behind them stands, for each variable that may differ in several ways, the
        # least that it brings
        self.terms, self.rows = terms, 0
        entries = list[tuple[int, int, int]]()
        least = 0
        for parts in moved:
            whole, self.rows = self.rows, self.rows + 1
            for part in parts:
                if len(part) == 1:
                    entries += self._lowered(whole, part[0])
                    continue
                column, least = 2 * terms + least, least + 1
                entries.append((whole, column, -1))
                for difference in part:
                    entries.append((self.rows, column, 1))
                    entries += self._lowered(self.rows, difference)
                    self.rows += 1
        self.columns = 2 * terms + least
        rows, columns, numbers = zip(*entries, strict=True) if entries else ((), (), ())
        self.matrix = csr_matrix((numbers, (rows, columns)), shape=(self.rows, self.columns))

    def _lowered(self, row: int, difference: Difference) -> list[tuple[int, int, int]]:
        """The entries of a row that says that a sum does not become less."""
        return [
            entry
            for term, number in difference
            for entry in ((row, term, -number), (row, self.terms + term, number))
        ]

    def weights(self, more: Sequence[int], free: Sequence[int]) -> Sequence[float] | None:
        """Small weights of a sum that is less than at the start by one at least, where each term
        has so much more than there, and up to so much again where that makes it more."""
        from scipy.optimize import linprog
        from scipy.sparse import csr_matrix, vstack

        rest = [0] * (self.columns - 2 * self.terms)
        less = [[*(m + f for m, f in zip(more, free, strict=True)), *(-m for m in more), *rest]]
        solved: Any = linprog(
            [1] * (2 * self.terms) + rest,
            A_ub=vstack([self.matrix, csr_matrix(less)]),
            b_ub=[0] * self.rows + [-1],
            bounds=[(0, None)] * (2 * self.terms) + [(None, None)] * len(rest),
            method="highs-ds",
        )
        if solved.status != 0:
            return None
        ups, downs = solved.x[: self.terms], solved.x[self.terms : 2 * self.terms]
        return [float(up - down) for up, down in zip(ups, downs, strict=True)]


def _whole(weights: Iterable[float] | None) -> list[int] | None:
    """Integers in the same proportions; None where they would be large."""
    if weights is None:
        return None
    fractions = [
        Fraction(w).limit_denominator(MOST_DENOMINATOR) if abs(w) > NOTHING else Fraction(0)
        for w in weights
    ]
    common = lcm(*(f.denominator for f in fractions))
    whole = [int(f * common) for f in fractions]
    shared = gcd(*whole) or 1
    whole = [w // shared for w in whole]
    return whole if max(map(abs, whole), default=0) <= MOST_WEIGHT else None
