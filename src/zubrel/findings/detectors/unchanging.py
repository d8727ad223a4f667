"""What is asked for, and is never anything else than at the start?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import ALWAYS
from zubrel.checked.effects import (
    AddMeter,
    Effect,
    OpenLock,
    SetFact,
    SetMeter,
    ShutLock,
    StepFact,
    Take,
    Toggle,
    Wear,
)
from zubrel.checked.world import Rule
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding
from zubrel.findings.mentions import counted_ids, needed_ids, promised_ids, told_ids


def _unchanging(system: System) -> Iterator[Finding]:
    """Facts, meters and locks that something asks for and nothing changes."""
    world = system.world
    # by what is written alone: whether an effect ever takes place is another kind's question
    changed = {thing for effect in world.effects for thing in _changes(effect)}
    asked = needed_ids(world) | counted_ids(world) | told_ids(world) | promised_ids(world)
    for fact in world.facts.values():
        if fact.id in asked - changed:
            value = fact.values[fact.start].replace("_", " ")
            message = f"{fact.name} is always {value}: nothing sets it, and something asks for it"
            yield Finding("unchanging", "warning", fact.id, message, fact.span)
    for meter in world.meters.values():
        if meter.id in asked - changed:
            message = f"{meter.name} is always {meter.start}: nothing changes it"
            yield Finding("unchanging", "warning", meter.id, message, meter.span)
    # a lock that opens for everybody needs no reason to be open
    asking = {r.owner for r in world.rules if r.kind == "lock" and _asks(r)}
    for lock in world.locks.values():
        open_for_good = lock.begins_open and not lock.relocks and lock.id not in changed
        if open_for_good and lock.id in asking:
            message = f"{lock.name} begins open, and nothing shuts it: nobody is ever asked"
            yield Finding("unchanging", "warning", lock.id, message, lock.span)


def _asks(rule: Rule) -> bool:
    """Whether opening a lock asks for something."""
    spent = any(isinstance(e, Take | Wear) for o in rule.outcomes for e in o.effects)
    return spent or rule.needs != ALWAYS


def _changes(effect: Effect) -> Iterator[str]:
    match effect:
        case SetFact(thing) | StepFact(thing) | Toggle(thing):
            yield thing
        case SetMeter(thing) | AddMeter(thing):
            yield thing
        case ShutLock(lock):
            yield lock
        case OpenLock():
            return  # what begins open is not changed by being opened


UNCHANGING = FileDetector("unchanging", _unchanging)
"""`unchanging`: a fact, meter or lock that is asked for, and that nothing ever changes."""
