"""Traces -> lines of moves, each with what it changed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.checked import keys
from zubrel.checked.conditions import DONE, FAILED, QUEST_STATES
from zubrel.checked.effects import DealOut
from zubrel.checked.keys import ENDING, PLACE
from zubrel.checked.things import Item
from zubrel.checked.world import World
from zubrel.narrated.replay import Walked
from zubrel.narrated.report import Dealt, MoveLine
from zubrel.narrated.words import counted
from zubrel.walked.changing import Situation


def lines_of(world: World, walked: Iterable[Walked]) -> tuple[MoveLine, ...]:
    """The walk, move by move, without what deals."""
    return tuple(_line(world, w) for w in walked if w.rule.kind != "deal")


def deal_of(world: World, walked: Iterable[Walked]) -> tuple[Dealt, ...]:
    """How everything is dealt where a walk begins."""
    effects = (e for w in walked if w.rule.kind == "deal" for e in w.outcome.effects)
    return tuple(
        Dealt(e.item, e.area, f"{world.items[e.item].name} in {world.areas[e.area].name}")
        for e in effects
        if isinstance(e, DealOut)
    )


def _line(world: World, walked: Walked) -> MoveLine:
    rule, held = walked.rule, held_items(world, walked.after)
    return MoveLine(
        rule=rule.id,
        kind=rule.kind,
        label=rule.label,
        # only of moves in which luck has a part
        outcome=walked.outcome.number if rule.chancy else None,
        area=world.name_of(str(walked.before[PLACE])),
        to=world.name_of(str(walked.after[PLACE])),
        says=walked.says,
        changes=tuple(changes(world, walked.before, walked.after)),
        held=tuple((item.name, amount) for item, amount in held),
        held_words=tuple(amount_words(item, amount) for item, amount in held),
        span=rule.span,
        ends_at=str(walked.after[PLACE]),
    )


def held_words(world: World, situation: Situation) -> tuple[str, ...]:
    """What is held, each item in words."""
    return tuple(amount_words(item, amount) for item, amount in held_items(world, situation))


def held_items(world: World, situation: Situation) -> list[tuple[Item, int]]:
    """What is held, with amounts, in the order of the file."""
    amounts = {key[1]: int(n) for key, n in situation.items() if key[0] == "held" and n}
    return [(world.items[i], amounts[i]) for i in world.items if i in amounts]


def amount_words(item: Item, amount: int) -> str:
    """`Lens`, `3 Lens`, or for a tool `Crowbar (2 uses)`."""
    if item.uses is not None:
        return f"{item.name} ({counted(amount, 'use')})"
    return item.name if amount == 1 else f"{amount} {item.name}"


def changes(world: World, before: Situation, after: Situation) -> Iterator[str]:
    """What differs between two situations, in words: items first, then the world."""
    changed = {key for key, value in after.items() if before[key] != value}
    # changes in the order of the file, not in that in which they happened
    of_kind = {
        kind: {key[1] for key in changed if key[0] == kind}
        for kind in ("held", "open", "fact", "meter", "beaten", "hit")
    }
    for item in (world.items[i] for i in world.items if i in of_kind["held"]):
        key = keys.held(item.id)
        difference = int(after[key]) - int(before[key])
        # of a tool its uses are told while there are some
        if item.uses is not None and before[key] and after[key]:
            yield f"{item.name}: {counted(int(after[key]), 'use')} left"
        elif item.uses is not None:
            yield f"+{amount_words(item, difference)}" if difference > 0 else f"−{item.name}"
        else:
            yield f"{'+' if difference > 0 else '−'}{amount_words(item, abs(difference))}"
    for lock in (world.locks[i] for i in world.locks if i in of_kind["open"]):
        yield f"{lock.name} {'open' if after[keys.lock_open(lock.id)] else 'shut'}"
    for fact in (world.facts[i] for i in world.facts if i in of_kind["fact"]):
        key = keys.fact(fact.id)
        value = fact.values[int(after[key])].replace("_", " ")
        name = fact.name if after[key] else f"no longer: {fact.name}"
        yield name if fact.true_false else f"{fact.name}: {value}"
    for meter in (world.meters[i] for i in world.meters if i in of_kind["meter"]):
        key = keys.meter(meter.id)
        yield f"{meter.name} {before[key]} → {after[key]}"
    yield from _quest_changes(world, before, after)
    for foe in (world.foes[i] for i in world.foes if i in of_kind["beaten"]):
        key = keys.beaten(foe.id)
        many = f" ({after[key]} of {foe.count})" if foe.count > 1 else ""
        yield f"{foe.name} beaten{many}"
    for foe in (world.foes[i] for i in world.foes if i in of_kind["hit"] - of_kind["beaten"]):
        yield f"{foe.name}: {after[keys.hit(foe.id)]} of {foe.health} hit off"
    if after[ENDING] != before[ENDING]:
        yield f"the end: {world.endings[str(after[ENDING])].name}"


def _quest_changes(world: World, before: Situation, after: Situation) -> Iterator[str]:
    """Quests that changed their state, and goals of those still open that came further."""
    for quest in world.quests.values():
        state = int(after[keys.quest(quest.id)])
        if before[keys.quest(quest.id)] != state:
            yield f"quest {quest.name}: {QUEST_STATES[state]}"
        # goals of a quest that is over interest nobody
        if state in (DONE, FAILED):
            continue
        for goal in quest.goals:
            key = keys.goal(quest.id, goal.number)
            if goal.remembered and before[key] != after[key]:
                counted = goal.kind in ("gain", "defeat") and goal.count > 1
                progress = f"{after[key]} of {goal.count}" if counted else "met"
                yield f"{world.goal_name(goal)}: {progress}"
