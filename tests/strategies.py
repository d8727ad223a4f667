"""Random formulas, changes and situations for `hypothesis`, and what they mean, spelled out."""

from hypothesis import strategies as st

from zubrel.compiled.formulas import AtLeast, Both, Either, Load, Opposite, Within
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.compiled.system import System

SIZES = ((0, 3), (0, 1), (-2, 2), (1, 1), (0, 6), (0, 1))
"""Lowest and highest values of the variables of all systems here; the place comes first."""
VARIABLES = tuple(
    Variable(("meter", f"v{n}"), low, high, low) for n, (low, high) in enumerate(SIZES)
)
LOADED = (0, 1, 4)
"""Variables that can be loaded together: they begin at 0."""


def system_of(moves=()):
    """A system of these variables, without a world."""
    steps = tuple(step for move in moves for step in move.steps)
    return System(None, VARIABLES, tuple(moves), (), (), {}, steps)


situations = st.tuples(*(st.integers(low, high) for low, high in SIZES)).map(list)


@st.composite
def tests_of_variables(draw):
    number = draw(st.integers(0, len(SIZES) - 1))
    low, high = SIZES[number]
    first, last = sorted((draw(st.integers(low, high)), draw(st.integers(low, high))))
    return Within(number, first, last)


@st.composite
def loads(draw):
    variables = tuple(sorted(draw(st.sets(st.sampled_from(LOADED), min_size=1))))
    marks = tuple(draw(st.lists(tests_of_variables(), max_size=2)))
    return Load(variables, marks, draw(st.integers(0, 9)))


def _larger(parts):
    some = st.lists(parts, max_size=3).map(tuple)
    return (
        some.map(Both)
        | some.map(Either)
        | parts.map(Opposite)
        | st.builds(AtLeast, st.integers(0, 3), some)
    )


formulas = st.recursive(tests_of_variables() | loads(), _larger, max_leaves=8)
numbers = st.integers(0, len(SIZES) - 1)
two_valued = st.sampled_from([n for n, (low, high) in enumerate(SIZES) if high - low == 1])
changes = (
    st.builds(Change, numbers, st.just(Operation.ADD_UP_TO_END), st.integers(-3, 3), formulas)
    | st.builds(Change, two_valued, st.just(Operation.FLIP), st.just(0), formulas)
    | tests_of_variables().flatmap(
        lambda test: st.builds(
            Change, st.just(test.variable), st.just(Operation.SET), st.just(test.low), formulas
        )
    )
)


def holds(formula, values):
    """Whether a formula holds in a situation, by its definition."""
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
        case Load(variables, marks, high):
            return sum(values[v] for v in variables) + sum(holds(m, values) for m in marks) <= high
    raise TypeError(formula)


def changed(every, values):
    """The situation after changes in their order, each decided by how it was before them all."""
    after = list(values)
    for change in every:
        if holds(change.when, values):
            low, high = SIZES[change.variable]
            old = after[change.variable]
            after[change.variable] = {
                Operation.SET: change.number,
                Operation.ADD_UP_TO_END: min(high, max(low, old + change.number)),
                Operation.FLIP: low + high - old,
            }[change.operation]
    return after
