"""Conditions of the world -> formulas over variables."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.checked import keys
from zubrel.checked.conditions import (
    All,
    Any,
    At,
    Cond,
    CountOf,
    FactIs,
    Holds,
    Level,
    LockOpen,
    Marked,
    Not,
)
from zubrel.checked.keys import Key
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Within,
    at_least,
    both,
    either,
    opposite,
)
from zubrel.compiled.system import PLACE, Variable


class Translator:
    """Knows the variables by their keys."""

    def __init__(self, variables: Sequence[Variable], numbers: dict[Key, int]) -> None:
        self.variables = variables
        self.numbers = numbers
        self.area_numbers = {area: n for n, area in enumerate(variables[PLACE].names)}

    def formula(self, condition: Cond) -> Formula:
        """The formula that holds exactly where `condition` does."""
        match condition:
            case All(parts):
                return both(self.formula(p) for p in parts)
            case Any(parts):
                return either(self.formula(p) for p in parts)
            case Not(part):
                return opposite(self.formula(part))
            case CountOf(count, parts):
                return at_least(count, [self.formula(p) for p in parts])
            case Holds(item, operator, number):
                return self.comparison(keys.held(item), operator, number)
            case Level(meter, operator, number):
                return self.comparison(keys.meter(meter), operator, number)
            case FactIs(fact, value):
                return self.equals(keys.fact(fact), value)
            case At(area):
                return self.at(area)
            case LockOpen(lock):
                return self.equals(keys.lock_open(lock), 1)
            case Marked(kind, subject):
                return self.equals(keys.mark(kind, subject), 1)

    def at(self, area: str) -> Formula:
        return self.within(PLACE, self.area_numbers[area], self.area_numbers[area])

    def equals(self, key: Key, number: int) -> Formula:
        return self.comparison(key, "=", number)

    def comparison(self, key: Key, operator: str, number: int) -> Formula:
        """A comparison of one variable with a number."""
        variable = self.numbers[key]
        match operator:
            case "<":
                return self.within(variable, None, number - 1)
            case "<=":
                return self.within(variable, None, number)
            case ">":
                return self.within(variable, number + 1, None)
            case ">=":
                return self.within(variable, number, None)
            case "=":
                return self.within(variable, number, number)
        return opposite(self.within(variable, number, number))

    def within(self, variable: int, low: int | None, high: int | None) -> Formula:
        """The interval test, cut to the domain; decided where the domain decides it."""
        domain = self.variables[variable]
        lowest = domain.low if low is None else max(low, domain.low)
        highest = domain.high if high is None else min(high, domain.high)
        if lowest > highest:
            return FALSE
        if (lowest, highest) == (domain.low, domain.high):
            return TRUE
        return Within(variable, lowest, highest)
