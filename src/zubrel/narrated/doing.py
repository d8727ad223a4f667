"""What rules ask for and do, in a few words: said in one way wherever it is told."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.checked.conditions import ALWAYS
from zubrel.checked.effects import (
    AddMeter,
    Effect,
    EndGame,
    FailQuest,
    FinishQuest,
    Give,
    Lose,
    MoveTo,
    OpenLock,
    Refill,
    SetFact,
    SetMeter,
    ShutLock,
    StartQuest,
    StepFact,
    Toggle,
    Wear,
)
from zubrel.checked.world import Rule, World
from zubrel.narrated.words import listed, phrase


def asked_of(world: World, rule: Rule) -> Iterator[str]:
    """What a rule needs, wears and takes, in a few words each."""
    if rule.needs != ALWAYS:
        yield phrase(world, rule.needs)
    for effect in rule.outcomes[0].effects:
        if isinstance(effect, Wear):
            yield f"wears {world.items[effect.item].name}"
    for take in rule.takes:
        yield f"takes {amount_of(take.count, world.items[take.item].name)}"


def asked_by(world: World, rules: Iterable[Rule]) -> str:
    """What alternatives ask for, all of one or all of another; nothing where one asks nothing."""
    wanted = list(dict.fromkeys(tuple(asked_of(world, rule)) for rule in rules))
    if () in wanted:
        return ""
    several = len(wanted) > 1
    words = [listed([f"({p})" if several and " or " in p else p for p in ps]) for ps in wanted]
    return listed(words, "or")


def effect_words(world: World, effect: Effect) -> str | None:
    """An effect in a few words; None for what is told elsewhere (marks, what is taken)."""
    name = world.name_of
    # in words for players: ids and marks are nobody's business here
    match effect:
        case Lose(item, count):
            # without a count it takes whatever is there
            return f"loses {'all ' if count is None else ''}{amount_of(count or 1, name(item))}"
        case Give(item, count):
            return f"gives {amount_of(count, name(item))}"
        case SetFact(fact, value):
            return f"{name(fact)}: {world.facts[fact].values[value]}"
        case StepFact(fact, up):
            return f"{name(fact)}: {'the next' if up else 'the one before'}"
        case Refill(item):
            return f"fills {name(item)} up"
        case SetMeter(meter, value):
            return f"{name(meter)}: {value}"
        case Toggle(fact):
            return f"{name(fact)} the other way"
        case AddMeter(meter, amount):
            return f"{name(meter)} {amount:+d}"
        case OpenLock(lock):
            return f"opens {name(lock)}"
        case ShutLock(lock):
            return f"shuts {name(lock)}"
        case MoveTo(area):
            return f"to {name(area)}"
        case EndGame(ending):
            return f"ends: {name(ending)}"
        case StartQuest(quest):
            return f"starts {name(quest)}"
        case FinishQuest(quest):
            return f"finishes {name(quest)}"
        case FailQuest(quest):
            return f"fails {name(quest)}"
    return None


def amount_of(count: int, name: str) -> str:
    return name if count == 1 else f"{count} {name}"
