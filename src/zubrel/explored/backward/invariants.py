"""What is never had together, as diagrams: situations that going back need not come to.

Most of what leads into a set no play ever comes to, and the sets may grow by nothing else. Which
two values are never had at once is known without a search (`Pairs`), and what they exclude is left
out from the first (as invariants for searching backwards: Alcázar, Torralba: A reminder about the
importance of computing and exploiting invariants in planning, 2015).
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from zubrel.compiled.pairs import Pairs
from zubrel.compiled.parts import PLACE
from zubrel.explored.symbolic.encoding import Diagram, Encoding

MOST_NODES = 3_000
"""Nodes of all that is left out together: what comes on top of that is not. With none at all, 500
and 3,000 a station took over 60, 12 and 7 s, a term at school 19, 3.6 and 4.3 s."""


def beside_area(encoding: Encoding, pairs: Pairs, area: int) -> Diagram:
    """The situations but for those with a value that is never had in an area."""
    possible, values = encoding.true, pairs.values()
    for variable in _known(encoding, pairs):
        # the area is told by which diagram it is: only the other value needs a test
        mask = pairs.values_beside(PLACE, area, variable)
        if mask != values[variable]:
            possible = possible & _among(encoding, variable, mask)
    encoding.pause()
    return possible


def had_together(encoding: Encoding, pairs: Pairs) -> Diagram:
    """The situations but for those with two values that are never had at once, wherever it is."""
    exclusions: list[tuple[int, Diagram]] = []
    values = pairs.values()
    for one, other in combinations(_known(encoding, pairs), 2):
        # what lies between two variables in the order is repeated for each of their values
        distance = abs(encoding.bits[one][0] - encoding.bits[other][0])
        allowed = _together(encoding, pairs, values, one, other)
        if allowed is not None:
            exclusions.append((distance, allowed))
        encoding.pause()
    possible = encoding.true
    # those of neighbours in the order first: they take the fewest nodes
    for _, allowed in sorted(exclusions, key=lambda pair: pair[0]):
        fewer = possible & allowed
        # leaving out an exclusion keeps the set an overapproximation, only a wider one
        if fewer.node_count() <= MOST_NODES:
            possible = fewer
        encoding.pause()
    return possible


def _known(encoding: Encoding, pairs: Pairs) -> list[int]:
    """The variables that have bits, and of which pairs tell anything."""
    return [v for v in encoding.coded if encoding.bits[v] and not pairs.wide[v]]


def _together(
    encoding: Encoding, pairs: Pairs, values: Sequence[int], one: int, other: int
) -> Diagram | None:
    """Where two variables have values that may be had together; None: all of theirs may.

    `values` are those that each variable may have at all.
    """
    # values of the one that go with the same values of the other are one test
    groups: dict[int, int] = {}
    for at in range(encoding.system.variables[one].size):
        if values[one] >> at & 1:
            mask = pairs.values_beside(one, at, other)
            groups[mask] = groups.get(mask, 0) | 1 << at
    # beside every value of the one, all values of the other: nothing is excluded
    if groups.keys() <= {values[other]}:
        return None
    return encoding.union(
        _among(encoding, one, own) & _among(encoding, other, mask) for mask, own in groups.items()
    )


def _among(encoding: Encoding, variable: int, mask: int) -> Diagram:
    domain = encoding.system.variables[variable]
    places = (at for at in range(domain.size) if mask >> at & 1)
    return encoding.among(variable, (domain.low + at for at in places))
