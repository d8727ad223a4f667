"""What can a winner do without, and what does nobody ask for?"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import DONE, atoms_of
from zubrel.checked.effects import Lose, OpenLock, SetMark, Take, Wear
from zubrel.checked.world import Thing, World
from zubrel.compiled.formulas import Formula, Within
from zubrel.explored.space import Trace
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import counted_ids, needed_ids, subject_of, told_ids


def skippable(judged: Judged) -> Iterator[Finding]:
    """`skippable`: items, locks and quests that something asks for, and a win exists without."""
    if not judged.won:
        return
    subjects = [
        (s, words, judged.space.where(f)) for s, words, f in _subjects(judged) if judged.asks(s)
    ]
    subjects = [(s, words, having) for s, words, having in subjects if having]
    without = judged.space.reached_without([having for _, _, having in subjects])
    wins: list[Trace] = []
    for (subject, words, having), reached in zip(subjects, without, strict=True):
        if not reached & judged.won:
            continue
        trace = _win_without(judged, having, reached, wins)
        yield _finding(judged.system.world, subject, words, trace)


def won_without(judged: Judged, play: Callable[[Formula], bool], win: Trace) -> Iterator[Finding]:
    """`skippable`, as far as one win shows it; `play` tells whether a formula ever holds in it."""
    for subject, words, formula in _subjects(judged):
        if judged.asks(subject) and not play(formula):
            yield _finding(judged.system.world, subject, words, win)


def _finding(world: World, subject: str, words: str, trace: Trace | None) -> Finding:
    message = f"the game can be won without {words}"
    return Finding("skippable", "note", subject, message, _span(world, subject), trace)


def _win_without(judged: Judged, having: Any, reached: Any, wins: list[Trace]) -> Trace | None:
    """A win that never has something: one of the `wins` that are known, or else a new one.

    Only the first is known to be the shortest of all; where it will do, nothing is shorter.
    """
    if not wins:
        first = judged.space.walks().shortest(judged.won)
        wins += [first] if first else []
    for win in wins:
        if (win is wins[0] or not win.shortest) and not judged.space.meets(win, having):
            return win
    found = judged.space.walks(having, reached).shortest(judged.won)
    wins += [found] if found else []
    return found


def _subjects(judged: Judged) -> Iterator[tuple[str, str, Formula]]:
    world, numbers = judged.system.world, judged.system.numbers
    asked = asked_ids(world)
    for item in world.items.values():
        if item.id in asked and item.most > 0:
            yield item.id, item.name, Within(numbers[keys.held(item.id)], 1, item.most)
    for lock in world.locks.values():
        if lock.id in asked and not lock.begins_open:
            yield lock.id, f"opening {lock.name}", Within(numbers[keys.lock_open(lock.id)], 1, 1)
    for quest in world.quests.values():
        if quest.id in asked:
            number = numbers[keys.quest(quest.id)]
            yield quest.id, f"the quest {quest.name}", Within(number, DONE, DONE)


def asked_ids(world: World) -> frozenset[str]:
    """What some written `needs`, `takes` or `wears`, or a `lock`, mentions."""
    found: set[str] = set()
    for rule in world.rules:
        if rule.kind in ("put", "drop", "sell", "buy"):
            continue
        found.update(subject_of(atom) for atom in atoms_of(rule.needs))
        found.update(take.item for take in rule.takes)
        found.update(e.item for o in rule.outcomes for e in o.effects if isinstance(e, Wear))
        if rule.lock:
            found.add(rule.lock)
    for area in world.areas.values():
        found.update(subject_of(atom) for atom in atoms_of(area.needs))
    return frozenset(found)


def unused(judged: Judged) -> Iterator[Finding]:
    """`unused`: items, locks, facts and meters that nothing needs, takes, wears or counts."""
    world = judged.system.world
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


def _span(world: World, subject: str) -> Span:
    things: dict[str, Thing] = {**world.items, **world.locks, **world.quests}
    return things[subject].span
