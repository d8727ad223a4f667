"""Guards that ask for no more than they must.

What a guard says of single variables is taken for granted in the rest of it and in the conditions
of the changes that it guards, and so is what the areas of the move tell of the place. A limit that
a move can never go beyond is not asked for: no variable exceeds its start plus all that steps which
can be taken once only add to it; and where the author has given no limit, there is room for all
that can ever come together. What one step alone raises, once only, is at its start or below until
then. What nothing ever changes is known. Where the game has always ended
there are no moves. Every guard stays true in the same situations of any play.

Condition: a variable whose limit is told by adding up is changed by no happening, and only by steps
that take from it, or that add to it at most once.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Opposite,
    Within,
    both,
    substituted,
    variables_in,
)
from zubrel.compiled.parts import ENDING, PLACE, Change, Move, Operation
from zubrel.compiled.system import System
from zubrel.compiled.ways import standing_in
from zubrel.reduced.result import Rebuilding, Reduced, formulas_of, rewritten


def guards(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system with simpler guards; whatever is `asked` for stays as it is."""
    # constants first: whole parts of guards go with them, and limits become readable
    before = _without_constants(before)
    system = before.system
    limits = _Limits(system)
    new = Rebuilding(before)
    changed = False
    ended_areas = _areas_of_endings(system)
    for move in system.moves:
        # where the game has always ended, no move is ever made
        areas = move.areas and tuple(a for a in move.areas if a not in ended_areas)
        if areas != move.areas:
            changed = True
            move = replace(move, areas=areas) if areas else replace(move, guard=FALSE)
        # a fresh one for each move: what is known holds only where its guard does
        known = _Known(system, move)
        # limits are told by intervals, which the first round makes of what is denied
        plain = replace(move, guard=known.simplified(move.guard))
        guard = known.simplified(limits.without(plain))
        steps = [replace(s, changes=known.changes(s.changes)) for s in move.steps]
        # an unchanged system is handed back as it is, so that a round of reductions knows when to
        # end
        changed = changed or guard != move.guard or steps != list(move.steps)
        new.add(replace(move, guard=guard), steps)
    return new.reduced if changed else before


def _without_constants(before: Reduced) -> Reduced:
    """What nothing ever changes is what it is at the start."""
    system = before.system
    changed = {c.variable for step in system.steps for c in step.changes}
    changed |= {c.variable for settler in system.settlers for c in settler.changes}
    # place and ending change without a change that says so in all cases (the game ends by a
    # formula)
    asked = variables_in(formulas_of(system)) - changed - {PLACE, ENDING}
    constant = {v for v in asked if system.variables[v].size > 1}

    def known(test: Within) -> Formula:
        if test.variable not in constant:
            return test
        return TRUE if test.low <= system.variables[test.variable].start <= test.high else FALSE

    return rewritten(before, lambda f: substituted(f, known)) if constant else before


class _Known:
    """What the guard of a move says of single variables: between which values they are."""

    def __init__(self, system: System, move: Move) -> None:
        self.system = system
        self.areas = move.areas
        self.between: dict[int, tuple[int, int]] = {}

    def simplified(self, guard: Formula) -> Formula:
        while True:
            self.between = {}
            # each round may turn a part into an interval, and so tell more about others
            literals, remaining = list[int](), list[Formula]()
            for part in map(self._interval, parts_of(guard)):
                # where the player stands is told by the areas of the move, not by its guard
                if isinstance(part, Within) and part.variable != PLACE:
                    literals.append(part.variable)
                    low, high = self.between.get(part.variable, (part.low, part.high))
                    self.between[part.variable] = (max(low, part.low), min(high, part.high))
                else:
                    remaining.append(part)
            # a variable cannot be in two ranges that do not meet
            if any(low > high for low, high in self.between.values()):
                return FALSE
            new = both(
                (
                    *(Within(v, *self.between[v]) for v in dict.fromkeys(literals)),
                    *(substituted(part, self._test) for part in remaining),
                )
            )
            if new == guard:
                return guard
            guard = new

    def changes(self, changes: Sequence[Change]) -> tuple[Change, ...]:
        """Changes where the guard holds, without those that are never made.

        If none is ever made, they stay: the step can be taken, and may be asked about.
        """
        # a condition is judged before the move, as its guard is, so what the guard says holds for
        # it
        known = tuple(replace(c, when=substituted(c.when, self._test)) for c in changes)
        return tuple(c for c in known if c.when != FALSE) or known

    def _interval(self, part: Formula) -> Formula:
        """That a variable is not in a range, said as the range it is in, where that is one."""
        # a hole in the middle of a domain is no interval, and stays as it is said
        if isinstance(part, Opposite) and isinstance(part.part, Within):
            test = part.part
            domain = self.system.variables[test.variable]
            if test.low <= domain.low:
                return Within(test.variable, test.high + 1, domain.high)
            if test.high >= domain.high:
                return Within(test.variable, domain.low, test.low - 1)
        return part

    def _test(self, test: Within) -> Formula:
        if test.variable == PLACE:
            # unknown where the move is possible on both sides of the test
            inside = {test.low <= area <= test.high for area in self.areas or ()}
            return test if len(inside) != 1 else TRUE if inside.pop() else FALSE
        if test.variable not in self.between:
            return test
        low, high = self.between[test.variable]
        if test.low <= low and high <= test.high:
            return TRUE
        return FALSE if high < test.low or test.high < low else test


def _areas_of_endings(system: System) -> set[int]:
    """Areas in which the game has always ended."""
    areas = set[int]()
    for formula, _ in system.endings:
        for area in range(system.variables[PLACE].size):
            # decided by the place alone, whatever else is so
            if standing_in(area, formula) == TRUE:
                areas.add(area)
    return areas


class _Limits:
    """Limits that no play ever comes to, as they are asked for by moves that add to a variable."""

    def __init__(self, system: System) -> None:
        self.system = system
        # what can be made once adds once: the sum of all such gains is a bound
        self.once = {s.number for m in system.moves if system.once_only(m) for s in m.steps}
        self.most = self._most()
        self.fitting = {
            number
            for number, variable in enumerate(system.variables)
            if variable.key[0] == "held"
            and not system.world.items[variable.key[1]].bound_given
            and system.world.items[variable.key[1]].uses is None
        }
        """Amounts of items of which there is room for all that can ever come together."""
        self.raised_by = self._raised_by()
        self.raising = set(self.raised_by.values())

    def _raised_by(self) -> dict[int, int]:
        """Variables that a single step may raise above their starts, and its number."""
        raising: dict[int, set[int]] = {}
        for step in self.system.steps:
            for change in step.changes:
                start = self.system.variables[change.variable].start
                # set to the start or below, or taken away: this raises nothing above the start
                lowered = change.operation is Operation.SET and change.number <= start
                added = change.operation in (Operation.ADD, Operation.ADD_UP_TO_END)
                if not (lowered or (added and change.number <= 0)):
                    raising.setdefault(change.variable, set()).add(step.number)
        # with two steps that raise it the second could find it raised
        single = {v: min(steps) for v, steps in raising.items() if len(steps) == 1}
        # a mark is what says that a step is made once: it has to be asked for
        barred = {PLACE, *self.system.settled, *self.system.marks}
        return {v: n for v, n in single.items() if v not in barred and n in self.once}

    def _most(self) -> dict[int, int]:
        """The most that variables can come to, where that can be told by adding up."""
        barred = {PLACE, *self.system.settled}
        # what is set, flipped, or changed by itself cannot be added up
        values: dict[int, int] = {}
        for step in self.system.steps:
            for change in step.changes:
                variable = change.variable
                if change.operation not in (Operation.ADD, Operation.ADD_UP_TO_END):
                    barred.add(variable)
                # what takes away is not counted: an upper bound holds without it
                elif change.number > 0:
                    most = values.get(variable, self.system.variables[variable].start)
                    values[variable] = most + change.number
                    # a gain that can be had again has no sum
                    if step.number not in self.once:
                        barred.add(variable)
        return {v: most for v, most in values.items() if v not in barred}

    def without(self, move: Move) -> Formula:
        """What a move asks for, but for limits that it never goes beyond."""
        added: dict[int, int] = {}
        # by luck nothing is sure to be added
        if len(move.steps) == 1:
            for change in move.steps[0].changes:
                if change.operation is Operation.ADD and change.when == TRUE:
                    added[change.variable] = added.get(change.variable, 0) + change.number
        # before a move that is made once, its own gain has not been counted yet
        own = move.steps[0].number in self.once

        def test(test: Within) -> Formula:
            variable, domain = test.variable, self.system.variables[test.variable]
            # only upper limits are dropped here: a lower one asks for something
            if test.low > domain.low:
                return test
            # nothing but this very move could have raised it, and it has not been made
            if move.steps[0].number == self.raised_by.get(variable) and test.high >= domain.start:
                return TRUE
            gain = max(0, added.get(variable, 0))
            if variable in self.most and test.high >= self.most[variable] - (gain if own else 0):
                return TRUE
            # the domain was made so large that all there is fits, so this asks for nothing
            fits = variable in self.fitting and gain and test.high >= domain.high - gain
            return TRUE if fits else test

        if added or move.steps[0].number in self.raising:
            return substituted(move.guard, test)
        return move.guard
