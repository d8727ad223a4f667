"""What does no play ever enter, reach, open, hold or do?"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import TRUE, Formula, Within, both, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Move
from zubrel.findings.causes import root_causes
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, possible_formula
from zubrel.findings.mentions import needed_ids


def unreachable(judged: Judged) -> Iterator[Finding]:
    """`unreachable`: areas, endings, locks, items, and rules that are never possible."""
    if not judged.complete:
        return
    world = judged.system.world
    found = list(_Detector(judged, needed_ids(world)).findings())
    causes = root_causes(world, [f.subject for f in found])
    yield from (replace(f, cause=causes.get(f.subject)) for f in found)


class _Detector:
    def __init__(self, judged: Judged, needed: frozenset[str]) -> None:
        self.judged = judged
        self.needed = needed
        self.marks = judged.system.marks
        self.setters: dict[int, set[int]] = {}
        for step in judged.system.steps:
            for change in step.changes:
                self.setters.setdefault(change.variable, set()).add(step.number)

    def findings(self) -> Iterator[Finding]:
        yield from self._items()
        yield from self._locks()
        yield from self._areas()
        yield from self._endings()
        yield from self._quests_and_foes()
        yield from self._rules()
        yield from self._ways()

    def _never(self, formula: Formula) -> bool:
        return not self.judged.space.some(formula)

    def _severity(self, thing: str) -> str:
        return "error" if thing in self.needed else "warning"

    def _items(self) -> Iterator[Finding]:
        system = self.judged.system
        for item in system.world.items.values():
            number = system.numbers[keys.held(item.id)]
            if item.most == 0 or self._never(Within(number, 1, item.most)):
                message = f"no play ever holds {item.name}"
                severity = self._severity(item.id)
                yield Finding("unreachable", severity, item.id, message, item.span)

    def _locks(self) -> Iterator[Finding]:
        system = self.judged.system
        for lock in system.world.locks.values():
            if self._never(Within(system.numbers[keys.lock_open(lock.id)], 1, 1)):
                message = f"no play ever opens {lock.name}"
                severity = self._severity(lock.id)
                yield Finding("unreachable", severity, lock.id, message, lock.span)

    def _areas(self) -> Iterator[Finding]:
        alone = self.judged.system.variables[PLACE].size == 1
        for number, area in enumerate(self.judged.system.world.areas.values()):
            if self._never(both(()) if alone else Within(PLACE, number, number)):
                message = f"no play ever comes to {area.name}"
                yield Finding("unreachable", "error", area.id, message, area.span)

    def _endings(self) -> Iterator[Finding]:
        for number, ending in enumerate(self.judged.system.world.endings.values(), 1):
            if self._never(Within(ENDING, number, number)):
                message = f"no play ever reaches the ending {ending.name}"
                yield Finding("unreachable", "error", ending.id, message, ending.span)

    def _quests_and_foes(self) -> Iterator[Finding]:
        system = self.judged.system
        for quest in system.world.quests.values():
            if self._never(Within(system.numbers[keys.quest(quest.id)], DONE, DONE)):
                message = f"no play ever finishes the quest {quest.name}"
                yield Finding("unreachable", "error", quest.id, message, quest.span)
        for foe in system.world.foes.values():
            if self._never(Within(system.numbers[keys.beaten(foe.id)], foe.count, foe.count)):
                message = f"no play ever beats {foe.name}"
                severity = self._severity(foe.id)
                yield Finding("unreachable", severity, foe.id, message, foe.span)

    def _rules(self) -> Iterator[Finding]:
        for move in self.judged.system.moves:
            rule = move.rule
            told = rule.id == rule.owner and rule.kind in ("lock", "foe")
            if rule.kind != "way" and not rule.kind.made and not told and self._impossible(move):
                what = "pick this up" if rule.kind == "find" else "do this"
                yield self._rule(move, f"no play can ever {what}: “{rule.label}”")

    def _ways(self) -> Iterator[Finding]:
        """Ways that can be walked in neither direction; each alternative on its own."""
        directions: dict[tuple[str, object], list[Move]] = {}
        for move in self.judged.system.moves:
            if move.rule.kind == "way":
                directions.setdefault((move.rule.owner, move.rule.span), []).append(move)
        for moves in directions.values():
            if all(self._impossible(m) for m in moves):
                described = self.judged.system.world.described(moves[0].rule)
                yield self._rule(moves[0], f"no play can ever go this way: {described}")

    def _rule(self, move: Move, message: str) -> Finding:
        return Finding("unreachable", "warning", move.rule.id, message, move.rule.span)

    def _impossible(self, move: Move) -> bool:
        mark = self._own_mark(move)
        if mark is not None:
            return self._never(mark)
        if any(self.judged.space.possible(step) for step in move.steps):
            return False
        return self._never(possible_formula(self.judged.system, move))

    def _own_mark(self, move: Move) -> Formula | None:
        """That a mark is set which this move sets whenever it is made, and nothing else ever."""
        system = self.judged.system
        for part in parts_of(move.guard):
            for mark in variables_of(part) & self.marks:
                own = {
                    s.number
                    for s in move.steps
                    for c in s.changes
                    if c.variable == mark and c.when == TRUE
                }
                if (
                    system.is_low(mark, part)
                    and own == self.setters.get(mark)
                    and (own == {s.number for s in move.steps})
                ):
                    high = system.variables[mark].high
                    return Within(mark, high, high)
        return None
