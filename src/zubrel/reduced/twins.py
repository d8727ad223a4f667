"""What another variable tells in every situation need not be remembered.

A variable of two values that follows from one other (the coop stands exactly where it was built) is
left out, and whoever asks for it asks for the other instead. Which values are ever had together is
known without a search (`Pairs`).

Why this is sound. In every situation that a play comes to, on its way to rest as well, both say the
same; so guards hold where they held, and a step that changed the one changes the other, so that it
still makes a difference.

Conditions: each value of the other goes with one value of this; pairs are those of the whole world,
so this is done before a variable gets another meaning; neither is an amount, and the other is not
left out itself.
"""

from __future__ import annotations

from msgspec.structs import replace

from zubrel.compiled.formulas import Formula, Within, either, opposite, substituted
from zubrel.compiled.pairs import Pairs
from zubrel.compiled.system import System
from zubrel.reduced.result import Reduced, fixed, rewritten, without_changes

MARKS = ("fact", "open", "taken", "done", "quest", "goal")
"""Kinds of variables that tell another, and are told. What is held tells none: that it was taken
once only is what keeps it within its limits, which are no longer asked for where nothing comes to
them. And it is told by none, since other reductions do more with what is held."""
MOST_VALUES = 12
"""Values of a variable beyond which it stands for no other: a test would become many."""


def twins(before: Reduced, pairs: Pairs | None) -> Reduced:
    """The system without variables that another one tells."""
    told = {} if pairs is None else _told(before.system, pairs)
    if not told:
        return before

    def test(test: Within) -> Formula:
        if test.variable not in told:
            return test
        domain, condition = before.system.variables[test.variable], told[test.variable]
        return condition if test.low > domain.low else opposite(condition)

    def told_by_others(formula: Formula) -> Formula:
        return substituted(formula, test)

    smaller = _without_changes(rewritten(before, told_by_others), frozenset(told))
    return replace(
        smaller,
        system=fixed(smaller.system, told),
        swaps=(*smaller.swaps, told_by_others),
    )


def _without_changes(before: Reduced, variables: frozenset[int]) -> Reduced:
    smaller = without_changes(before, variables)
    settlers = tuple(
        replace(s, changes=tuple(c for c in s.changes if c.variable not in variables))
        for s in smaller.system.settlers
    )
    return replace(smaller, system=replace(smaller.system, settlers=settlers))


def _told(system: System, pairs: Pairs) -> dict[int, Formula]:
    """By variable that is left out: what says that it is high."""
    marks = [
        n for n, v in enumerate(system.variables) if v.key[0] in MARKS and 1 < v.size <= MOST_VALUES
    ]
    told, standing = dict[int, Formula](), set[int]()
    # the last first: a mark that something was done follows from what it has done
    for variable in reversed(marks):
        if system.variables[variable].size != 2 or variable in standing:
            continue
        for other in marks:
            if other != variable and other not in told:
                condition = _condition(system, pairs, variable, other)
                if condition is not None:
                    told[variable] = condition
                    standing.add(other)
                    break
    return told


def _condition(system: System, pairs: Pairs, variable: int, other: int) -> Formula | None:
    """What the other says where a variable is high; None where it does not tell."""
    place, domain = pairs.places[variable], system.variables[other]
    high: list[Formula] = []
    seen = set[int]()
    for value in range(domain.low, domain.high + 1):
        bit = pairs.places[other] + value - domain.low
        if not pairs.reached >> bit & 1:
            continue  # the other never has it
        both = pairs.beside[bit] >> place & 3
        if both not in (1, 2):
            return None
        seen.add(both)
        if both == 2:
            high.append(Within(other, value, value))
    # what is always the same is told by itself, without another
    return either(high) if len(seen) == 2 else None
