"""What does nobody ask for, or only for the sake of a text?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.things import Thing
from zubrel.checked.world import World
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding
from zubrel.findings.mentions import caskets, counted_ids, needed_ids, told_ids


def _unused(system: System) -> Iterator[Finding]:
    world = system.world
    used = _used(world) | told_ids(world)
    for what, thing in _things(world):
        if thing.id not in used:
            message = f"nothing asks for the {what} {thing.name}"
            yield Finding("unused", "note", thing.id, message, thing.span)


def _only_told(system: System) -> Iterator[Finding]:
    world = system.world
    told = told_ids(world) - _used(world)
    for what, thing in _things(world):
        if thing.id in told:
            message = f"only texts ask for the {what} {thing.name}: nothing else depends on it"
            yield Finding("only_told", "note", thing.id, message, thing.span)


def _used(world: World) -> frozenset[str]:
    """What something that can be done, or that happens, depends on."""
    return needed_ids(world) | counted_ids(world) | caskets(world)


def _things(world: World) -> Iterator[tuple[str, Thing]]:
    """Items, locks, facts and meters, each with the word for it."""
    for section, what in (
        (world.items, "item"),
        (world.locks, "lock"),
        (world.facts, "fact"),
        (world.meters, "meter"),
    ):
        yield from ((what, thing) for thing in section.values())


UNUSED = FileDetector("unused", _unused)
"""`unused`: items, locks, facts and meters that nothing asks for but promises."""
ONLY_TOLD = FileDetector("only_told", _only_told)
"""`only_told`: items, locks, facts and meters on which nothing depends but what is told."""
