"""Which conditions are decided whatever happens?"""

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
from zubrel.checked.world import World
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
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding

MOST_TRIED = 4096
"""Combinations of values that are gone through for one condition."""


def _constants(system: System) -> Iterator[Finding]:
    mentioned: set[object] = set()
    for subject, condition, span in _written(system.world):
        for part in _parts(condition):
            if _asks_for_nothing_that_is_there(system.world, part):
                continue
            # decided by the values alone that variables can have: no search is needed
            truth = _decided(system, system.formula(part))
            if truth is None:
                continue
            # one finding a place and a subject: several conditions of one rule have the same
            # mistake
            where = _span_of(part) or span
            if subject not in mentioned and where not in mentioned:
                mentioned |= {subject, where}
                message = f"a condition of {subject} is {'always' if truth else 'never'} true"
                yield Finding("constant", "warning", subject, message, where)
            # what the parts of it are follows from that
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
        # ways have no ids that an author knows: they are told by their owner
        owner = rule.owner if rule.kind == "way" else rule.id
        yield owner, rule.needs, rule.span
    yield from ((owner, said.when, said.span) for owner, said in world.texts())
    for area in world.areas.values():
        yield area.id, area.needs, area.span
    for ending in world.endings.values():
        if ending.when is not None:
            yield ending.id, ending.when, ending.span
    for happening in world.happenings:
        yield happening.id, happening.when, happening.span
    for person in world.people.values():
        yield from ((person.id, when, person.span) for _, when in person.places)
    # goals by the quest, which is what an author looks for
    for quest in world.quests.values():
        if quest.fails_when is not None:
            yield quest.id, quest.fails_when, quest.span
        for goal in quest.goals:
            # of the other kinds of goals the language makes the condition, and not the author
            yield quest.id, goal.condition if goal.kind == "meet" else ALWAYS, goal.span
            yield quest.id, goal.needs, goal.span


def _parts(condition: Cond) -> Iterator[Cond]:
    """A condition and all that it is made of, the outer ones first, without empty ones."""
    if next(atoms_of(condition), None) is None:
        return
    yield condition
    # outer first: a part is told of only where the whole is not decided
    match condition:
        case Not(part):
            yield from _parts(part)
        case All(parts) | Any(parts) | CountOf(_, parts):
            for part in parts:
                yield from _parts(part)


def _decided(system: System, formula: Formula) -> bool | None:
    """Whether a formula is true, or false, whatever the values; None: neither, or too many."""
    domains = {v: _telling_values(system, formula, v) for v in sorted(variables_of(formula))}
    # one value for each part of a domain is enough: within it the formula stays what it is
    if prod(len(values) for values in domains.values()) > MOST_TRIED:
        return None
    truths = {
        _holds(formula, dict(zip(domains, values, strict=True)))
        for values in product(*domains.values())
    }
    return truths.pop() if len(truths) == 1 else None


def _telling_values(system: System, formula: Formula, variable: int) -> list[int]:
    """Values of a variable, one for each part of its domain that the formula tells apart."""
    domain = system.variables[variable]
    cuts = {domain.low}
    for part in pieces_of(formula):
        if isinstance(part, Within) and part.variable == variable:
            cuts |= {part.low, part.high + 1}
        # a sum tells all values apart
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


CONSTANT = FileDetector("constant", _constants)
"""`constant`: conditions that are true, or false, whatever values the variables have."""
