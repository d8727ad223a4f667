"""Variables of two values that another one tells in every situation.

Which values are ever had together is known without a search (`Pairs`): where each value of one
variable goes with one value of the other, the one tells the other.
"""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.formulas import Formula, Within, either
from zubrel.compiled.pairs import Pairs
from zubrel.compiled.parts import Variable

MARKS = ("fact", "open", "taken", "done", "quest", "goal")
"""Kinds of variables that tell another, and are told. What is held tells none: that it was taken
once only is what keeps it within its limits, which are no longer asked for where nothing comes to
them. And it is told by none, since other reductions do more with what is held."""
MOST_VALUES = 12
"""Values of a variable beyond which it stands for no other: a test would become many."""


def twins_of(variables: Sequence[Variable], pairs: Pairs) -> dict[int, Formula]:
    """By variable that another tells: what says that it is high; the others are not among them."""
    # only marks: an amount is told by another variable in trivial worlds only
    marks = [n for n, v in enumerate(variables) if v.key[0] in MARKS and 1 < v.size <= MOST_VALUES]
    told, standing = dict[int, Formula](), set[int]()
    # the last first: a mark that something was done follows from what it has done
    for variable in reversed(marks):
        # what another one is told by has to stay itself, or both would go
        if variables[variable].size != 2 or variable in standing:
            continue
        for other in marks:
            if other != variable and other not in told:
                condition = _condition(variables, pairs, variable, other)
                if condition is not None:
                    told[variable] = condition
                    standing.add(other)
                    break
    return told


def _condition(
    variables: Sequence[Variable], pairs: Pairs, variable: int, other: int
) -> Formula | None:
    """What the other says where a variable is high; None where it does not tell."""
    domain, reached = variables[other], pairs.values()[other]
    high: list[Formula] = []
    seen = set[int]()
    for at in range(domain.size):
        if not reached >> at & 1:
            continue  # the other never has it
        value = domain.low + at
        both = pairs.values_beside(other, at, variable)
        if both not in (1, 2):
            return None
        seen.add(both)
        if both == 2:
            high.append(Within(other, value, value))
    # what is always the same is told by itself, without another
    return either(high) if len(seen) == 2 else None
