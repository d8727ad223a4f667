"""One thing against every combination of what it asks for that can really occur."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any as Anything

from msgspec import Struct

from zubrel.checked.conditions import ALWAYS, Cond, Holds, Level, LockOpen, Not, atoms_of
from zubrel.checked.effects import Take, Wear
from zubrel.checked.world import Rule, World
from zubrel.compiled.formulas import Formula, both, opposite
from zubrel.compiled.translate import Translator
from zubrel.explored.space import Space
from zubrel.findings.verdict import standing_formula
from zubrel.narrated.replay import replay
from zubrel.narrated.report import MoveLine
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import phrase
from zubrel.played.why import refusal
from zubrel.walked.walker import Situation, Walker, compares

MOST_ROWS = 400


class Column(Struct, frozen=True):
    """Something that is asked for, and the cases that make a difference, each with its formula.

    `enough` are the numbers of the cases in which this alone stands in nobody's way.
    """

    title: str
    cases: tuple[str, ...]
    formulas: tuple[Formula, ...]
    enough: frozenset[int]


class ProbeRow(Struct, frozen=True):
    """A combination that occurs: the case of each column, and what comes of it."""

    cases: tuple[int, ...]
    possible: str
    situations: int
    text: str | None
    moves: tuple[MoveLine, ...]


class Probe(Struct, frozen=True):
    """One rule, probed. `never` combinations do not occur; `cut` when rows were left out."""

    rule: Rule
    columns: tuple[Column, ...]
    rows: tuple[ProbeRow, ...]
    never: int
    cut: bool
    remarks: tuple[str, ...]
    opening: tuple[tuple[str, ...], ...]
    refusing: tuple[tuple[str, ...], ...]


def probe(space: Space[Anything], rules: Sequence[Rule]) -> list[Probe]:
    """The probes of some rules over a finished search."""
    return [_Prober(space, rule).probe() for rule in rules]


def rules_named(world: World, name: str) -> list[Rule]:
    """The rules that belong to an id: a rule, all its alternatives, or all of its owner."""
    exact = [r for r in world.rules if name in (r.id, r.common)]
    return exact or [r for r in world.rules if r.owner == name]


class _Prober:
    def __init__(self, space: Space[Anything], rule: Rule) -> None:
        self.space = space
        self.rule = rule
        self.world = space.system.world
        self.walker = Walker(self.world)
        system = space.system
        self.translator = Translator(self.world, system.variables, system.numbers)
        self.move = next(m for m in system.moves if m.rule is rule)

    def probe(self) -> Probe:
        columns = tuple(self._columns())
        standing = both(
            (standing_formula(self.space.system, self.move.areas),
             self.translator.formula(self.rule.offered))
        )  # fmt: skip
        groups = self._groups(columns, self.space.where(standing))
        rows = [self._row(cases, group) for cases, group in groups[:MOST_ROWS]]
        every = 1
        for column in columns:
            every *= len(column.cases)
        return Probe(
            self.rule, columns, tuple(rows), every - len(groups), len(groups) > MOST_ROWS,
            tuple(self._remarks(columns, rows)), self._least(columns, rows),
            self._most(columns, rows),
        )  # fmt: skip

    def _columns(self) -> Iterator[Column]:
        """A column for each item and meter, one for each other thing that is asked."""
        if self.rule.lock:
            yield self._yes_or_no(LockOpen(self.rule.lock), True)
        conditions: list[Cond] = [self.rule.needs]
        for outcome in self.rule.outcomes:
            if outcome.destination is not None:
                conditions.append(self.world.areas[outcome.destination].needs)
        conditions += [Holds(item, ">=", count) for item, count in self._taken().items()]
        atoms = [a for c in conditions if c != ALWAYS for a in atoms_of(c)]
        amounts: dict[tuple[str, str], list[Holds | Level]] = {}
        others: dict[str, Cond] = {}
        for atom in atoms:
            if isinstance(atom, Holds):
                amounts.setdefault(("held", atom.item), []).append(atom)
            elif isinstance(atom, Level):
                amounts.setdefault(("meter", atom.meter), []).append(atom)
            else:
                others.setdefault(phrase(self.world, atom), atom)
        for key, tests in amounts.items():
            yield self._amount(key, tests)
        for other in others.values():
            yield self._yes_or_no(other, self._wants(other))

    def _taken(self) -> dict[str, int]:
        found: dict[str, int] = {}
        for effect in self.rule.outcomes[0].effects:
            if isinstance(effect, Take):
                found[effect.item] = found.get(effect.item, 0) + effect.count
            elif isinstance(effect, Wear):
                found[effect.item] = max(1, found.get(effect.item, 0))
        return found

    def _wants(self, atom: Cond) -> bool:
        """Whether a need stands as it is; False where only its denial does."""
        return Not(atom) not in self._parts(self.rule.needs)

    def _parts(self, condition: Cond) -> list[Cond]:
        parts = getattr(condition, "parts", None)
        return list(parts) if parts is not None else [condition]

    def _yes_or_no(self, atom: Cond, wanted: bool) -> Column:
        formula = self.translator.formula(atom)
        title = phrase(self.world, atom)
        enough = frozenset({0 if wanted else 1})
        return Column(title, ("yes", "no"), (formula, opposite(formula)), enough)

    def _amount(self, key: tuple[str, str], tests: Sequence[Holds | Level]) -> Column:
        """The amounts that make a difference: none, just under, exactly, above."""
        number = self.space.system.numbers[key]
        domain = self.space.system.variables[number]
        cuts = {domain.low, domain.low + 1}
        for test in tests:
            cuts |= {test.number - 1, test.number, test.number + 1}
        starts = sorted(c for c in cuts if domain.low <= c <= domain.high)
        ends = [*(s - 1 for s in starts[1:]), domain.high]
        cases, formulas, enough = [], [], set()
        for place, (low, high) in enumerate(zip(starts, ends, strict=True)):
            cases.append(str(low) if low == high else f"{low}–{high}")
            formulas.append(self.translator.within(number, low, high))
            if all(compares(low, t.operator, t.number) for t in tests):
                enough.add(place)
        return Column(self.world.name_of(key[1]), tuple(cases), tuple(formulas), frozenset(enough))

    def _groups(
        self, columns: Sequence[Column], standing: Anything
    ) -> list[tuple[tuple[int, ...], Anything]]:
        """The situations in which the player stands before it, sorted by case; none empty."""
        groups: list[tuple[tuple[int, ...], Anything]] = [((), standing)] if standing else []
        for column in columns:
            sets = [self.space.where(f) for f in column.formulas]
            groups = [
                ((*cases, number), part)
                for cases, group in groups
                for number, some in enumerate(sets)
                if (part := group & some)
            ]
        return groups

    def _row(self, cases: tuple[int, ...], group: Anything) -> ProbeRow:
        size = self.space.count(group)
        able = self.space.count(group & self.space.where(self.move.guard))
        possible = "yes" if able == size else "no" if able == 0 else "sometimes"
        trace = self.space.walks().shortest(group)
        assert trace is not None, "every situation is reached"
        walked = replay(self.walker, self.space, trace)
        here = walked[-1].after if walked else self.walker.start()
        return ProbeRow(
            cases, possible, size, self._text(here, possible), lines_of(self.world, walked)
        )

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
