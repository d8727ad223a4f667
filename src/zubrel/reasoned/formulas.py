"""Formulas taken apart: denials moved inwards, and what must hold before a step."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    AtLeast,
    Both,
    Either,
    Formula,
    Load,
    Opposite,
    Within,
    at_least,
    both,
    either,
    opposite,
    variables_of,
)
from zubrel.compiled.parts import PLACE, Change, Operation, Variable
from zubrel.compiled.system import System


class NotFollowed(Exception):
    """What saturating or conditional changes do to a load is too much to follow."""


def plain_form(formula: Formula, variables: Sequence[Variable], holds: bool = True) -> Formula:
    """The formula (or, without `holds`, its denial) in which only single tests are denied.

    Denials of a test that is open at one end become the test of the other end. (Negation normal
    form.)
    """
    match formula:
        # a denial turns connectives around on its way inwards
        case Both(parts) if holds:
            return both(plain_form(p, variables) for p in parts)
        case Either(parts) if holds:
            return either(plain_form(p, variables) for p in parts)
        case Both(parts):
            return either(plain_form(p, variables, False) for p in parts)
        case Either(parts):
            return both(plain_form(p, variables, False) for p in parts)
        case Opposite(part):
            return plain_form(part, variables, not holds)
        case AtLeast(count, parts):
            # fewer than `count` hold where so many of the others do not that it cannot be reached
            wanted = count if holds else len(parts) - count + 1
            return at_least(wanted, [plain_form(p, variables, holds) for p in parts])
        case Within(variable, low, high):
            domain = variables[variable]
            # tests of all values were dropped when the formula was built, but a denial may have
            # made one
            if low <= domain.low and high >= domain.high:
                return TRUE if holds else FALSE
            if holds:
                return formula
            if low <= domain.low:
                return Within(variable, high + 1, domain.high)
            if high >= domain.high:
                return Within(variable, domain.low, low - 1)
    # a denied range in the middle would be two ranges: reasons read better with the denial
    return formula if holds else opposite(formula)


def literals_of(parts: Iterable[Formula]) -> tuple[Formula, ...]:
    """The conjuncts of some formulas that hold together, without what others imply.

    One of them is `FALSE` where tests of one variable exclude each other.
    """
    # by variable, so that of several tests only the sharpest stay
    tests: dict[int, list[Within]] = {}
    others: list[Formula] = []
    for part in parts:
        # conjunctions lie flat, so that their parts can be compared
        for piece in part.parts if isinstance(part, Both) else (part,):
            if isinstance(piece, Within):
                known = tests.setdefault(piece.variable, [])
                # of two tests of which one implies the other the sharper one stays
                if not any(_implies(other, piece) for other in known):
                    known[:] = [other for other in known if not _implies(piece, other)]
                    known.append(piece)
            else:
                others.append(piece)
    # together they say in which range the value is
    values = {v: (max(t.low for t in ts), min(t.high for t in ts)) for v, ts in tests.items()}
    if any(low > high for low, high in values.values()):
        return (FALSE,)
    kept: list[Formula] = [test for each in tests.values() for test in each]
    # what the tests decide of a choice need not be told
    for other in dict.fromkeys(others):
        narrowed = _narrowed(other, values)
        if narrowed == FALSE:
            return (FALSE,)
        if narrowed != TRUE:
            kept.append(narrowed)
    return tuple(kept)


def _implies(one: Within, other: Within) -> bool:
    return other.low <= one.low and one.high <= other.high


def _narrowed(choice: Formula, values: Mapping[int, tuple[int, int]]) -> Formula:
    """A choice among values of one variable, by what is known of it: decided where that does."""
    # only choices can be narrowed by what is known
    if not isinstance(choice, Either) or not choice.parts:
        return choice
    # only choices of one variable: of several, no single range decides anything
    tests = [p for p in choice.parts if isinstance(p, Within)]
    variables = {t.variable for t in tests}
    if len(tests) < len(choice.parts) or len(variables) > 1 or not variables <= values.keys():
        return choice
    low, high = values[tests[0].variable]
    left = [t for t in tests if t.low <= high and low <= t.high]
    # wherever the value can be, this alternative holds
    if any(t.low <= low and high <= t.high for t in left):
        return TRUE
    return either(left)


def before(system: System, changes: Sequence[Change], formula: Formula) -> Formula:
    """What must hold before some changes, so that a formula in plain form holds right after.

    Raises `NotFollowed`. (Weakest precondition; Dijkstra, 1975.)
    """
    match formula:
        case Both(parts):
            return both(before(system, changes, p) for p in parts)
        case Either(parts):
            return either(before(system, changes, p) for p in parts)
        case AtLeast(count, parts):
            return at_least(count, [before(system, changes, p) for p in parts])
        case Opposite(part):
            return plain_form(opposite(before(system, changes, part)), system.variables)
        case Within():
            return _before_test(system, changes, formula)
        case Load():
            return _before_load(system, changes, formula)
    raise AssertionError(formula)


def _before_test(system: System, changes: Sequence[Change], test: Within) -> Formula:
    # the last change first: each replaces the value by what it was before
    for number in range(len(changes) - 1, -1, -1):
        change = changes[number]
        if change.variable != test.variable:
            continue
        # as if the change took place, and as if not, where it has a condition
        changed = _shifted(system, change, test)
        # what comes before this change is followed afterwards
        earlier = changes[:number]
        rest_changed = _before_any(system, earlier, changed)
        if change.when == TRUE:
            return rest_changed
        otherwise = _before_test(system, earlier, test)
        when = plain_form(change.when, system.variables)
        unless = plain_form(change.when, system.variables, False)
        return either((both((when, rest_changed)), both((unless, otherwise))))
    return test


def _before_any(system: System, changes: Sequence[Change], formula: Formula) -> Formula:
    return _before_test(system, changes, formula) if isinstance(formula, Within) else formula


def _shifted(system: System, change: Change, test: Within) -> Formula:
    """The test of a value as a test of what it was before one change."""
    domain = system.variables[test.variable]
    low, high = test.low, test.high
    match change.operation:
        case Operation.SET:
            return TRUE if low <= change.number <= high else FALSE
        case Operation.FLIP:
            low, high = domain.low + domain.high - high, domain.low + domain.high - low
        case Operation.ADD | Operation.ADD_UP_TO_END:
            # beyond its ends a value stays where it is, or guards keep it from coming there
            low = domain.low if low <= domain.low else low - change.number
            high = domain.high if high >= domain.high else high - change.number
    return system.translator.within(test.variable, low, high)


def _before_load(system: System, changes: Sequence[Change], load: Load) -> Formula:
    # a sum is followed where each change moves it by a known amount
    weighed = variables_of(load)
    for change in changes:
        if change.variable in weighed and (
            change.operation is Operation.ADD_UP_TO_END or change.when != TRUE
        ):
            raise NotFollowed
    variables, marks, high = list(load.variables), list(load.marks), load.high
    for change in reversed(changes):
        if change.variable in variables:
            high -= change.number
            # what is set no longer depends on what was there before: it leaves the sum
            if change.operation is Operation.SET:
                variables.remove(change.variable)
        # a mark is a test of its own: it becomes a number, another test, or nothing
        for mark in [m for m in marks if m.variable == change.variable]:
            shifted = _shifted(system, change, mark)
            marks.remove(mark)
            if shifted == TRUE:
                high -= 1
            elif isinstance(shifted, Within):
                marks.append(shifted)
    return system.translator.load(tuple(variables), tuple(marks), high)


def may_make(system: System, change: Change, literal: Formula) -> bool:
    """Whether a change may bring a test of some formula in plain form from false to true.

    It may say so of too many.
    """
    variables = system.variables
    match literal:
        case Within(variable, low, high):
            if change.variable != variable:
                return False
            domain = variables[variable]
            match change.operation:
                case Operation.SET:
                    return low <= change.number <= high
                case Operation.FLIP:
                    return True
            # sums that rise come in from below
            return low > domain.low if change.number > 0 else high < domain.high
        case Opposite(Within(variable, low, high)):
            if change.variable != variable:
                return False
            return change.operation is not Operation.SET or not low <= change.number <= high
        # which way a change moves a sum is not worked out: any change of it may do
        case Load() | Opposite(Load()):
            return change.variable in variables_of(literal)
        case Both(parts) | Either(parts) | AtLeast(_, parts):
            return any(may_make(system, change, p) for p in parts)
    return False


def is_place(formula: Formula) -> bool:
    """Whether a formula tells only where the player is."""
    match formula:
        case Within(variable):
            return variable == PLACE
        case Either(parts):
            return all(is_place(p) for p in parts)
    return False
