"""Guards: which values of the variables let something happen.

Formulas are kept simple while they are built: a test that its variable's domain decides becomes
`TRUE` or `FALSE`, and connectives drop what does not matter.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from msgspec import Struct


class Within(Struct, frozen=True):
    """The variable number `variable` is between `low` and `high`, both included."""

    variable: int
    low: int
    high: int


class Both(Struct, frozen=True):
    """Every part holds; without parts, always."""

    parts: tuple[Formula, ...]


class Either(Struct, frozen=True):
    """Some part holds; without parts, never."""

    parts: tuple[Formula, ...]


class Opposite(Struct, frozen=True):
    part: Formula


class AtLeast(Struct, frozen=True):
    """At least `count` of the parts hold."""

    count: int
    parts: tuple[Formula, ...]


class Load(Struct, frozen=True):
    """The values of some variables and the number of `marks` that hold, at most `high` together.

    The domains of the variables begin at 0.
    """

    variables: tuple[int, ...]
    marks: tuple[Within, ...]
    high: int


Formula = Within | Both | Either | Opposite | AtLeast | Load
TRUE, FALSE = Both(()), Either(())


def pieces_of(formula: Formula) -> Iterator[Formula]:
    """A formula and everything that it is made of, the outer ones first."""
    # outer first, so that who looks for the largest known piece meets it before what it is made of
    yield formula
    match formula:
        case Both(parts) | Either(parts) | AtLeast(_, parts):
            for part in parts:
                yield from pieces_of(part)
        case Opposite(part):
            yield from pieces_of(part)
        case Load(_, marks, _):
            yield from marks


def variables_of(formula: Formula) -> frozenset[int]:
    """The variables that a formula asks about."""
    # asked some hundred thousand times of a large world, mostly of single tests
    if isinstance(formula, Within):
        return frozenset((formula.variable,))
    numbers: set[int] = set()
    # without recursion: conditions of a large quest nest deep
    waiting: list[Formula] = [formula]
    while waiting:
        match waiting.pop():
            case Within(variable):
                numbers.add(variable)
            case Both(parts) | Either(parts) | AtLeast(_, parts):
                waiting += parts
            case Opposite(part):
                waiting.append(part)
            case Load(variables, marks):
                numbers.update(variables)
                waiting += marks
    return frozenset(numbers)


def variables_in(formulas: Iterable[Formula]) -> frozenset[int]:
    """The variables that some formulas ask about."""
    return frozenset(v for formula in formulas for v in variables_of(formula))


def holds(formula: Formula, values: Sequence[int]) -> bool:
    """Whether a formula holds where the variables have these values."""
    match formula:
        case Within(variable, low, high):
            return low <= values[variable] <= high
        case Both(parts):
            return all(holds(p, values) for p in parts)
        case Either(parts):
            return any(holds(p, values) for p in parts)
        case Opposite(part):
            return not holds(part, values)
        case AtLeast(count, parts):
            return sum(holds(p, values) for p in parts) >= count
        # a load weighs one for each of a stock, and one for each mark that holds
        case Load(variables, marks, high):
            return sum(values[v] for v in variables) + sum(holds(m, values) for m in marks) <= high


def both(parts: Iterable[Formula]) -> Formula:
    """The conjunction of `parts`."""
    kept: list[Formula] = []
    for part in parts:
        if part == FALSE:
            return FALSE
        kept.extend(part.parts if isinstance(part, Both) else (part,))
    # in the order in which they came: whatever is made of a formula is the same in every run
    unique = tuple(dict.fromkeys(kept))
    return unique[0] if len(unique) == 1 else Both(unique)


def either(parts: Iterable[Formula]) -> Formula:
    """The disjunction of `parts`."""
    kept: list[Formula] = []
    for part in parts:
        if part == TRUE:
            return TRUE
        kept.extend(part.parts if isinstance(part, Either) else (part,))
    unique = tuple(dict.fromkeys(kept))
    return unique[0] if len(unique) == 1 else Either(unique)


def opposite(part: Formula) -> Formula:
    """The negation of `part`."""
    if part == TRUE:
        return FALSE
    if part == FALSE:
        return TRUE
    return part.part if isinstance(part, Opposite) else Opposite(part)


def at_least(count: int, parts: Sequence[Formula]) -> Formula:
    """At least `count` of `parts`."""
    # a part that stands there twice counts twice, so that none is left out as in `both`
    surely = sum(p == TRUE for p in parts)
    open_parts = tuple(p for p in parts if p not in (TRUE, FALSE))
    missing = count - surely
    if missing <= 0:
        return TRUE
    if missing > len(open_parts):
        return FALSE
    if missing == len(open_parts):
        return both(open_parts)
    return either(open_parts) if missing == 1 else AtLeast(missing, open_parts)


def substituted(
    formula: Formula,
    instead: Callable[[Within], Formula],
    loading: Callable[[Load], Formula] | None = None,
) -> Formula:
    """The formula with every test of a variable replaced by what `instead` makes of it.

    Tests of what several variables load together stay as they are, without `loading`.
    """
    match formula:
        # connectives are built anew, so that what a test has become decides what is dropped
        case Within():
            return instead(formula)
        case Both(parts):
            return both(substituted(p, instead, loading) for p in parts)
        case Either(parts):
            return either(substituted(p, instead, loading) for p in parts)
        case AtLeast(count, parts):
            return at_least(count, [substituted(p, instead, loading) for p in parts])
        case Opposite(part):
            return opposite(substituted(part, instead, loading))
        # a load counts its variables together: no test of one of them stands for it
        case Load():
            return formula if loading is None else loading(formula)
