"""Facts of a system that need no search: what only rises, what stays true, what is done once."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from graphlib import CycleError, TopologicalSorter

from zubrel.compiled.formulas import (
    TRUE,
    AtLeast,
    Both,
    Either,
    Formula,
    Opposite,
    Within,
    variables_in,
    variables_of,
)
from zubrel.compiled.parts import (
    ENDING,
    PLACE,
    Change,
    Move,
    Operation,
    Settler,
    Step,
    Variable,
)


class Rising:
    """Which variables only ever rise, and which only ever fall."""

    def __init__(
        self, variables: Sequence[Variable], steps: Iterable[Step], settlers: Iterable[Settler]
    ) -> None:
        self.variables = variables
        everything = range(len(variables))
        # what nothing changes rises and falls at once, and tests of it never change
        self.rising, self.falling = set(everything), set(everything)
        for change in changes_of(steps, settlers):
            domain = variables[change.variable]
            up, down = _directions(change, domain.low, domain.high)
            if not up:
                self.rising.discard(change.variable)
            if not down:
                self.falling.discard(change.variable)

    def for_good(self, formula: Formula, holds: bool = True) -> bool:
        """Whether a formula that holds (or, without `holds`, does not) will always do so."""
        match formula:
            case Within(variable, low, high):
                domain = self.variables[variable]
                above, below = high >= domain.high, low <= domain.low
                if not holds:  # then the variable is beyond one end of what is asked
                    # the denial is open where the test was shut
                    above, below = below, above
                    if above and below:
                        return True
                # a test open at the top stays true of what only rises
                return (above and variable in self.rising) or (below and variable in self.falling)
            case Both(parts) | Either(parts) | AtLeast(_, parts):
                # each part that makes the whole true stays so; which ones make it true is not
                # known, so all of them have to
                return all(self.for_good(part, holds) for part in parts)
            case Opposite(part):
                return self.for_good(part, not holds)
        return False


def _directions(change: Change, low: int, high: int) -> tuple[bool, bool]:
    """Whether a change never lowers its variable, and whether it never raises it."""
    match change.operation:
        case Operation.SET:
            # setting is safe in one direction only where it sets the last value there is
            return change.number == high, change.number == low
        case Operation.ADD | Operation.ADD_UP_TO_END:
            # stopping at the end of the domain does not turn a sum around
            return change.number >= 0, change.number <= 0
    return False, False


def parts_of(formula: Formula) -> tuple[Formula, ...]:
    """The conjuncts of a formula."""
    return formula.parts if isinstance(formula, Both) else (formula,)


def changes_of(steps: Iterable[Step], settlers: Iterable[Settler]) -> Iterator[Change]:
    """Everything that moves and what happens by itself may change."""
    for step in steps:
        yield from step.changes
    for settler in settlers:
        yield from settler.changes


def marks_of(
    variables: Sequence[Variable], steps: Iterable[Step], settlers: Iterable[Settler]
) -> frozenset[int]:
    """Variables of two values that begin low and are only ever set high, and by moves alone."""
    marks = {
        n
        for n, v in enumerate(variables)
        if v.size == 2 and v.start == v.low and n not in (PLACE, ENDING)
    }
    for change in changes_of(steps, ()):
        if change.variable in marks:
            high = variables[change.variable].high
            # lowered once, a mark would not tell that something was done
            if (change.operation, change.number) != (Operation.SET, high):
                marks.discard(change.variable)
    # what happens by itself may set a mark again and again, so it tells nothing of moves
    return frozenset(marks - {c.variable for c in changes_of((), settlers)})


def lone_changes(step: Step, settled: Collection[int]) -> list[Change]:
    """The changes of a step that are surely made, and that nothing else touches until it rests.

    `settled` are the variables that what happens by itself may change.
    """
    # of several changes of one variable none tells alone what becomes of it
    changed = [c.variable for c in step.changes]
    return [
        c
        for c in step.changes
        if c.when == TRUE and c.variable not in settled and changed.count(c.variable) == 1
    ]


def touched_by(settler: Settler) -> frozenset[int]:
    """All variables that decide whether something happens by itself, or that it changes."""
    asked = variables_in((settler.guard, *(c.when for c in settler.changes)))
    return asked | {c.variable for c in settler.changes}


def decided_by(settler: Settler) -> frozenset[int]:
    """Variables of which one has changed where something begins to be possible by itself.

    Where it sets what its guard refuses, it makes a difference whenever the guard holds; else it
    may be idle, and what it would change decides as well.
    """
    changed = [c.variable for c in settler.changes]
    # a change that the guard excludes makes the guard false: it cannot be idle while the guard
    # holds
    if any(
        c.when == TRUE and changed.count(c.variable) == 1 and excluded(settler.guard, c)
        for c in settler.changes
    ):
        return variables_of(settler.guard)
    return touched_by(settler)


def settlers_after(
    settlers: Sequence[Settler], sources: Iterable[Sequence[Change]]
) -> list[Settler]:
    """What may happen by itself, at rest before, because of one of some rows of changes.

    Whatever happens then is made possible by the last change that it asks about, which is one of
    the row, or of something that has happened before it.
    """
    waiting, following = list(sources), list[Settler]()
    while waiting:
        changes = waiting.pop()
        # each comes in once: what it changes is looked at then, and does not become more
        new = [s for s in settlers if s not in following and may_enable(changes, s)]
        following += new
        waiting += [s.changes for s in new]
    return following


def may_enable(changes: Sequence[Change], settler: Settler) -> bool:
    """Whether something that was not possible by itself may be so after some changes."""
    # nothing that decides about it has changed: it is as possible as it was, and that it was not
    changed = [c.variable for c in changes]
    if not decided_by(settler) & set(changed):
        return False
    surely = (
        c for n, c in enumerate(changes) if c.when == TRUE and c.variable not in changed[n + 1 :]
    )
    # what was surely set to a value that the guard refuses rules it out until somebody changes it
    # again
    return not any(excluded(settler.guard, c) for c in surely)


def always_rests(settlers: Sequence[Settler]) -> bool:
    """Whether what happens by itself comes to an end for sure, since nothing makes itself possible.

    (An order in which each comes after all that may make it possible: it happens at most once for
    each time that those before it do.) There may be others that rest.
    """

    def follows(settler: Settler, other: Settler) -> bool:
        if settler is other and all(
            c.operation is Operation.SET and c.when == TRUE for c in settler.changes
        ):
            return False  # made again it would change nothing
        return may_enable(other.changes, settler)

    edges = {
        n: {m for m, other in enumerate(settlers) if follows(settler, other)}
        for n, settler in enumerate(settlers)
    }
    try:
        # an order exists exactly where there is no cycle
        TopologicalSorter(edges).prepare()
    except CycleError:
        return False
    return True


def excluded(guard: Formula, change: Change) -> bool:
    """Whether a guard says of a variable that it is not what a change sets it to."""
    return change.operation is Operation.SET and any(
        _excludes(part, change.variable, change.number) for part in parts_of(guard)
    )


def _excludes(part: Formula, variable: int, number: int) -> bool:
    match part:
        case Within(asked, low, high):
            # a guard that wants another value cannot hold right after it is set
            return asked == variable and not low <= number <= high
        case Opposite(Within(asked, low, high)):
            return asked == variable and low <= number <= high
    return False


def is_low(variables: Sequence[Variable], mark: int, part: Formula) -> bool:
    """Whether a formula says that a mark (a variable of two values) is low, and nothing else."""
    domain = variables[mark]
    return part in (
        Within(mark, domain.low, domain.low),
        Opposite(Within(mark, domain.high, domain.high)),
    )


def only_upwards(formulas: Iterable[Formula], variable: int, high: int) -> bool:
    """Whether formulas ask of a variable only, and never denied, that it is so much at least.

    `high` is its highest value.
    """
    return all(_upwards(f, variable, high) for f in formulas)


def _upwards(formula: Formula, variable: int, high: int) -> bool:
    match formula:
        case Within(asked, _, up):
            # more is always as good: the test is open at the top
            return asked != variable or up == high
        case Both(parts) | Either(parts) | AtLeast(_, parts):
            return all(_upwards(part, variable, high) for part in parts)
        case Opposite(part):
            # denied, more would be worse; a load wants less as well
            return not _mentions(part, variable)
    return not _mentions(formula, variable)


def _mentions(formula: Formula, variable: int) -> bool:
    return variable in variables_of(formula)


def once_only(variables: Sequence[Variable], move: Move, marks: Collection[int]) -> bool:
    """Whether a move can be made once at most: it asks for one of the marks to be low, and sets it.

    `marks` are as `marks_of` gives them.
    """
    parts = parts_of(move.guard)
    # whatever luck picks has to set the mark, or the move could be made again
    return all(
        any(
            c.variable in marks
            and c.when == TRUE
            and any(is_low(variables, c.variable, p) for p in parts)
            for c in step.changes
        )
        for step in move.steps
    )
