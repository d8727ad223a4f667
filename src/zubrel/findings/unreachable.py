"""What does no play ever enter, reach, open, hold or do?"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.checked import keys
from zubrel.compiled.formulas import Formula, Within, both
from zubrel.compiled.system import ENDING, PLACE, Move
from zubrel.findings.finding import Finding
from zubrel.findings.mentions import needed_ids
from zubrel.findings.verdict import Judged, possible_formula


def unreachable(judged: Judged) -> Iterator[Finding]:
    """`unreachable`: areas, endings, locks, items, and rules that are never possible."""
    if not judged.complete:
        return
    yield from _Detector(judged).findings()


class _Detector(Struct):
    judged: Judged
    needed: frozenset[str] = frozenset()
    lost_areas: frozenset[str] = frozenset()

    def findings(self) -> Iterator[Finding]:
        world = self.judged.system.world
        self.needed = needed_ids(world)
        areas = enumerate(world.areas.values())
        lost = [a for n, a in areas if self._never(self._at(n))]
        self.lost_areas = frozenset(a.id for a in lost)
        for area in lost:
            message = f"no play ever comes to {area.name}"
            yield Finding("unreachable", "error", area.id, message, area.span)
        for number, ending in enumerate(world.endings.values(), 1):
            if self._never(Within(ENDING, number, number)):
                message = f"no play ever reaches the ending {ending.name}"
                yield Finding("unreachable", "error", ending.id, message, ending.span)
        yield from self._locks()
        yield from self._items()
        yield from self._rules()

    def _never(self, formula: Formula) -> bool:
        return not self.judged.space.where(formula)

    def _at(self, area: int) -> Formula:
        alone = self.judged.system.variables[PLACE].size == 1
        return both(()) if alone else Within(PLACE, area, area)

    def _severity(self, thing: str) -> str:
        return "error" if thing in self.needed else "warning"

    def _locks(self) -> Iterator[Finding]:
        system = self.judged.system
        for lock in system.world.locks.values():
            if self._never(Within(system.numbers[keys.lock_open(lock.id)], 1, 1)):
                message = f"no play ever opens {lock.name}"
                cause = self._cause(lock.from_areas)
                severity = self._severity(lock.id)
                yield Finding("unreachable", severity, lock.id, message, lock.span, cause=cause)

    def _items(self) -> Iterator[Finding]:
        system = self.judged.system
        for item in system.world.items.values():
            number = system.numbers[keys.held(item.id)]
            if item.most == 0 or self._never(Within(number, 1, item.most)):
                message = f"no play ever holds {item.name}"
                givers = [r for r in system.world.rules if any(g.item == item.id for g in r.gives)]
                places = [r.areas for r in givers]
                areas = tuple(a for p in places if p for a in p)
                cause = None if None in places else self._cause(areas)
                severity = self._severity(item.id)
                yield Finding("unreachable", severity, item.id, message, item.span, cause=cause)

    def _rules(self) -> Iterator[Finding]:
        for move in self.judged.system.moves:
            rule = move.rule
            is_lock = rule.kind == "lock" and rule.id == rule.owner
            if rule.kind != "way" and not is_lock and self._impossible(move):
                yield self._rule(move, rule.id)
        yield from self._ways()

    def _ways(self) -> Iterator[Finding]:
        """Ways that can be walked in neither direction; each alternative on its own."""
        both_directions: dict[tuple[str, object], list[Move]] = {}
        for move in self.judged.system.moves:
            if move.rule.kind == "way":
                key = (move.rule.owner, move.rule.span)
                both_directions.setdefault(key, []).append(move)
        for moves in both_directions.values():
            if all(self._impossible(m) for m in moves):
                yield self._rule(moves[0], moves[0].rule.id)

    def _rule(self, move: Move, subject: str) -> Finding:
        rule = move.rule
        what = {"find": "no play can ever pick this up", "way": "no play can ever go this way"}
        message = f"{what.get(rule.kind, 'no play can ever do this')}: “{rule.label}”"
        cause = self._cause(rule.areas or ())
        return Finding("unreachable", "warning", subject, message, rule.span, cause=cause)

    def _impossible(self, move: Move) -> bool:
        return self._never(possible_formula(self.judged.system, move))

    def _cause(self, areas: tuple[str, ...]) -> str | None:
        """The unreachable area in which a thing stands, when it stands nowhere else."""
        if areas and all(a in self.lost_areas for a in areas):
            return areas[0]
        return None
