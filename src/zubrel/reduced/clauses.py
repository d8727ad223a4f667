"""Conditions that only ever come true, as sets of clauses of which one suffices.

A condition is a frozen set of clauses, a clause a frozen set of formulas that all hold. Formulas
are not looked into: nothing is known of them but whether they are the same. No clause includes
another (disjunctive normal form with absorption; what is monotone has exactly one such form).
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import product

from zubrel.compiled.formulas import Both, Either, Formula, both, either

Clause = frozenset[Formula]
Clauses = frozenset[Clause]
ALWAYS: Clauses = frozenset((frozenset(),))
NEVER: Clauses = frozenset()
MOST = 12
"""Conditions with more clauses than this are given up."""


def shortest(clauses: Iterable[Clause]) -> Clauses | None:
    """The same without clauses that include others; None where too many are left."""
    kept: list[Clause] = []
    # short ones first: what a clause is included in comes after it
    for clause in sorted(set(clauses), key=len):
        if not any(other <= clause for other in kept):
            kept.append(clause)
            # products of sums grow by powers; a condition that large helps nobody
            if len(kept) > MOST:
                return None
    return frozenset(kept)


def either_of(one: Clauses, other: Clauses) -> Clauses | None:
    return shortest(one | other)


def both_of(one: Clauses, other: Clauses) -> Clauses | None:
    return shortest(a | b for a, b in product(one, other))


def implies(one: Clauses, other: Clauses) -> bool:
    """Whether every clause of one includes a clause of the other."""
    # enough for monotone conditions: a clause of the first that held without one of the second
    # would be a case against it
    return all(any(b <= a for b in other) for a in one)


def clauses_of(formula: Formula) -> Clauses | None:
    """The clauses of a formula; None where they are too many."""
    match formula:
        case Either(parts):
            clauses: Clauses | None = NEVER
            for part in parts:
                own = clauses_of(part)
                clauses = None if own is None or clauses is None else either_of(clauses, own)
            return clauses
        case Both(parts):
            clauses = ALWAYS
            for part in parts:
                own = clauses_of(part)
                clauses = None if own is None or clauses is None else both_of(clauses, own)
            return clauses
    return frozenset((frozenset((formula,)),))


def formula_of(clauses: Clauses) -> Formula:
    """A formula with these clauses, always the same one."""
    # sets have no order of their own, and outputs must not depend on one
    return either(sorted((both(sorted(c, key=repr)) for c in clauses), key=repr))
