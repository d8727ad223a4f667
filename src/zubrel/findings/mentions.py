"""Where a world asks for something: the ids in needs, locks, takes and conditions."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import (
    At,
    Beaten,
    Cond,
    FactIs,
    GoalMet,
    Holds,
    InStock,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    QuestIs,
    Stored,
    StoreRoom,
    atoms_of,
)
from zubrel.checked.world import World


def needed_ids(world: World) -> frozenset[str]:
    """Every id that something needs: in conditions of rules, areas, endings, as lock or taken."""
    found: set[str] = set()
    for condition in _conditions(world):
        found.update(subject_of(atom) for atom in atoms_of(condition))
    for rule in world.rules:
        found.update(take.item for take in rule.takes)
        if rule.lock:
            found.add(rule.lock)
    return frozenset(found)


def _conditions(world: World) -> Iterator[Cond]:
    yield from (rule.needs for rule in world.rules)
    yield from (area.needs for area in world.areas.values())
    yield from (e.when for e in world.endings.values() if e.when is not None)
    yield from (h.when for h in world.happenings)


def subject_of(atom: Cond) -> str:
    """The id that an atom asks about."""
    match atom:
        case Holds(item):
            return item
        case Level(meter):
            return meter
        case FactIs(fact):
            return fact
        case At(area):
            return area
        case LockOpen(lock):
            return lock
        case Marked(_, subject):
            return subject
        case QuestIs(quest) | GoalMet(quest, _):
            return quest
        case Stored(_, item) | InStock(_, item) | LiesAt(item) | StoreRoom(_, item):
            return item
        case Beaten(foe):
            return foe
    raise TypeError(f"not an atom: {atom!r}")
