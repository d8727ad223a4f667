"""What a world defines, as tables: where each thing comes from, is needed and is spent."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from msgspec import Struct

from zubrel.checked.conditions import ALWAYS, Cond, atoms_of
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
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    StartQuest,
    Toggle,
)
from zubrel.checked.world import Item, Rule, World
from zubrel.findings.mentions import subject_of
from zubrel.narrated.words import phrase

Row = tuple[tuple[str, ...], ...]


class Listing(Struct, frozen=True):
    """A table: every cell is a list of short texts."""

    section: str
    columns: tuple[str, ...]
    rows: tuple[Row, ...]


def listing(world: World, section: str) -> Listing:
    """The table of one section. Raises KeyError for a section without one."""
    columns, rows = SECTIONS[section]
    return Listing(section, columns, tuple(rows(world)))


def _items(world: World) -> Iterator[Row]:
    for item in world.items.values():
        yield (
            (item.id,), (item.name,), (item.kind,) if item.kind != "thing" else (),
            (str(item.most),),
            tuple(_sources(world, item)), tuple(_readers(world, item.id)),
            tuple(_sinks(world, item)),
        )  # fmt: skip


def _sources(world: World, item: Item) -> Iterator[str]:
    start = sum(g.count for g in world.holding if g.item == item.id)
    if start:
        yield f"start ({start})"
    for rule in world.rules:
        most = max(_gained(o.effects, item.id) for o in rule.outcomes)
        if most:
            again = "" if any(_is_once(o.effects) for o in rule.outcomes) else ", again and again"
            yield f"{rule.id}{f' ({most})' if most > 1 else ''}{again}"
    for happening in world.happenings:
        if _gained(happening.outcome.effects, item.id):
            yield happening.id


def _gained(effects: Iterable[Effect], item: str) -> int:
    return sum(e.count for e in effects if isinstance(e, Give) and e.item == item)


def _is_once(effects: Iterable[Effect]) -> bool:
    return any(isinstance(e, SetMark) for e in effects)


def _sinks(world: World, item: Item) -> Iterator[str]:
    for rule in world.rules:
        effects = [e for o in rule.outcomes for e in o.effects]
        taken = sum(t.count for t in rule.takes if t.item == item.id)
        if taken:
            yield f"{rule.id}{f' ({taken})' if taken > 1 else ''}"
        elif any(isinstance(e, Lose) and e.item == item.id for e in effects):
            yield f"{rule.id} (lost)"
    for happening in world.happenings:
        if any(isinstance(e, Lose) and e.item == item.id for e in happening.outcome.effects):
            yield f"{happening.id} (lost)"


def _readers(world: World, thing: str) -> Iterator[str]:
    """Everything with a condition that asks for `thing`; ways once for both directions."""
    found: dict[str, None] = {}
    for rule in world.rules:
        if _asks(rule.needs, thing):
            found[rule.owner if rule.kind == "way" else rule.id] = None
    for area in world.areas.values():
        if _asks(area.needs, thing):
            found[area.id] = None
    for happening in world.happenings:
        if _asks(happening.when, thing):
            found[happening.id] = None
    for ending in world.endings.values():
        if ending.when is not None and _asks(ending.when, thing):
            found[ending.id] = None
    yield from found


def _asks(condition: Cond, thing: str) -> bool:
    return any(subject_of(atom) == thing for atom in atoms_of(condition))


def _areas(world: World) -> Iterator[Row]:
    for area in world.areas.values():
        here = [r for r in world.rules if r.areas is not None and area.id in r.areas]
        finds = dict.fromkeys(r.owner for r in here if r.kind == "find")
        ways = dict.fromkeys(_way(r) for r in here if r.kind == "way")
        others = dict.fromkeys(r.common for r in here if r.kind == "deed")
        needs = () if area.needs == ALWAYS else (phrase(world, area.needs),)
        yield ((area.id,), (area.name,), tuple(finds), tuple(ways), tuple(others), needs)


def _way(rule: Rule) -> str:
    there = " or ".join(dict.fromkeys(o.destination or "" for o in rule.outcomes))
    return f"{there} ({rule.lock})" if rule.lock else there


def _locks(world: World) -> Iterator[Row]:
    for lock in world.locks.values():
        rules = [r for r in world.rules if r.owner == lock.id and r.kind == "lock"]
        others = [
            r.id for r in world.rules
            if r not in rules and any(OpenLock(lock.id) in o.effects for o in r.outcomes)
        ]  # fmt: skip
        locked = dict.fromkeys(r.owner for r in world.rules if r.lock == lock.id)
        begins = "open" if lock.begins_open else "shut"
        state = f"{begins}, shuts behind the player" if lock.relocks else begins
        asks = tuple(dict.fromkeys(a for r in rules for a in _asked(world, r)))
        texts = tuple(said.text for said in lock.refuses)
        places = lock.from_areas if lock.from_areas else ("nowhere by hand",)
        yield ((lock.id,), (lock.name,), (state,), tuple(places), asks, tuple(others),
               tuple(locked), texts)  # fmt: skip


def _asked(world: World, rule: Rule) -> Iterator[str]:
    if rule.needs != ALWAYS:
        yield phrase(world, rule.needs)
    for take in rule.takes:
        yield f"takes {_amount(take.count, world.items[take.item].name)}"


def _deeds(world: World) -> Iterator[Row]:
    for rule in world.rules:
        if rule.kind == "deed":
            places = ("anywhere",) if rule.areas is None else rule.areas
            yield ((rule.id,), (rule.label,), places, tuple(_asked(world, rule)),
                   tuple(_done(world, rule)), ("yes",) if rule.once else ())  # fmt: skip


def _done(world: World, rule: Rule) -> Iterator[str]:
    """What a rule does, in a few words for each outcome."""
    for outcome in rule.outcomes:
        words = ", ".join(w for e in outcome.effects if (w := effect_words(world, e)))
        yield f"{outcome.number}: {words or 'nothing'}" if rule.chancy else words


def effect_words(world: World, effect: Effect) -> str | None:
    """An effect in a few words; None for what is told elsewhere (marks, what is taken)."""
    name = world.name_of
    match effect:
        case Lose(item, count):
            return f"loses {'all ' if count is None else ''}{_amount(count or 1, name(item))}"
        case Give(item, count):
            return f"gives {_amount(count, name(item))}"
        case SetFact(fact, value):
            return f"{name(fact)}: {world.facts[fact].values[value]}"
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


def _amount(count: int, name: str) -> str:
    return name if count == 1 else f"{count} {name}"


def _facts(world: World) -> Iterator[Row]:
    for fact in world.facts.values():
        setters = _setters(world, lambda e, f=fact.id: (  # type: ignore[misc]
            isinstance(e, SetFact | Toggle) and e.fact == f))  # fmt: skip
        yield ((fact.id,), (fact.name,), fact.values, (fact.values[fact.start],), setters,
               tuple(_readers(world, fact.id)))  # fmt: skip


def _meters(world: World) -> Iterator[Row]:
    for meter in world.meters.values():
        setters = _setters(world, lambda e, m=meter.id: (  # type: ignore[misc]
            isinstance(e, SetMeter | AddMeter) and e.meter == m))  # fmt: skip
        limits = f"{meter.low} to {meter.high}"
        yield ((meter.id,), (meter.name,), (limits,), (str(meter.start),), setters,
               tuple(_readers(world, meter.id)))  # fmt: skip


def _setters(world: World, sets: Callable[[Effect], bool]) -> tuple[str, ...]:
    rules = [r.id for r in world.rules if any(sets(e) for o in r.outcomes for e in o.effects)]
    return (*rules, *(h.id for h in world.happenings if any(map(sets, h.outcome.effects))))


def _endings(world: World) -> Iterator[Row]:
    for ending in world.endings.values():
        how = [phrase(world, ending.when)] if ending.when is not None else []
        how += [r.id for r in world.rules if any(o.ending == ending.id for o in r.outcomes)]
        kind = "good" if ending.good else "bad"
        yield ((ending.id,), (ending.name,), (kind,), tuple(how))


SECTIONS: dict[str, tuple[tuple[str, ...], Callable[[World], Iterator[Row]]]] = {
    "items": (("id", "name", "kind", "most", "from", "needed by", "spent on"), _items),
    "areas": (("id", "name", "finds", "ways to", "deeds", "needs"), _areas),
    "locks": (("id", "name", "begins", "opened at", "asks", "opened by", "locks", "says"), _locks),
    "deeds": (("id", "name", "at", "asks", "does", "once"), _deeds),
    "facts": (("id", "name", "values", "start", "set by", "read by"), _facts),
    "meters": (("id", "name", "range", "start", "set by", "read by"), _meters),
    "endings": (("id", "name", "kind", "how"), _endings),
}
