"""What is there for nothing: areas with nothing in them, values that nothing tells apart."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import FactIs, atoms_of
from zubrel.checked.effects import MoveTo, ShutLock, StepFact
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.world import World
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding
from zubrel.findings.mentions import (
    areas_of_things,
    conditions_of,
    counted_ids,
    needed_ids,
    promised_ids,
    told_ids,
)


def _empty_areas(system: System) -> Iterator[Finding]:
    world = system.world
    known = needed_ids(world) | counted_ids(world) | told_ids(world) | promised_ids(world)
    # what anything is done in, asked for or told about is not empty
    known |= {world.start_area, *areas_of_things(world), *_used_areas(world)}
    for area in world.areas.values():
        if area.id not in known:
            message = f"there is nothing to do at {area.name}, and it leads nowhere else"
            yield Finding("empty_area", "note", area.id, message, area.span)


def _used_areas(world: World) -> Iterator[str]:
    """Where something can be done, is, lies or leads on; and where something else leads."""
    leads: dict[str, set[str]] = {}
    for rule in world.rules:
        ends = {o.destination for o in rule.outcomes if o.destination is not None}
        if rule.kind in (RuleKind.DROP, RuleKind.PICK_UP):
            continue
        if rule.kind != RuleKind.WAY:
            yield from (rule.areas or ())
            yield from ends  # somebody is sent there for a reason
            continue
        (start,) = rule.areas or ("",)
        leads.setdefault(start, set()).update(ends)
        for end in ends:  # whoever comes from one area and goes on to another passes through
            leads.setdefault(end, set()).add(start)
        if any(not isinstance(e, MoveTo | ShutLock) for o in rule.outcomes for e in o.effects):
            yield from (start, *ends)
    yield from (area for area, ends in leads.items() if len(ends) > 1)
    for item in world.items.values():
        anywhere = len(item.drops_at) == len(world.areas)  # that is said of no area
        yield from (*(() if anywhere else item.drops_at), *item.stays_in)
    for person in world.people.values():
        yield from (area for area, _ in person.places)
    yield from (e.area for e in world.effects_by_itself if isinstance(e, MoveTo))


def _alike_values(system: System) -> Iterator[Finding]:
    world = system.world
    asked: dict[str, set[int]] = {}
    for condition in conditions_of(world):
        # a value that some condition names can be told from the others
        for atom in atoms_of(condition):
            if isinstance(atom, FactIs):
                asked.setdefault(atom.fact, set()).add(atom.value)
    # a value from which another is reached in another number of steps is not the same
    stepping = {e.fact for e in world.effects if isinstance(e, StepFact)}
    for fact in world.facts.values():
        # one value that no condition names is the rest: only two of them are one too many
        alike = [v for n, v in enumerate(fact.values) if n not in asked.get(fact.id, ())]
        if len(alike) > 1 and fact.id in asked and fact.id not in stepping:
            words = [f"“{value}”" for value in alike]
            message = f"nothing tells {', '.join(words[:-1])} and {words[-1]} of {fact.name} apart"
            yield Finding("alike_values", "note", fact.id, message, fact.span)


EMPTY_AREA = FileDetector("empty_area", _empty_areas)
"""`empty_area`: areas in which nothing can be done, of which nothing is asked, and whose ways all
have one other end, there and back."""
ALIKE_VALUES = FileDetector("alike_values", _alike_values)
"""`alike_values`: values of a fact that no condition tells apart."""
