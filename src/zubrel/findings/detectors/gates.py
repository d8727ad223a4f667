"""Which locks and needs never stop anyone? Which stop those who have too much?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS, All, Cond, CountOf, Holds, Not
from zubrel.checked.conditions import Any as AnyOf
from zubrel.checked.world import Rule
from zubrel.compiled.formulas import Formula, both, either, opposite
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, standing_formula


def no_gate(judged: Judged) -> Iterator[Finding]:
    """`no_gate`: written needs of locks, ways and areas that hold wherever they could be tried."""
    if judged.complete:
        yield from _Gates(judged).findings()


def exact_count(judged: Judged) -> Iterator[Finding]:
    """`exact_count`: a need that is false in some situation only because there is too much."""
    system = judged.system
    translator = system.translator
    told: set[str] = set()
    for move in system.moves:
        rule = move.rule
        subject = rule.owner if rule.kind == "way" else rule.id
        for atom in _limited(rule.needs):
            if subject in told or not judged.asks(subject):
                break
            without = both(
                (
                    standing_formula(system, move.areas),
                    translator.formula(rule.offered),
                    translator.formula(_assumed(rule.needs, atom)),
                    opposite(translator.formula(rule.needs)),
                    translator.comparison(keys.held(atom.item), ">", atom.number),
                )
            )
            trace = judged.space.walks().shortest(judged.space.where(without))
            if trace is not None:
                told.add(subject)
                name = system.world.items[atom.item].name
                yield Finding(
                    "exact_count",
                    "warning",
                    subject,
                    f"{system.world.described(rule)} is refused to who has more than "
                    f"{atom.number} {name}",
                    atom.span or rule.span,
                    trace,
                )


def _limited(condition: Cond, denied: bool = False) -> Iterator[Holds]:
    """The atoms of a need that too much of an item makes false: not those under one `not`."""
    match condition:
        case Holds(_, "=" | "<=" | "<", _) if not denied:
            yield condition
        case Not(part):
            yield from _limited(part, not denied)
        case All(parts) | AnyOf(parts) | CountOf(_, parts):
            for part in parts:
                yield from _limited(part, denied)


def _assumed(condition: Cond, atom: Holds) -> Cond:
    """The condition, were the atom true."""
    if isinstance(condition, Holds) and _same(condition, atom):
        return ALWAYS
    match condition:
        case All(parts):
            return All(tuple(_assumed(p, atom) for p in parts))
        case AnyOf(parts):
            return AnyOf(tuple(_assumed(p, atom) for p in parts))
        case CountOf(count, parts):
            return CountOf(count, tuple(_assumed(p, atom) for p in parts))
        case Not(part):
            return Not(_assumed(part, atom))
    return condition


def _same(a: Holds, b: Holds) -> bool:
    """The same comparison, wherever it stands."""
    return (a.item, a.operator, a.number) == (b.item, b.operator, b.number)


class _Gates:
    def __init__(self, judged: Judged) -> None:
        self.judged = judged
        self.space = judged.space
        self.system = judged.system
        self.world = judged.system.world
        self.translator = self.system.translator

    def findings(self) -> Iterator[Finding]:
        seen: set[str] = set()
        for move in self.system.moves:
            rule = move.rule
            if rule.kind not in ("lock", "way") or rule.owner in seen:
                continue
            seen.add(rule.owner)
            if not self.judged.asks(rule.owner):
                continue
            siblings = [
                m
                for m in self.system.moves
                if m.rule.owner == rule.owner and m.rule.kind == rule.kind
            ]
            # each is asked about, whatever the others say
            never = [self._never_stops(m.rule, m.areas) for m in siblings]
            if all(never):
                what = (
                    self.world.locks[rule.owner].name
                    if rule.kind == "lock"
                    else (self.world.described(rule))
                )
                yield self._finding(rule.owner, f"{what} never stops anyone", rule.span)
        yield from self._areas()

    def _never_stops(self, rule: Rule, areas: tuple[int, ...] | None) -> bool:
        if rule.needs == ALWAYS:
            return False
        standing = [standing_formula(self.system, areas)]
        if rule.kind == "lock":
            standing.append(self.translator.equals(keys.lock_open(rule.owner), 0))
        return self._always(both(standing), rule.needs)

    def _areas(self) -> Iterator[Finding]:
        for area in self.world.areas.values():
            if area.needs == ALWAYS or not self.judged.asks(area.id):
                continue
            entries = [
                m
                for m in self.system.moves
                if any(o.destination == area.id for o in m.rule.outcomes)
            ]
            elsewhere = opposite(self.translator.at(area.id))
            standing = either(
                both((standing_formula(self.system, move.areas), elsewhere)) for move in entries
            )
            if self._always(standing, area.needs):
                message = f"what {area.name} asks for never stops anyone"
                yield self._finding(area.id, message, area.span)

    def _always(self, standing: Formula, needs: Cond) -> bool:
        """Whether some situations are such, and needs are met in all of them."""
        unmet = both((standing, opposite(self.translator.formula(needs))))
        return self.space.some(standing) and not self.space.some(unmet)

    def _finding(self, subject: str, message: str, span: Span) -> Finding:
        return Finding("no_gate", "warning", subject, message, span)
