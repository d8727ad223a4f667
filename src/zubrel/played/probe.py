"""One thing against every combination of what it asks for that can really occur."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any as Anything

from msgspec.structs import replace

from zubrel.base.budget import Budget
from zubrel.checked.conditions import (
    Beaten,
    Cond,
    GoalMet,
    Holds,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    conjuncts,
)
from zubrel.checked.effects import Take, Wear
from zubrel.checked.things import Said
from zubrel.checked.world import Rule, World
from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import both, opposite, variables_of
from zubrel.explored.space import Space
from zubrel.findings.judged import standing_formula
from zubrel.played.combinations import Column, Probe, Prober, ProbeRow
from zubrel.walked.changing import Situation
from zubrel.walked.telling import area_text, outcome_text, refusal


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


class _AreaProber(Prober):
    """What the player reads in an area, by what its texts ask for."""

    def __init__(self, space: Space[Anything], area: str, budget: Budget) -> None:
        place = list(space.system.world.areas).index(area)
        super().__init__(space, budget, standing_formula(space.system, (place,)))
        self.area = self.world.areas[area]

    def probe(self) -> Probe:
        columns = tuple(self._columns_of(said.when for said in self.area.says))
        probed = self._probed(self.area.id, self.area.name, columns, self._row)
        silent = any(row.text is None for row in probed.rows) and self.area.says
        remarks = ("In some rows the player reads nothing.",) if silent else ()
        return replace(probed, remarks=remarks)

    def _row(self, cases: tuple[int, ...], group: Anything) -> ProbeRow:
        here, moves, shortest = self._way(group)
        text = area_text(self.walker, here)
        return ProbeRow(cases, None, self._size(group), text, moves, shortest)


class _RuleProber(Prober):
    """One rule: what is possible, and what the player is told."""

    def __init__(self, space: Space[Anything], rule: Rule, budget: Budget) -> None:
        system = space.system
        self.rule = rule
        self.move = next(m for m in system.moves if m.rule is rule)
        self.gone, self.present = offered_parts(rule.offered)
        there = standing_formula(system, self.move.areas)
        super().__init__(space, budget, both((there, *map(system.formula, self.gone))))

    def probe(self) -> Probe:
        columns = tuple(self._columns())
        probed = self._probed(self.rule.id, self.rule.label, columns, self._row)
        if probed.cut:  # of some rows only nothing can be said about all
            return probed
        return replace(
            probed,
            remarks=tuple(self._remarks(columns, probed.rows)),
            opening=self._least(columns, probed.rows),
            refusing=self._most(columns, probed.rows),
        )

    def _columns(self) -> Iterator[Column]:
        if self.rule.lock:
            yield self._yes_or_no(LockOpen(self.rule.lock), True)
        asked = list(self._columns_of(deciding(self.world, self.rule)))
        yield from asked
        # what only its texts ask for stands in nobody's way
        known = {c.title for c in asked}
        for column in self._columns_of(said.when for said in refusals(self.world, self.rule)):
            if column.title not in known:
                yield replace(column, enough=frozenset(range(len(column.cases))), wants="")

    def _wants(self, atom: Cond) -> bool:
        parts = [p for c in (*self.present, self.rule.needs) for p in self._parts(c)]
        return Not(atom) not in parts

    def _parts(self, condition: Cond) -> list[Cond]:
        parts = getattr(condition, "parts", None)
        return list(parts) if parts is not None else [condition]

    def _row(self, cases: tuple[int, ...], group: Anything) -> ProbeRow:
        able = self._where(self.move.guard)
        possible = "no" if not group & able else "sometimes" if group - able else "yes"
        here, moves, shortest = self._way(group)
        depends = tuple(self._deciding(group)) if possible == "sometimes" else ()
        return ProbeRow(
            cases, possible, self._size(group), self._text(here, possible), moves, shortest, depends
        )

    def _deciding(self, group: Anything) -> Iterator[str]:
        """The names of what else a rule asks for, and only some situations of a group give."""
        variables, mentioned = self.space.system.variables, set()
        for part in parts_of(self.move.guard):
            if group & self._where(opposite(part)):
                for number in sorted(variables_of(part)):
                    name = self.world.name_of(variables[number].key[1])
                    if name not in mentioned:
                        mentioned.add(name)
                        yield name

    def _text(self, here: Situation, possible: str) -> str | None:
        if possible == "no":
            return refusal(self.walker, self.rule, here)
        if len(self.rule.outcomes) > 1:
            return None
        return outcome_text(self.walker, self.rule.outcomes[0], here)

    def _lacks(self, columns: Sequence[Column], row: ProbeRow) -> frozenset[str]:
        pairs = zip(columns, row.cases, strict=True)
        return frozenset(c.title for c, case in pairs if case not in c.enough)

    def _remarks(self, columns: Sequence[Column], rows: Sequence[ProbeRow]) -> Iterator[str]:
        """Rows whose text does not fit what is missing."""
        if self.rule.kind != "lock" and self.rule.lock is None:
            return
        # only where the world refuses: what it says otherwise is no refusal
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


def deciding(world: World, rule: Rule) -> list[Cond]:
    """All that decides whether a rule is possible where it stands, wherever it is written."""
    _, present = offered_parts(rule.offered)
    conditions: list[Cond] = [*present, rule.needs]
    for outcome in rule.outcomes:
        if outcome.destination is not None:
            conditions.append(world.areas[outcome.destination].needs)
    return [*conditions, *(Holds(item, ">=", count) for item, count in _taken(rule).items())]


def refusals(world: World, rule: Rule) -> tuple[Said, ...]:
    """What is told where the lock refuses that a rule opens or asks for."""
    lock = rule.owner if rule.kind == "lock" else rule.lock
    return () if lock is None else world.locks[lock].refuses


def _taken(rule: Rule) -> dict[str, int]:
    taken: dict[str, int] = {}
    for effect in rule.outcomes[0].effects:
        if isinstance(effect, Take):
            taken[effect.item] = taken.get(effect.item, 0) + effect.count
        elif isinstance(effect, Wear):
            taken[effect.item] = max(1, taken.get(effect.item, 0))
    return taken


def offered_parts(offered: Cond) -> tuple[list[Cond], list[Cond]]:
    """What says that a rule is not done for good yet, and what says that it is there at the time:
    the presence of people and foes, which talk applies."""
    parts = conjuncts(offered)
    lasting = (Marked, LockOpen, Beaten, QuestIs, GoalMet)
    gone: list[Cond] = [
        p
        for p in parts
        if isinstance(p, lasting) or (isinstance(p, Not) and isinstance(p.part, lasting))
    ]
    return gone, [p for p in parts if p not in gone]
