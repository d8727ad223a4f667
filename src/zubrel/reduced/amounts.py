"""Elimination of amounts: what is held follows from what was done.

Where every change of a variable adds a number in a step that also sets a mark for good, the
variable is always its start plus the sum over the marks that are set: it holds at the start, and
each step keeps it. The variable can then be left out, and a test of it is a threshold over marks; a
limit on what several things weigh together weighs the marks instead. Situations correspond one to
one, so that everything that can be asked has the same answer.

Conditions, for a variable: it is only ever added to, unconditionally; each such step sets a mark
(a variable of two values that begins low, that nothing sets back, and that whatever sets it asks to
be low); all steps that set the same mark add the same; no limit asks whether some of it is held.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Load,
    Within,
    at_least,
    both,
    opposite,
    pieces_of,
    substituted,
    variables_in,
)
from zubrel.compiled.parts import ENDING, PLACE, Operation, Settler, Step
from zubrel.compiled.system import System
from zubrel.reduced.result import Reduced, fixed, formulas_of, rewritten, without_changes

MOST_MARKS = 24
"""A threshold over more marks than this is no gain."""


def amounts(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without the variables that follow from marks.

    What is `asked` for may be tested otherwise, but not be part of a load.
    """
    system = before.system
    sums = _sums(system, asked)
    if not sums:
        return before
    swap = _Swap(system, sums)
    # tests become thresholds, then nothing reads or writes the variable any more
    smaller = rewritten(without_changes(before, sums), swap.formula)
    system = fixed(smaller.system, set(sums))
    return replace(smaller, system=system, swaps=(*before.swaps, swap.formula))


def _sums(system: System, asked: Sequence[Formula]) -> dict[int, dict[int, int]]:
    """For each variable that follows from marks: what each mark adds."""
    marks = system.marks
    mark_of: dict[int, int | None] = {}
    for move in system.moves:
        parts = parts_of(move.guard)
        for step in move.steps:
            own = {c.variable for c in step.changes if c.variable in marks}
            surely = {c.variable for c in step.changes if c.variable in own and c.when == TRUE}
            # whatever sets a mark must do so surely, and only where it was low
            marks -= {
                m for m in own if m not in surely or not any(system.is_low(m, p) for p in parts)
            }
    setters: dict[int, list[Step]] = {m: [] for m in marks}
    for step in system.steps:
        # one mark is enough to tell that the step was made; which of several does not matter
        own_marks = [c.variable for c in step.changes if c.variable in marks]
        mark_of[step.number] = own_marks[0] if own_marks else None
        for mark in own_marks:
            setters[mark].append(step)
    # what happens by itself may add again and again
    fixed = {v for s in system.settlers for v in _written(s)}
    # whether a tool is there counts as one in a load, for which no threshold can stand in
    read = {m.variable for load in _loads(formulas_of(system)) for m in load.marks}
    read |= variables_in(_loads(asked))
    # by variable every step that changes it: all of them have to add, or it does not follow from
    # marks
    touching: dict[int, dict[int, Step]] = {}
    for step in system.steps:
        for change in step.changes:
            touching.setdefault(change.variable, {})[step.number] = step
    sums: dict[int, dict[int, int]] = {}
    for variable, steps in sorted(touching.items()):
        # a mark stands for others, and cannot be told by them at the same time
        if variable in fixed | read | marks or variable in (PLACE, ENDING):
            continue
        added = _added(system, variable, list(steps.values()), mark_of, setters)
        # a threshold over n marks of a total t has about n times t parts as a diagram
        if added and len(added) <= MOST_MARKS:
            sums[variable] = added
    return sums


def _loads(formulas: Iterable[Formula]) -> list[Load]:
    return [p for f in formulas for p in pieces_of(f) if isinstance(p, Load)]


def _written(settler: Settler) -> set[int]:
    return {c.variable for c in settler.changes}


def _added(
    system: System,
    variable: int,
    steps: Sequence[Step],
    mark_of: Mapping[int, int | None],
    setters: Mapping[int, Sequence[Step]],
) -> dict[int, int] | None:
    """What each mark adds to a variable; None where it does not follow from marks.

    `steps` are those that change the variable.
    """
    added: dict[int, int] = {}
    domain = system.variables[variable]
    for step in steps:
        sums = [c for c in step.changes if c.variable == variable]
        mark = mark_of[step.number]
        # a gain that is made in some cases only is not told by the mark, which is set in all
        plain = all(c.when == TRUE and c.operation is not Operation.SET for c in sums)
        if mark is None or not plain or any(c.operation is Operation.FLIP for c in sums):
            return None
        if len(sums) > 1 and any(c.operation is Operation.ADD_UP_TO_END for c in sums):
            return None  # what one of them could not take away the next may add
        total = sum(c.number for c in sums)
        # which of two steps has set a mark is forgotten, so they have to add the same
        if added.setdefault(mark, total) != total:
            return None
    if any(
        sum(c.number for c in s.changes if c.variable == variable) != total
        for mark, total in added.items()
        for s in setters[mark]
    ):
        return None
    if any(
        c.operation is Operation.ADD_UP_TO_END
        for s in steps
        for c in s.changes
        if c.variable == variable
    ):
        # at the end of its domain a sum would be cut, and no more be what the marks add up to
        high = domain.start + sum(t for t in added.values() if t > 0)
        low = domain.start + sum(t for t in added.values() if t < 0)
        if high > domain.high or low < domain.low:
            return None
    return added


class _Swap:
    """Formulas in which amounts are replaced by thresholds over marks."""

    def __init__(self, system: System, sums: Mapping[int, Mapping[int, int]]) -> None:
        self.system = system
        self.sums = sums
        self.known: dict[Formula, Formula] = {}

    def formula(self, formula: Formula) -> Formula:
        if formula not in self.known:
            self.known[formula] = substituted(formula, self._test, self._load)
        return self.known[formula]

    def _load(self, load: Load) -> Formula:
        """A load that weighs marks in the place of amounts that follow from them."""
        marks, high = list(load.marks), load.high
        for variable in load.variables:
            for mark, total in self.sums.get(variable, {}).items():
                domain = self.system.variables[mark]
                # what takes away weighs as long as it was not done, from a higher start
                # a load weighs amounts; in its place each mark weighs what it adds, as many times
                end = domain.high if total > 0 else domain.low
                marks += [Within(mark, end, end)] * abs(total)
                high -= min(0, total)
            if variable in self.sums:
                high -= self.system.variables[variable].start
        # what was held at the start weighs for good, and is taken from the limit
        left = tuple(v for v in load.variables if v not in self.sums)
        if high < 0:
            return FALSE
        return Load(left, tuple(marks), high) if left or marks else TRUE

    def _test(self, test: Within) -> Formula:
        if test.variable not in self.sums:
            return test
        enough = self._from(test.variable, test.low)
        if test.high >= self.system.variables[test.variable].high:
            return enough  # more than that is never held
        # an amount between two numbers: at least the first, and not at least one more than the
        # second
        return both((enough, opposite(self._from(test.variable, test.high + 1))))

    def _from(self, variable: int, number: int) -> Formula:
        """The variable is at least `number`."""
        parts: list[Formula] = []
        needed = number - self.system.variables[variable].start
        for mark, total in self.sums[variable].items():
            domain = self.system.variables[mark]
            is_set: Formula = Within(mark, domain.high, domain.high)
            if total < 0:
                # what takes away counts as long as it was not done; that needs as much more in all
                is_set, needed = Within(mark, domain.low, domain.low), needed - total
            parts += [is_set] * abs(total)
        return at_least(needed, parts)
