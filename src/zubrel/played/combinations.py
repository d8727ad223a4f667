"""Combinations of what something asks for that really occur, and what they share when probed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import islice
from math import prod
from typing import Any as Anything

from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.checked.conditions import (
    ALWAYS,
    At,
    Cond,
    Holds,
    Level,
    atoms_of,
)
from zubrel.compiled.formulas import Formula, both, opposite
from zubrel.explored.space import Space
from zubrel.narrated.replay import replay
from zubrel.narrated.report import MoveLine
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import listed, phrase
from zubrel.walked.changing import Situation, compares

MOST_ROWS, MOST_GROUPS = 400, 2048
"""Rows that are made, and combinations that are told apart at all."""
MOST_VALUES = 12
"""Amounts in one case that are named one by one."""
GROUP = 200
"""Units of work to look at one combination."""


class Column(Struct, frozen=True):
    """Something that is asked for, and the cases that make a difference, each with its formula.

    `wants` says how much of it is asked for. `enough` are the numbers of the cases in which this
    alone stands in nobody's way.
    """

    title: str
    cases: tuple[str, ...]
    formulas: tuple[Formula, ...]
    enough: frozenset[int]
    wants: str = ""


class ProbeRow(Struct, frozen=True):
    """A combination that occurs: the case of each column, and what comes of it.

    `possible` is yes, no or sometimes, and then `depends` names on what else; None where nothing
    is tried. `situations`: how many there are, where they can be counted. `shortest` when no way
    there has fewer moves.
    """

    cases: tuple[int, ...]
    possible: str | None
    situations: int | None
    text: str | None
    moves: tuple[MoveLine, ...]
    shortest: bool
    depends: tuple[str, ...] = ()


class Probe(Struct, frozen=True):
    """One rule, or the texts of one area, probed.

    `never` combinations do not occur (None: too many to know); `cut` when rows were left out.
    """

    id: str
    label: str
    columns: tuple[Column, ...]
    rows: tuple[ProbeRow, ...]
    never: int | None
    cut: bool
    remarks: tuple[str, ...]
    opening: tuple[tuple[str, ...], ...]
    refusing: tuple[tuple[str, ...], ...]


class Prober:
    """What probes of rules and of areas share: columns, combinations, ways to them."""

    def __init__(self, space: Space[Anything], budget: Budget, standing: Formula) -> None:
        """`standing`: where the player stands before what is probed."""
        self.space = space
        self.budget = budget
        self.world = space.system.world
        self.walker = space.system.walker
        system = space.system
        self.translator = system.translator
        self._there = standing
        self.standing = space.where(standing)

    def _where(self, formula: Formula) -> Anything:
        """Where a formula holds while the player stands there, of which classes know more."""
        return self.space.where(both((self._there, formula)))

    def _columns_of(self, conditions: Iterable[Cond]) -> Iterator[Column]:
        """A column for each item and meter, one for each other thing that is asked."""
        amounts: dict[tuple[str, str], list[Holds | Level]] = {}
        others: dict[str, Cond] = {}
        # amounts are told apart by ranges, and all else by yes and no
        for atom in (a for c in conditions if c != ALWAYS for a in atoms_of(c)):
            if isinstance(atom, Holds):
                amounts.setdefault(("held", atom.item), []).append(atom)
            elif isinstance(atom, Level):
                amounts.setdefault(("meter", atom.meter), []).append(atom)
            elif not isinstance(atom, At):  # the player stands there
                others.setdefault(phrase(self.world, atom), atom)
        for key, tests in amounts.items():
            yield self._amount(key, tests)
        for other in others.values():
            yield self._yes_or_no(other, self._wants(other))

    def _wants(self, atom: Cond) -> bool:
        """Whether a need stands as it is; False where only its denial does."""
        return True

    def _yes_or_no(self, atom: Cond, wanted: bool) -> Column:
        formula = self.translator.formula(atom)
        title = phrase(self.world, atom)
        enough = frozenset({0 if wanted else 1})
        return Column(title, ("yes", "no"), (formula, opposite(formula)), enough)

    def _amount(self, key: tuple[str, str], tests: Sequence[Holds | Level]) -> Column:
        """The amounts that make a difference and occur: none, just under, exactly, above."""
        number = self.space.system.numbers[key]
        domain = self.space.system.variables[number]
        # whether there is any at all always makes a difference
        cuts = {domain.low, domain.low + 1}
        for test in tests:
            cuts |= {test.number - 1, test.number, test.number + 1}
        # between two cuts no test tells values apart: one of them stands for all
        starts = sorted(c for c in cuts if domain.low <= c <= domain.high)
        ends = [*(s - 1 for s in starts[1:]), domain.high]
        cases: list[str] = []
        formulas: list[Formula] = []
        enough: set[int] = set()
        for low, high in zip(starts, ends, strict=True):
            values = list(self._occurring(number, low, high))
            if not values:
                continue
            if all(compares(low, t.operator, t.number) for t in tests):
                enough.add(len(cases))
            cases.append(_values(values))
            formulas.append(self.translator.within(number, low, high))
        wants = listed(
            list(
                dict.fromkeys(
                    str(t.number) if t.operator == ">=" else f"{t.operator} {t.number}"
                    for t in tests
                )
            ),
            "or",
        )
        return Column(
            self.world.name_of(key[1]), tuple(cases), tuple(formulas), frozenset(enough), wants
        )

    def _occurring(self, number: int, low: int, high: int) -> Iterator[tuple[int, int]]:
        """The values of a variable that occur here, as stretches; long ones are not looked into."""
        self.budget.spend(GROUP)
        if not self._where(self.translator.within(number, low, high)):
            return
        if low == high:
            yield low, high
            return
        middle = (low + high) // 2
        yield from self._occurring(number, low, middle)
        yield from self._occurring(number, middle + 1, high)

    def _groups(
        self, sets: Sequence[Sequence[Anything]], group: Anything, cases: tuple[int, ...] = ()
    ) -> Iterator[tuple[tuple[int, ...], Anything]]:
        """The situations of a group, sorted by case of the columns that follow; none is empty.

        One after the other, so that few sets are held at a time.
        """
        self.budget.spend(GROUP)
        if len(cases) == len(sets):
            yield cases, group
            return
        for number, situations in enumerate(sets[len(cases)]):
            if part := group & situations:
                yield from self._groups(sets, part, (*cases, number))

    def _probed(
        self,
        name: str,
        label: str,
        columns: tuple[Column, ...],
        row: Callable[[tuple[int, ...], Anything], ProbeRow],
    ) -> Probe:
        # each row is the meeting of one set of each column, where that is not empty
        sets = [[self._where(f) for f in column.formulas] for column in columns]
        for mentioned in range(len(columns), -1, -1):  # as many columns as can be told apart
            groups = islice(self._groups(sets[:mentioned], self.standing), MOST_GROUPS + 1)
            count = sum(1 for _ in groups) if self.standing else 0
            if count <= MOST_GROUPS:
                break
        every = self._groups(sets[:mentioned], self.standing) if count else ()
        rows = tuple(row(cases, group) for cases, group in islice(every, MOST_ROWS))
        whole = mentioned == len(columns)
        never = prod(len(column.cases) for column in columns) - count if whole else None
        return Probe(
            name,
            label,
            columns[:mentioned],
            rows,
            never,
            not whole or count > len(rows),
            (),
            (),
            (),
        )

    def _size(self, group: Anything) -> int | None:
        """How many situations a group has; None where classes stand for many of them."""
        return None if self.space.merged else self.space.count(group)

    def _way(self, group: Anything) -> tuple[Situation, tuple[MoveLine, ...], bool]:
        """A situation of a group with a shortest way to it, and whether it is surely that."""
        self.budget.spend(GROUP)
        trace = self.space.walks().shortest(group)
        assert trace is not None, "every situation is reached"
        walked = replay(self.walker, self.space, trace)
        here = walked[-1].after if walked else self.walker.start()
        return here, lines_of(self.world, walked), trace.shortest


def _values(stretches: Sequence[tuple[int, int]]) -> str:
    """Values that occur, those in a row as one: `0`, `1–8`, `6 or 10`."""
    rows: list[tuple[int, int]] = []
    for low, high in stretches:
        if rows and rows[-1][1] == low - 1:
            rows[-1] = rows[-1][0], high
        else:
            rows.append((low, high))
    words = [str(low) if low == high else f"{low}–{high}" for low, high in rows]
    if len(words) > MOST_VALUES:
        return f"{words[0]} to {words[-1]}, {len(stretches)} of them"
    return listed(words, "or")
