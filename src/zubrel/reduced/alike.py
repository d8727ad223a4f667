"""Values of a variable that make no difference become one.

Where something was put down matters only as far as it is as easy to fetch: two values are *alike*
if the same moves are possible with each, and lead to the same or to alike values. Whatever all
moves that set a value ask for, and stays true, is sure as long as the variable has that value, and
counts as no difference.

Why this is sound. Situations that differ in alike values only are bisimilar; the classes are found
by refinement, all values being one class at first (Paige, Tarjan: Three partition refinement
algorithms, 1987, without the data structures that make it fast).

Conditions: the variable is only ever set, for sure, and by moves; nothing but guards of moves reads
it, and nobody has `asked` for it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Within,
    both,
    either,
    substituted,
    variables_of,
)
from zubrel.compiled.parts import Change, Move, Operation, Step
from zubrel.compiled.system import System
from zubrel.reduced.result import Rebuilding, Reduced, losing
from zubrel.reduced.standing import stays_true
from zubrel.reduced.users import Users

MOST_VALUES = 128
"""A variable with more values than this is left as it is."""


class Possible(Struct, frozen=True):
    """What a move asks for and does where the variable has some value, in one of its areas."""

    area: int | None
    guard: Formula
    changes: tuple[tuple[Change, ...], ...]
    originals: tuple[int, ...]


def alike(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system in which alike values of variables are one."""
    users = Users(before.system, asked)
    variables = [
        v
        for v, domain in enumerate(before.system.variables)
        # of two values nothing is gained: if they are alike nothing reads them, which others find
        # sooner
        if 2 < domain.size <= MOST_VALUES and v not in users.barred and _is_set(users, v)
    ]
    if not variables:
        return before
    using = _Using(before.system, {})
    for variable in variables:
        # one variable after the other: merging one may make values of the next alike
        values = _Values(before, variable, using)
        classes = values.classes()
        if len(set(classes.values())) < before.system.variables[variable].size:
            before = values.merged(classes)
            using = _Using(before.system, using.read)
    return before


def _is_set(users: Users, variable: int) -> bool:
    """Whether a variable is changed at all, and only ever set for sure."""
    changes = [
        c
        for _, step in users.writers.get(variable, ())
        for c in step.changes
        if c.variable == variable
    ]
    return bool(changes) and all(c.operation is Operation.SET and c.when == TRUE for c in changes)


class _Using:
    """Which moves read and set each variable, of systems of which one comes after the other.

    `read` are the variables of guards, by the guard itself: a large world has thousands of moves,
    of which merging the values of a variable changes a few.
    """

    def __init__(self, system: System, read: dict[int, tuple[Formula, frozenset[int]]]) -> None:
        self.read = read
        self.readers: dict[int, list[Move]] = {}
        self.setters: dict[int, list[tuple[Move, int]]] = {}
        """By variable the moves that set it, each with the value."""
        for move in system.moves:
            for variable in self._variables(move.guard):
                self.readers.setdefault(variable, []).append(move)
            for step in move.steps:
                for change in step.changes:
                    self.setters.setdefault(change.variable, []).append((move, change.number))

    def _variables(self, guard: Formula) -> frozenset[int]:
        # as long as it is kept here, nothing else has its number
        if id(guard) not in self.read:
            self.read[id(guard)] = guard, variables_of(guard)
        return self.read[id(guard)][1]


class _Values:
    """The values of one variable, and what each of them makes possible."""

    def __init__(self, before: Reduced, variable: int, using: _Using) -> None:
        self.before = before
        self.system = before.system
        self.variable = variable
        domain = self.system.variables[variable]
        self.values = range(domain.low, domain.high + 1)
        self.reading = using.readers.get(variable, [])
        self.setting = using.setters.get(variable, [])
        self.sure = self._sure()

    def _sure(self) -> dict[int, frozenset[Formula]]:
        """By value what holds as long as the variable has it; nothing of what is never set."""
        system, sure = self.system, dict[int, frozenset[Formula]]()
        for move, value in self.setting:
            # what a move asked for when it set the value, and what never becomes false, still
            # holds while the value is there
            asked = frozenset(p for p in parts_of(move.guard) if stays_true(system, p))
            # several moves may set the same value: only what all of them ask for is sure
            sure[value] = sure.get(value, asked) & asked
        # nothing was asked for before the start
        return sure | {system.variables[self.variable].start: frozenset()}

    def _with(self, move: Move, value: int) -> Formula:
        """What a move asks for where the variable has a value."""

        def test(test: Within) -> Formula:
            if test.variable != self.variable:
                return test
            return TRUE if test.low <= value <= test.high else FALSE

        sure = self.sure.get(value, frozenset())
        parts = parts_of(substituted(move.guard, test))
        # what is sure anyway must not make a difference between two values
        return both(p for p in parts if p not in sure)

    def _possible(self, value: int, classes: dict[int, int]) -> frozenset[Possible]:
        return frozenset(
            Possible(
                area,
                guard,
                tuple(tuple(self._led(s.changes, classes)) for s in move.steps),
                tuple(self.before.originals[s.number].number for s in move.steps),
            )
            for move in self.reading
            if (guard := self._with(move, value)) != FALSE
            for area in (move.areas if move.areas is not None else (None,))
        )

    def _led(self, changes: Iterable[Change], classes: dict[int, int]) -> Iterator[Change]:
        """Changes that lead to classes instead of values."""
        for change in changes:
            if change.variable == self.variable:
                # moves that set the variable lead to classes, as refinement has them so far
                change = replace(change, number=classes[change.number])
            yield change

    def classes(self) -> dict[int, int]:
        """By value the number of its class."""
        # a value that is never set is of no interest, and alike to every other
        met = [v for v in self.values if v in self.sure]
        classes = dict.fromkeys(self.values, 0)
        while True:
            # the class so far is part of the sign, so that a class is only ever split
            told = {v: (classes[v], self._possible(v, classes)) for v in met}
            numbers = {sign: n for n, sign in enumerate(dict.fromkeys(told.values()))}
            refined = dict.fromkeys(self.values, 0) | {v: numbers[told[v]] for v in met}
            # no class was split, so none will be
            if len(numbers) == len(set(classes.values())):
                return refined
            classes = refined

    def merged(self, classes: dict[int, int]) -> Reduced:
        """The system with one value for each class."""
        variable, number = self.variable, max(classes.values())
        # any value of a class will do: they are alike in all that is asked
        examples = {classes[v]: v for v in reversed(self.values) if v in self.sure}
        new, seen = Rebuilding(losing(self.before, {variable})), dict[object, list[Formula]]()
        reading, setting = set(map(id, self.reading)), {id(move) for move, _ in self.setting}
        for move in self.system.moves:
            steps: Sequence[Step] = move.steps
            if id(move) in setting:
                steps = [replace(s, changes=tuple(self._led(s.changes, classes))) for s in steps]
            sign = (
                move.areas,
                tuple(s.changes for s in steps),
                tuple(self.before.originals[s.number].number for s in move.steps),
            )
            # moves that differed in values only are the same by now; without this there would be
            # as many copies as values
            known_guards = seen.setdefault(sign, [])
            guards = self._guards(move, examples) if id(move) in reading else [move.guard]
            for guard in guards:
                # the same step with less to ask for is possible wherever this one is
                if not any(_follows(guard, known) for known in known_guards):
                    known_guards.append(guard)
                    new.add(replace(move, guard=guard), steps)
        smaller = new.reduced
        domain = self.system.variables[variable]
        left = replace(domain, low=0, high=number, start=classes[domain.start], names=())
        variables = (left if n == variable else v for n, v in enumerate(smaller.system.variables))
        return replace(
            smaller,
            system=replace(smaller.system, variables=tuple(variables)),
            blurred=smaller.blurred | {variable},
        )

    def _guards(self, move: Move, examples: dict[int, int]) -> list[Formula]:
        """What a move asks for, in terms of classes, each of which has a value as an example.

        One that asks for a value which is never set is kept as what is never possible.
        """
        alike: dict[Formula, list[Formula]] = {}
        for number, example in sorted(examples.items()):
            test = Within(self.variable, number, number)
            alike.setdefault(self._with(move, example), []).append(test)
        guards = [both((g, either(tests))) for g, tests in alike.items() if g != FALSE]
        return guards or [FALSE]


def _follows(guard: Formula, other: Formula) -> bool:
    """Whether a guard asks for all that another asks for."""
    return set(parts_of(other)) <= set(parts_of(guard))
