"""What looks wrong without any search: in the files themselves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import product
from math import prod

from zubrel.base.source import Span
from zubrel.checked.conditions import (
    ALWAYS,
    All,
    Any,
    Cond,
    CountOf,
    Holds,
    Not,
    atoms_of,
)
from zubrel.checked.effects import MoveTo
from zubrel.checked.world import Rule, Thing, World
from zubrel.compiled.formulas import (
    AtLeast,
    Both,
    Either,
    Formula,
    Load,
    Opposite,
    Within,
    pieces_of,
    variables_of,
)
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged

MOST_TRIED = 4096
SHORTEST_ID = 4


def lints(judged: Judged) -> Iterator[Finding]:
    """`double_way`, `lone_either`, `constant` and `near_ids`."""
    world = judged.system.world
    yield from _double_ways(world)
    yield from _lone_eithers(world)
    yield from _constants(judged.system)
    yield from _near_ids(world)


def _double_ways(world: World) -> Iterator[Finding]:
    """Ways that lead the same way as another, of which one asks for nothing or both the same."""
    known: dict[tuple[str, str], list[Rule]] = {}
    told: set[str] = set()
    for rule in world.rules:
        if rule.kind != "way" or len(rule.outcomes) > 1 or not rule.areas:
            continue
        ends = (rule.areas[0], str(rule.outcomes[0].destination))
        for other in known.setdefault(ends, []):
            if other.span == rule.span or rule.owner in told:
                continue
            if _same(rule, other) or _plain(rule) or _plain(other):
                told.add(rule.owner)
                words = "which asks for nothing" if _plain(other) else "which is the same"
                words = words if _same(rule, other) or _plain(other) else "which asks for more"
                message = f"{world.described(rule)} is there twice: see {other.span.place}, {words}"
                yield Finding("double_way", "warning", rule.owner, message, rule.span)
        known[ends].append(rule)


def _same(a: Rule, b: Rule) -> bool:
    def body(rule: Rule) -> tuple[object, ...]:
        return rule.needs, rule.lock, rule.outcomes[0].effects

    return body(a) == body(b)


def _plain(rule: Rule) -> bool:
    effects = rule.outcomes[0].effects
    return (
        rule.needs == ALWAYS and rule.lock is None and all(isinstance(e, MoveTo) for e in effects)
    )


def _lone_eithers(world: World) -> Iterator[Finding]:
    alike: dict[str, list[Rule]] = {}
    for rule in world.rules:
        alike.setdefault(rule.common, []).append(rule)
    for common, rules in alike.items():
        if len(rules) == 1 and rules[0].id != common:
            message = f"the “either” of {common} has only one entry, so there is nothing to pick"
            yield Finding("lone_either", "note", common, message, rules[0].span)


def _constants(system: System) -> Iterator[Finding]:
    translator = system.translator
    told: set[object] = set()
    for subject, condition, span in _written(system.world):
        for part in _parts(condition):
            if _asks_for_nothing_that_is_there(system.world, part):
                continue
            truth = _decided(system, translator.formula(part))
            if truth is None:
                continue
            where = _span_of(part) or span
            if subject not in told and where not in told:
                told |= {subject, where}
                message = f"a condition of {subject} is {'always' if truth else 'never'} true"
                yield Finding("constant", "warning", subject, message, where)
            break


def _asks_for_nothing_that_is_there(world: World, condition: Cond) -> bool:
    """It asks for an item that nothing gives: `unreachable` tells that better."""
    return any(isinstance(a, Holds) and not world.items[a.item].most for a in atoms_of(condition))


def _span_of(condition: Cond) -> Span | None:
    """Where the first atom of a condition stands that the author wrote."""
    spans = (getattr(atom, "span", None) for atom in atoms_of(condition))
    return next((span for span in spans if span is not None), None)


def _written(world: World) -> Iterator[tuple[str, Cond, Span]]:
    """Conditions that the author wrote, with whom they belong to."""
    for rule in world.rules:
        yield rule.owner if rule.kind == "way" else rule.id, rule.needs, rule.span
    for area in world.areas.values():
        yield area.id, area.needs, area.span
        yield from ((area.id, said.when, said.span) for said in area.says)
    for lock in world.locks.values():
        yield from ((lock.id, said.when, said.span) for said in lock.refuses)
    for ending in world.endings.values():
        if ending.when is not None:
            yield ending.id, ending.when, ending.span
    for happening in world.happenings:
        yield happening.id, happening.when, happening.span
    for person in world.people.values():
        yield from ((person.id, when, person.span) for _, when in person.places)
    for quest in world.quests.values():
        if quest.fails_when is not None:
            yield quest.id, quest.fails_when, quest.span
        for goal in quest.goals:
            yield quest.id, goal.condition if goal.kind == "meet" else ALWAYS, goal.span
            yield quest.id, goal.needs, goal.span


def _parts(condition: Cond) -> Iterator[Cond]:
    """A condition and all that it is made of, the outer ones first, without empty ones."""
    if next(atoms_of(condition), None) is None:
        return
    yield condition
    match condition:
        case Not(part):
            yield from _parts(part)
        case All(parts) | Any(parts) | CountOf(_, parts):
            for part in parts:
                yield from _parts(part)


def _decided(system: System, formula: Formula) -> bool | None:
    """Whether a formula is true, or false, whatever the values; None: neither, or too many."""
    domains = {v: _telling_values(system, formula, v) for v in sorted(variables_of(formula))}
    if prod(len(values) for values in domains.values()) > MOST_TRIED:
        return None
    found = {
        _holds(formula, dict(zip(domains, values, strict=True)))
        for values in product(*domains.values())
    }
    return found.pop() if len(found) == 1 else None


def _telling_values(system: System, formula: Formula, variable: int) -> list[int]:
    """Values of a variable, one for each part of its domain that the formula tells apart."""
    domain = system.variables[variable]
    cuts = {domain.low}
    for part in pieces_of(formula):
        if isinstance(part, Within) and part.variable == variable:
            cuts |= {part.low, part.high + 1}
        if isinstance(part, Load) and variable in part.variables:
            return list(range(domain.low, domain.high + 1))
    return sorted(c for c in cuts if domain.low <= c <= domain.high)


def _holds(formula: Formula, values: Mapping[int, int]) -> bool:
    match formula:
        case Within(variable, low, high):
            return low <= values[variable] <= high
        case Both(parts):
            return all(_holds(p, values) for p in parts)
        case Either(parts):
            return any(_holds(p, values) for p in parts)
        case Opposite(part):
            return not _holds(part, values)
        case AtLeast(count, parts):
            return sum(_holds(p, values) for p in parts) >= count
        case Load(variables, marks, high):
            carried = sum(values[v] for v in variables)
            return carried + sum(_holds(m, values) for m in marks) <= high


def _near_ids(world: World) -> Iterator[Finding]:
    """Ids that differ from an earlier one by one character, except series such as `lamp_1`."""
    known: dict[str, list[str]] = {}
    for thing_id, span in _ids(world):
        near = next(
            (
                other
                for mask in _masks(thing_id)
                for other in known.get(mask, ())
                if _mistakable(thing_id, other)
            ),
            None,
        )
        if near is not None:
            message = f"“{thing_id}” differs from “{near}” by one character"
            yield Finding("near_ids", "note", thing_id, message, span)
        for mask in _masks(thing_id):
            known.setdefault(mask, []).append(thing_id)


def _ids(world: World) -> Iterator[tuple[str, Span]]:
    sections: tuple[Mapping[str, Thing], ...] = (
        world.items,
        world.areas,
        world.locks,
        world.facts,
        world.meters,
        world.endings,
        world.people,
        world.quests,
        world.foes,
        world.shops,
        world.stores,
    )
    for section in sections:
        yield from ((thing.id, thing.span) for thing in section.values())
    for rule in world.rules:
        if rule.kind in ("deed", "recipe") and rule.id == rule.common:
            yield rule.id, rule.span


def _masks(word: str) -> list[str]:
    """The word with each letter hidden, and with a gap at each place: near words share one."""
    hidden = [f"{word[:n]}?{word[n + 1 :]}" for n in range(len(word))]
    return hidden + [f"{word[:n]}?{word[n:]}" for n in range(len(word) + 1)]


def _mistakable(a: str, b: str) -> bool:
    """Two near ids of some length that no digit and no last letter of a series tells apart."""
    if min(len(a), len(b)) < SHORTEST_ID:
        return False
    n = next((n for n, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    ends = (a[n : n + 1], b[n : n + 1])
    if any(end.isdigit() for end in ends):
        return False
    last = n == len(a) - 1 == len(b) - 1 and a[n - 1] == "_"
    return not last
