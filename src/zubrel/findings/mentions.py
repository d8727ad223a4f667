"""Where a world asks for something: the ids in needs, locks, takes and conditions."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import (
    At,
    Beaten,
    Cond,
    DealtAt,
    FactIs,
    GoalMet,
    HitOff,
    Holds,
    InStock,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    QuestIs,
    Stored,
    StoreRoom,
    Total,
    atoms_of,
)
from zubrel.checked.effects import Lose, OpenLock, SetMark, Take, Wear
from zubrel.checked.world import World


def needed_ids(world: World) -> frozenset[str]:
    """Every id that something needs: in conditions of rules, areas, endings, as lock or taken."""
    ids: set[str] = set()
    for condition in _needs(world):
        ids.update(subjects_of(condition))
    for rule in world.rules:
        # to put a thing down, or away, is not to need it
        if not rule.kind.handles:
            ids.update(take.item for take in rule.takes)
        ids.update(e.item for o in rule.outcomes for e in o.effects if isinstance(e, Wear))
        if rule.lock:
            ids.add(rule.lock)
    return frozenset(ids)


def counted_ids(world: World) -> frozenset[str]:
    """What goals, presence and the `when` of talks and foes ask for."""
    ids: set[str] = set()
    ids.update(goal.subject for quest in world.quests.values() for goal in quest.goals)
    ids.update(s for c in _counting(world) for s in subjects_of(c))
    return frozenset(ids)


def _counting(world: World) -> Iterator[Cond]:
    yield from (when for p in world.people.values() for _, when in p.places)
    # an author's `when` is part of what is offered; of other kinds the language makes that
    yield from (r.offered for r in world.rules if r.kind in ("talk", "foe"))
    for quest in world.quests.values():
        for goal in quest.goals:
            yield from (goal.condition, goal.needs)
        if quest.fails_when is not None:
            yield quest.fails_when


def told_ids(world: World) -> frozenset[str]:
    """What the conditions of texts ask for."""
    return frozenset(s for _, said in world.texts() for s in subjects_of(said.when))


def promised_ids(world: World) -> frozenset[str]:
    """What promises ask for: nothing in the world depends on it."""
    conditions = [c for p in world.promises for c in p.conditions]
    return frozenset(s for c in conditions for s in subjects_of(c))


def caskets(world: World) -> frozenset[str]:
    """The locks that do something when they are opened: they need not lock anything else."""
    # what the key costs, and that it was done, is what every lock does
    spent = (Take, Wear, Lose, SetMark)
    return frozenset(
        rule.owner
        for rule in world.rules
        if rule.kind == "lock"
        for outcome in rule.outcomes
        if any(not isinstance(e, spent) and e != OpenLock(rule.owner) for e in outcome.effects)
    )


def _needs(world: World) -> Iterator[Cond]:
    yield from (rule.needs for rule in world.rules)
    yield from (area.needs for area in world.areas.values())
    yield from (e.when for e in world.endings.values() if e.when is not None)
    yield from (h.when for h in world.happenings)


def conditions_of(world: World) -> Iterator[Cond]:
    """Every condition of the world, those of texts and promises included."""
    yield from _written(world)
    yield from (rule.offered for rule in world.rules)


def _written(world: World) -> Iterator[Cond]:
    """The conditions that the author wrote, without what the language makes of other words."""
    yield from _needs(world)
    yield from _counting(world)
    yield from (said.when for _, said in world.texts())
    yield from (c for promise in world.promises for c in promise.conditions)


def areas_of_things(world: World) -> frozenset[str]:
    """The areas of which a condition asks whether something lies there."""
    atoms = (atom for condition in _written(world) for atom in atoms_of(condition))
    return frozenset(atom.area for atom in atoms if isinstance(atom, LiesAt | DealtAt))


def subjects_of(condition: Cond) -> Iterator[str]:
    """The ids that a condition asks about, from left to right."""
    for atom in atoms_of(condition):
        if isinstance(atom, Total):
            yield from (term.subject for term in atom.terms)
        else:
            yield _subject_of(atom)


def _subject_of(atom: Cond) -> str:
    # every smallest condition asks about one thing, but for totals, which name several
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
        case Stored(_, item) | InStock(_, item) | LiesAt(item) | DealtAt(item) | StoreRoom(_, item):
            return item
        case Beaten(foe) | HitOff(foe):
            return foe
    raise TypeError(f"not an atom: {atom!r}")
