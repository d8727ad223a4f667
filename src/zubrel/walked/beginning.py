"""What everything is at the start of a game, before anything happens by itself."""

from __future__ import annotations

from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE, WAITING
from zubrel.checked.effects import SetMark
from zubrel.checked.keys import ENDING, NOWHERE, PLACE, UNENDED, Key, Value
from zubrel.checked.world import World
from zubrel.walked.changing import number_of


def values_at_first(world: World) -> dict[Key, Value]:
    """The value of everything that a situation of the world tells."""
    values: dict[Key, Value] = {PLACE: world.start_area, ENDING: UNENDED}
    values |= {keys.held(i): 0 for i in world.items}
    for give in world.holding:
        key = keys.held(give.item)
        # a tool begins with all its uses
        uses = world.items[give.item].uses
        values[key] = uses if uses is not None else number_of(values, key) + give.count
    values |= {keys.lock_open(k.id): int(k.begins_open) for k in world.locks.values()}
    values |= {keys.fact(f.id): f.start for f in world.facts.values()}
    values |= {keys.meter(m.id): m.start for m in world.meters.values()}
    values |= {keys.beaten(f): 0 for f in world.foes}
    values |= {keys.hit(f.id): 0 for f in world.foes.values() if f.health > 1}
    values |= {keys.lies(i.id): NOWHERE for i in world.items.values() if i.drops_at}
    for quest in world.quests.values():
        values[keys.quest(quest.id)] = ACTIVE if quest.starts_active else WAITING
        values |= {keys.goal(quest.id, g.number): 0 for g in quest.goals if g.remembered}
    for shop in world.shops.values():
        wares = (w for w in shop.sells if w.stock is not None)
        values |= {keys.stock(shop.id, w.item): w.stock or 0 for w in wares}
    for store in world.stores.values():
        values |= {keys.stored(store.id, item): 0 for item in store.keeps}
    values |= {keys.mark("visited", a): 0 for a in world.visits_asked}
    values |= {keys.mark("met", p.id): 0 for p in world.people.values() if p.met_asked}
    # marks that some effect sets, and no others
    for effect in world.effects:
        if isinstance(effect, SetMark) and effect.kind in ("taken", "done"):
            values[keys.mark(effect.kind, effect.subject)] = 0
    return values
