"""What does nobody ask for?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.effects import Lose, OpenLock, SetMark, Take, Wear
from zubrel.checked.world import World
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding
from zubrel.findings.mentions import counted_ids, needed_ids, told_ids


def _unused(system: System) -> Iterator[Finding]:
    world = system.world
    used = needed_ids(world) | counted_ids(world) | told_ids(world) | _caskets(world)
    for section, what in (
        (world.items, "item"),
        (world.locks, "lock"),
        (world.facts, "fact"),
        (world.meters, "meter"),
    ):
        for thing in section.values():
            if thing.id not in used:
                message = f"nothing asks for the {what} {thing.name}"
                yield Finding("unused", "note", thing.id, message, thing.span)


def _caskets(world: World) -> frozenset[str]:
    """The locks that do something when they are opened: they need not lock anything else."""
    spent = (Take, Wear, Lose, SetMark)
    return frozenset(
        rule.owner
        for rule in world.rules
        if rule.kind == "lock"
        for outcome in rule.outcomes
        if any(not isinstance(e, spent) and e != OpenLock(rule.owner) for e in outcome.effects)
    )


UNUSED = FileDetector("unused", _unused)
"""`unused`: items, locks, facts and meters that nothing needs, takes, wears or counts."""
