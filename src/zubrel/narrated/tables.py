"""What a world defines, as tables: where each thing comes from, is needed and is spent."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

from zubrel.checked.conditions import ALWAYS
from zubrel.checked.effects import MoveTo, OpenLock, Wear
from zubrel.checked.things import Goal, GoalGroup, Quest, Shop, Ware
from zubrel.checked.world import Rule, World
from zubrel.narrated.doing import amount_of, asked_by, asked_of, effect_words
from zubrel.narrated.state_tables import Row, carries, deals, each, facts, happenings, meters
from zubrel.narrated.uses import readers, sinks, sources
from zubrel.narrated.words import phrase


class Listing(Struct, frozen=True):
    """A table: every cell is a list of short texts."""

    section: str
    columns: tuple[str, ...]
    rows: tuple[Row, ...]


def listing(world: World, section: str, only: str | None = None) -> Listing:
    """The table of one section, or of it the rows of a thing, by its id.

    Raises KeyError for a section without one.
    """
    columns, rows = SECTIONS[section]
    return Listing(section, columns, tuple(rows(world, only)))


def _items(world: World, only: str | None) -> Iterator[Row]:
    for item in each(world.items, only):
        yield (
            (item.id,),
            (item.name,),
            (item.kind,) if item.kind != "thing" else (),
            (str(item.most),),
            tuple(sources(world, item)),
            tuple(readers(world, item.id)),
            tuple(sinks(world, item)),
        )


def _areas(world: World, only: str | None) -> Iterator[Row]:
    for area in each(world.areas, only):
        here = [r for r in world.rules if r.areas is not None and area.id in r.areas]
        finds = dict.fromkeys(r.owner for r in here if r.kind == "find")
        ways = dict.fromkeys(_way(r) for r in here if r.kind == "way")
        others = dict.fromkeys(r.common for r in here if r.kind == "deed")
        needs = () if area.needs == ALWAYS else (phrase(world, area.needs),)
        yield ((area.id,), (area.name,), tuple(finds), tuple(ways), tuple(others), needs)


def _ways(world: World, only: str | None) -> Iterator[Row]:
    """Every way, in each of its directions."""
    for rule in world.rules:
        if rule.kind == "way" and rule.areas is not None and only in (None, rule.id, rule.owner):
            # luck may lead to several; an outcome without an end stays where it is
            ends = dict.fromkeys(o.destination or rule.areas[0] for o in rule.outcomes)
            # a way of two directions is two rules of one owner
            back = any(
                r.kind == "way" and r.owner == rule.owner and r.areas != rule.areas
                for r in world.rules
            )
            does = tuple(
                words
                for effect in rule.outcomes[0].effects
                if not isinstance(effect, MoveTo) and (words := effect_words(world, effect))
            )
            yield (
                (rule.id,),
                (rule.label,),
                rule.areas,
                tuple(ends),
                (rule.lock,) if rule.lock else (),
                tuple(asked_of(world, rule)),
                does,
                () if back else ("no",),
            )


def _way(rule: Rule) -> str:
    there = " or ".join(dict.fromkeys(o.destination or "" for o in rule.outcomes))
    return f"{there} ({rule.lock})" if rule.lock else there


def _locks(world: World, only: str | None) -> Iterator[Row]:
    for lock in each(world.locks, only):
        rules = [r for r in world.rules if r.owner == lock.id and r.kind == "lock"]
        # what opens the lock besides its own rule: effects of other moves
        others = [
            r.id
            for r in world.rules
            if r not in rules and any(OpenLock(lock.id) in o.effects for o in r.outcomes)
        ]
        locked = dict.fromkeys(r.owner for r in world.rules if r.lock == lock.id)
        begins = "open" if lock.begins_open else "shut"
        state = f"{begins}, shuts behind the player" if lock.relocks else begins
        asks = tuple(words for words in (asked_by(world, rules),) if words)
        texts = tuple(said.text for said in lock.refuses)
        places = lock.from_areas if lock.from_areas else ("nowhere by hand",)
        yield (
            (lock.id,),
            (lock.name,),
            (state,),
            tuple(places),
            asks,
            tuple(others),
            tuple(locked),
            texts,
        )


def _deeds(world: World, only: str | None) -> Iterator[Row]:
    for rule in world.rules:
        if rule.kind == "deed" and only in (None, rule.id):
            places = ("anywhere",) if rule.areas is None else rule.areas
            yield (
                (rule.id,),
                (rule.label,),
                places,
                tuple(asked_of(world, rule)),
                tuple(_done(world, rule)),
                ("yes",) if rule.once else (),
            )


def _done(world: World, rule: Rule) -> Iterator[str]:
    """What a rule does, in a few words for each outcome."""
    for outcome in rule.outcomes:
        words = ", ".join(w for e in outcome.effects if (w := effect_words(world, e)))
        yield f"{outcome.number}: {words or 'nothing'}" if rule.chancy else words


def _endings(world: World, only: str | None) -> Iterator[Row]:
    for ending in each(world.endings, only):
        how = [phrase(world, ending.when)] if ending.when is not None else []
        how += [r.id for r in world.rules if any(o.ending == ending.id for o in r.outcomes)]
        kind = "good" if ending.good else "bad"
        yield ((ending.id,), (ending.name,), (kind,), tuple(how))


def _people(world: World, only: str | None) -> Iterator[Row]:
    for person in each(world.people, only):
        places = tuple(
            area if when == ALWAYS else f"{area} ({phrase(world, when)})"
            for area, when in person.places
        )
        talks = [r for r in world.rules if r.kind == "talk" and r.owner == person.id]
        quests = (q.id for q in world.quests.values() if person.id in (q.from_id, q.hand_in))
        yield ((person.id,), (person.name,), places, tuple(r.id for r in talks), tuple(quests))


def _quests(world: World, only: str | None) -> Iterator[Row]:
    for quest in each(world.quests, only):
        goals = tuple(_goals(world, quest, group) for group in quest.groups)
        order = ("in turn",) if quest.in_turn else ()
        # given by somebody or something, active from the first, or started by a move
        source = quest.from_id or ("from the start" if quest.starts_active else "started")
        reward = tuple(w for e in quest.reward if (w := effect_words(world, e)))
        unlocks = tuple(readers(world, quest.id))
        yield (
            (quest.id,),
            (quest.name,),
            (source,),
            goals,
            order,
            (quest.hand_in or "by itself",),
            reward,
            unlocks,
        )


def _goals(world: World, quest: Quest, group: GoalGroup) -> str:
    """A goal, or a group of goals with how many of them are asked for."""
    goals = [_goal(world, quest.goals[n - 1]) for n in group.numbers]
    if len(goals) == 1:
        return goals[0]
    many = {1: "any", len(goals): "all"}.get(group.count, str(group.count))
    return f"{many} of ({', '.join(goals)})"


def _goal(world: World, goal: Goal) -> str:
    what = phrase(world, goal.condition) if goal.kind == "meet" else goal.subject
    many = f"{goal.count} " if goal.count > 1 else ""
    early = ", early counts" if goal.early else ""
    return f"{goal.kind} {many}{what}{early}"


def _recipes(world: World, only: str | None) -> Iterator[Row]:
    for rule in world.rules:
        if rule.kind == "recipe" and only in (None, rule.id):
            tools = tuple(e.item for e in rule.outcomes[0].effects if isinstance(e, Wear))
            takes = tuple(amount_of(t.count, t.item) for t in rule.takes)
            gives = tuple(amount_of(g.count, g.item) for g in rule.gives)
            yield ((rule.id,), (rule.label,), rule.areas or ("anywhere",), takes, tools, gives)


def _foes(world: World, only: str | None) -> Iterator[Row]:
    for foe in each(world.foes, only):
        rules = [r for r in world.rules if r.kind == "foe" and r.owner == foe.id]
        count = "returns" if foe.returns else str(foe.count)
        count += f", health {foe.health}" if foe.health > 1 else ""
        places = rules[0].areas or ("anywhere",)
        asks = tuple(words for words in (asked_by(world, rules),) if words)
        drops = tuple(dict.fromkeys(amount_of(g.count, g.item) for r in rules for g in r.gives))
        yield ((foe.id,), (foe.name,), places, (count,), asks, drops)


def _shops(world: World, only: str | None) -> Iterator[Row]:
    for shop in each(world.shops, only):
        places = next((r.areas for r in world.rules if r.owner == shop.id), None)
        sells = tuple(_ware(world, shop, ware) for ware in shop.sells)
        buys = tuple(f"{w.item} for {w.price}" for w in shop.buys)
        yield ((shop.id,), (shop.name,), places or ("anywhere",), (shop.money,), sells, buys)


def _ware(world: World, shop: Shop, ware: Ware) -> str:
    """A ware with its price, its stock, and where else the item comes from."""
    stock = f", {ware.stock} in stock" if ware.stock is not None else ""
    own = f"{shop.id}_buy_{ware.item}"
    others = [s for s in sources(world, world.items[ware.item]) if not s.startswith(own)]
    return f"{ware.item} at {ware.price}{stock}{f'; also {chr(44).join(others)}' if others else ''}"


def _stores(world: World, only: str | None) -> Iterator[Row]:
    for store in each(world.stores, only):
        places = next((r.areas for r in world.rules if r.owner == store.id), None)
        limit = () if store.limit is None else (str(store.limit),)
        lock = next((r.lock for r in world.rules if r.owner == store.id and r.lock), None)
        yield (
            (store.id,),
            (store.name,),
            places or ("anywhere",),
            (lock,) if lock else (),
            store.keeps,
            limit,
        )


def _accepted(world: World, only: str | None) -> Iterator[Row]:
    for entry in world.accepted:
        closers = ", ".join(entry.closed_by)
        yield (
            (f"all closed by {closers}" if closers else entry.subject,),
            (entry.finding,),
            (entry.because,) if entry.because else (),
        )


def _promises(world: World, only: str | None) -> Iterator[Row]:
    for promise in world.promises:
        parts = [phrase(world, c) for c in promise.conditions]
        parts += [f"ending {promise.ending}"] if promise.ending else []
        parts += [f"in {promise.steps} moves"] if promise.kind == "within" else []
        because = (promise.because,) if promise.because else ()
        yield ((promise.id,), (promise.kind.replace("_", " "),), tuple(parts), because)


SECTIONS: dict[str, tuple[tuple[str, ...], Callable[[World, str | None], Iterator[Row]]]] = {
    "items": (("id", "name", "kind", "most", "from", "asked for by", "spent on"), _items),
    "areas": (("id", "name", "finds", "ways to", "deeds", "needs"), _areas),
    "ways": (("id", "name", "from", "to", "lock", "asks", "does", "way back"), _ways),
    "locks": (("id", "name", "begins", "opened at", "asks", "opened by", "locks", "says"), _locks),
    "deeds": (("id", "name", "at", "asks", "does", "once"), _deeds),
    "people": (("id", "name", "at", "talks", "quests"), _people),
    "quests": (("id", "name", "from", "goals", "order", "hand in", "reward", "unlocks"), _quests),
    "recipes": (("id", "name", "at", "takes", "tools", "gives"), _recipes),
    "foes": (("id", "name", "at", "how many", "asks", "drops"), _foes),
    "shops": (("id", "name", "at", "money", "sells", "buys"), _shops),
    "stores": (("id", "name", "at", "lock", "keeps", "limit"), _stores),
    "facts": (("id", "name", "values", "start", "set by", "asked for by"), facts),
    "meters": (("id", "name", "range", "start", "set by", "asked for by"), meters),
    "carry": (("id", "limit", "of"), carries),
    "deals": (("id", "items", "areas", "an area gets", "deals"), deals),
    "whenever": (("id", "when", "does", "once"), happenings),
    "endings": (("id", "name", "kind", "how"), _endings),
    "promises": (("id", "kind", "what", "because"), _promises),
    "accept": (("id", "finding", "because"), _accepted),
}
