"""One thing against every combination of what it asks for that can really occur."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import combinations, islice
from math import prod
from typing import Any as Anything

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget
from zubrel.checked.conditions import (
    ALWAYS,
    All,
    At,
    Beaten,
    Cond,
    GoalMet,
    Holds,
    Level,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    atoms_of,
)
from zubrel.checked.effects import Take, Wear
from zubrel.checked.world import Rule, World
from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import Formula, both, opposite, variables_of
from zubrel.compiled.translate import Translator
from zubrel.explored.space import Space
from zubrel.findings.judged import standing_formula
from zubrel.narrated.replay import replay
from zubrel.narrated.report import MoveLine
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import listed, phrase
from zubrel.played.why import area_text, refusal
from zubrel.walked.walker import Situation, Walker, compares

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
    is tried. `shortest` when no way there has fewer moves.
    """

    cases: tuple[int, ...]
    possible: str | None
    situations: int
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


def probe(space: Space[Anything], name: str, budget: Budget) -> list[Probe]:
    """The probes of what belongs to an id, over a finished search. Raises as `Budget.spend`."""
    world = space.system.world
    if name in world.areas:
        return [_AreaProber(space, name, budget).probe()]
    return [_RuleProber(space, rule, budget).probe() for rule in rules_named(world, name)]


def rules_named(world: World, name: str) -> list[Rule]:
    """The rules that belong to an id: a rule, all its alternatives, or all of its owner."""
    exact = [r for r in world.rules if name in (r.id, r.common)]
    return exact or [r for r in world.rules if r.owner == name]


class _Prober:
    """What probes of rules and of areas share: columns, combinations, ways to them."""

    def __init__(self, space: Space[Anything], budget: Budget) -> None:
        self.space = space
        self.budget = budget
        self.world = space.system.world
        self.walker = Walker(self.world)
        system = space.system
        self.translator = Translator(self.world, system.variables, system.numbers)
        self.standing: Anything = None

    def _columns_of(self, conditions: Iterable[Cond]) -> Iterator[Column]:
        """A column for each item and meter, one for each other thing that is asked."""
        amounts: dict[tuple[str, str], list[Holds | Level]] = {}
        others: dict[str, Cond] = {}
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
        cuts = {domain.low, domain.low + 1}
        for test in tests:
            cuts |= {test.number - 1, test.number, test.number + 1}
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
        wants = listed(list(dict.fromkeys(
            str(t.number) if t.operator == ">=" else f"{t.operator} {t.number}" for t in tests
        )), "or")  # fmt: skip
        return Column(self.world.name_of(key[1]), tuple(cases), tuple(formulas),
                      frozenset(enough), wants)  # fmt: skip

    def _occurring(self, number: int, low: int, high: int) -> Iterator[tuple[int, int]]:
        """The values of a variable that occur here, as stretches; long ones are not looked into."""
        self.budget.spend(GROUP)
        within = self.space.where(self.translator.within(number, low, high))
        if not self.standing & within:
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
        for number, some in enumerate(sets[len(cases)]):
            if part := group & some:
                yield from self._groups(sets, part, (*cases, number))

    def _probed(
        self, name: str, label: str, columns: tuple[Column, ...],
        row: Callable[[tuple[int, ...], Anything], ProbeRow],
    ) -> Probe:  # fmt: skip
        sets = [[self.space.where(f) for f in column.formulas] for column in columns]
        for told in range(len(columns), -1, -1):  # as many columns as can be told apart
            groups = islice(self._groups(sets[:told], self.standing), MOST_GROUPS + 1)
            count = sum(1 for _ in groups) if self.standing else 0
            if count <= MOST_GROUPS:
                break
        every = self._groups(sets[:told], self.standing) if count else ()
        rows = tuple(row(cases, group) for cases, group in islice(every, MOST_ROWS))
        whole = told == len(columns)
        never = prod(len(column.cases) for column in columns) - count if whole else None
        return Probe(name, label, columns[:told], rows, never, not whole or count > len(rows),
                     (), (), ())  # fmt: skip

    def _way(self, group: Anything) -> tuple[Situation, tuple[MoveLine, ...], bool]:
        """A situation of a group with a shortest way to it, and whether it is surely that."""
        self.budget.spend(GROUP)
        trace = self.space.walks().shortest(group)
        assert trace is not None, "every situation is reached"
        walked = replay(self.walker, self.space, trace)
        here = walked[-1].after if walked else self.walker.start()
        return here, lines_of(self.world, walked), trace.shortest


class _AreaProber(_Prober):
    """What the player reads in an area, by what its texts ask for."""

    def __init__(self, space: Space[Anything], area: str, budget: Budget) -> None:
        super().__init__(space, budget)
        self.area = self.world.areas[area]
        place = list(self.world.areas).index(area)
        self.standing = space.where(standing_formula(space.system, (place,)))

    def probe(self) -> Probe:
        columns = tuple(self._columns_of(said.when for said in self.area.says))
        probed = self._probed(self.area.id, self.area.name, columns, self._row)
        silent = any(row.text is None for row in probed.rows) and self.area.says
        remarks = ("In some rows the player reads nothing.",) if silent else ()
        return replace(probed, remarks=remarks)

    def _row(self, cases: tuple[int, ...], group: Anything) -> ProbeRow:
        here, moves, shortest = self._way(group)
        text = area_text(self.walker, here)
        return ProbeRow(cases, None, self.space.count(group), text, moves, shortest)


class _RuleProber(_Prober):
    """One rule: what is possible, and what the player is told."""

    def __init__(self, space: Space[Anything], rule: Rule, budget: Budget) -> None:
        super().__init__(space, budget)
        self.rule = rule
        self.move = next(m for m in space.system.moves if m.rule is rule)
        self.gone, self.present = offered_parts(rule.offered)
        standing = both((standing_formula(space.system, self.move.areas),
                         *(self.translator.formula(part) for part in self.gone)))  # fmt: skip
        self.standing = space.where(standing)

    def probe(self) -> Probe:
        columns = tuple(self._columns())
        probed = self._probed(self.rule.id, self.rule.label, columns, self._row)
        if probed.cut:  # of some rows only nothing can be said about all
            return probed
        return replace(
            probed, remarks=tuple(self._remarks(columns, probed.rows)),
            opening=self._least(columns, probed.rows), refusing=self._most(columns, probed.rows),
        )  # fmt: skip

    def _columns(self) -> Iterator[Column]:
        if self.rule.lock:
            yield self._yes_or_no(LockOpen(self.rule.lock), True)
        conditions: list[Cond] = [*self.present, self.rule.needs]
        for outcome in self.rule.outcomes:
            if outcome.destination is not None:
                conditions.append(self.world.areas[outcome.destination].needs)
        conditions += [Holds(item, ">=", count) for item, count in self._taken().items()]
        asked = list(self._columns_of(conditions))
        yield from asked
        lock = self.rule.owner if self.rule.kind == "lock" else self.rule.lock
        if lock is not None:  # what only its texts ask for stands in nobody's way
            known = {c.title for c in asked}
            for column in self._columns_of(said.when for said in self.world.locks[lock].refuses):
                if column.title not in known:
                    yield replace(column, enough=frozenset(range(len(column.cases))), wants="")

    def _taken(self) -> dict[str, int]:
        found: dict[str, int] = {}
        for effect in self.rule.outcomes[0].effects:
            if isinstance(effect, Take):
                found[effect.item] = found.get(effect.item, 0) + effect.count
            elif isinstance(effect, Wear):
                found[effect.item] = max(1, found.get(effect.item, 0))
        return found

    def _wants(self, atom: Cond) -> bool:
        parts = [p for c in (*self.present, self.rule.needs) for p in self._parts(c)]
        return Not(atom) not in parts

    def _parts(self, condition: Cond) -> list[Cond]:
        parts = getattr(condition, "parts", None)
        return list(parts) if parts is not None else [condition]

    def _row(self, cases: tuple[int, ...], group: Anything) -> ProbeRow:
        size = self.space.count(group)
        able = self.space.count(group & self.space.where(self.move.guard))
        possible = "yes" if able == size else "no" if able == 0 else "sometimes"
        here, moves, shortest = self._way(group)
        depends = tuple(self._deciding(group)) if possible == "sometimes" else ()
        return ProbeRow(cases, possible, size, self._text(here, possible), moves, shortest, depends)

    def _deciding(self, group: Anything) -> Iterator[str]:
        """The names of what else a rule asks for, and only some situations of a group give."""
        variables, told = self.space.system.variables, set()
        for part in parts_of(self.move.guard):
            if group & self.space.where(opposite(part)):
                for number in sorted(variables_of(part)):
                    name = self.world.name_of(variables[number].key[1])
                    if name not in told:
                        told.add(name)
                        yield name

    def _text(self, here: Situation, possible: str) -> str | None:
        if possible == "no":
            return refusal(self.walker, self.rule, here)
        return self.rule.outcomes[0].says if len(self.rule.outcomes) == 1 else None

    def _lacks(self, columns: Sequence[Column], row: ProbeRow) -> frozenset[str]:
        pairs = zip(columns, row.cases, strict=True)
        return frozenset(c.title for c, case in pairs if case not in c.enough)

    def _remarks(self, columns: Sequence[Column], rows: Sequence[ProbeRow]) -> Iterator[str]:
        """Rows whose text does not fit what is missing."""
        if self.rule.kind != "lock" and self.rule.lock is None:
            return
        refused = [r for r in rows if r.possible == "no"]
        if any(r.text is None for r in refused):
            yield "In some rows the player is told nothing at all."
        lacks: dict[str, set[frozenset[str]]] = {}
        for row in refused:
            if row.text is not None:
                lacks.setdefault(row.text, set()).add(self._lacks(columns, row))
        for text, different in lacks.items():
            if len(different) > 1:
                yield f"The same text for different lacks: “{text}”"
        yield from self._orders(columns, rows)

    def _orders(self, columns: Sequence[Column], rows: Sequence[ProbeRow]) -> Iterator[str]:
        """Two things that are got one after the other, where the text depends on which is first."""
        texts = {self._lacks(columns, row): row.text for row in rows if row.possible == "no"}
        for first, second in combinations([c.title for c in columns], 2):
            both_lack = texts.get(frozenset({first, second}))
            lacks_second, lacks_first = (texts.get(frozenset({t})) for t in (second, first))
            if both_lack and lacks_second and lacks_first and lacks_second != lacks_first:
                yield (
                    f"{first} before {second}: “{both_lack}”, then “{lacks_second}”. "
                    f"{second} before {first}: “{both_lack}”, then “{lacks_first}”."
                )

    def _least(
        self, columns: Sequence[Column], rows: Sequence[ProbeRow]
    ) -> tuple[tuple[str, ...], ...]:
        """The smallest sets of what is there with which it is possible."""
        titles = frozenset(c.title for c in columns)
        there = {titles - self._lacks(columns, r) for r in rows if r.possible == "yes"}
        least = [s for s in there if not any(other < s for other in there)]
        return tuple(sorted(tuple(sorted(s)) for s in least))

    def _most(
        self, columns: Sequence[Column], rows: Sequence[ProbeRow]
    ) -> tuple[tuple[str, ...], ...]:
        """The largest sets of what is there with which it is not possible."""
        titles = frozenset(c.title for c in columns)
        there = {titles - self._lacks(columns, r) for r in rows if r.possible == "no"}
        most = [s for s in there if not any(other > s for other in there)]
        return tuple(sorted(tuple(sorted(s)) for s in most))


def offered_parts(offered: Cond) -> tuple[list[Cond], list[Cond]]:
    """What says that a rule is not done for good yet, and what says that it is there at the time:
    the presence of people and foes, which talk applies."""
    parts = list(offered.parts) if isinstance(offered, All) else [offered]
    lasting = (Marked, LockOpen, Beaten, QuestIs, GoalMet)
    gone: list[Cond] = [p for p in parts if isinstance(p, lasting)
            or (isinstance(p, Not) and isinstance(p.part, lasting))]  # fmt: skip
    return gone, [p for p in parts if p not in gone]


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
