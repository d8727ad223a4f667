"""Where things come from, and what asks for them and spends them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.checked.conditions import Cond
from zubrel.checked.effects import Beat, Effect, Give, Lose, Refill, SellOut, SetMark, Wear
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import Item
from zubrel.checked.world import World
from zubrel.findings.mentions import subjects_of


def sources(world: World, item: Item) -> Iterator[str]:
    """Everything that gives an item, with how many, and whether again and again."""
    start = sum(g.count for g in world.holding if g.item == item.id)
    if start:
        yield f"start ({start})"
    for rule in world.rules:
        # what only comes back out of a store or from the ground is no source
        if rule.kind.regains:
            continue
        most = max(gained(o.effects, item.id) for o in rule.outcomes)
        if most:
            again = "" if any(_is_once(o.effects) for o in rule.outcomes) else ", again and again"
            yield f"{rule.id}{f' ({most})' if most > 1 else ''}{again}"
        if Refill(item.id) in rule.outcomes[0].effects:
            yield f"{rule.id} (filled up)"
    for happening in world.happenings:
        if gained(happening.outcome.effects, item.id):
            yield happening.id
    for quest in world.quests.values():
        if gained(quest.reward, item.id):
            yield f"{quest.id} (reward)"


def gained(effects: Iterable[Effect], item: str) -> int:
    """How many of an item effects give."""
    return sum(e.count for e in effects if isinstance(e, Give) and e.item == item)


def _is_once(effects: Iterable[Effect]) -> bool:
    return any(isinstance(e, SetMark | Beat | SellOut) for e in effects)


def sinks(world: World, item: Item) -> Iterator[str]:
    """Everything that takes, wears or loses an item."""
    for rule in world.rules:
        effects = [e for o in rule.outcomes for e in o.effects]
        # what is put away is not gone
        if rule.kind in (RuleKind.PUT, RuleKind.DROP):
            continue
        taken = sum(t.count for t in rule.takes if t.item == item.id)
        worn = any(isinstance(e, Wear) and e.item == item.id for e in effects)
        if taken:
            yield f"{rule.id}{f' ({taken})' if taken > 1 else ''}"
        elif worn:
            yield f"{rule.id} (worn)"
        elif any(isinstance(e, Lose) and e.item == item.id for e in effects):
            yield f"{rule.id} (lost)"
    for happening in world.happenings:
        if any(isinstance(e, Lose) and e.item == item.id for e in happening.outcome.effects):
            yield f"{happening.id} (lost)"


def readers(world: World, thing: str) -> Iterator[str]:
    """Everything with a condition that asks for `thing`; ways once for both directions."""
    users: dict[str, None] = {}
    for rule in world.rules:
        if asks(rule.needs, thing):
            # both directions of a way ask the same
            users[rule.owner if rule.kind == "way" else rule.id] = None
    for area in world.areas.values():
        if asks(area.needs, thing):
            users[area.id] = None
    for happening in world.happenings:
        if asks(happening.when, thing):
            users[happening.id] = None
    for ending in world.endings.values():
        if ending.when is not None and asks(ending.when, thing):
            users[ending.id] = None
    yield from users


def asks(condition: Cond, thing: str) -> bool:
    """Whether a condition is about a thing."""
    return thing in subjects_of(condition)
