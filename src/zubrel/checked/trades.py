"""Shops, stores and things put down -> frames of rules; the language makes their rules itself."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.checked.bodies import Implied
from zubrel.checked.conditions import Any, At, InStock, LiesAt, Stored, StoreRoom, all_of
from zubrel.checked.effects import (
    FetchFrom,
    Give,
    PickUp,
    PutDown,
    PutIn,
    SellOut,
    Take,
)
from zubrel.checked.frames import Frame, Site, bare, key_of, lock_of, places, with_person
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import Item, Shop, Store, Ware


def trades(
    document: Document,
    resolver: Resolver,
    items: dict[str, Item],
    shops: dict[str, Shop],
    stores: dict[str, Store],
) -> Iterator[Frame]:
    """The frames of buying and selling, storing and fetching, putting down and picking up."""
    for entry in document.entries("shops"):
        yield from _shop(entry, shops[key_of(entry)], resolver, items)
    for entry in document.entries("stores"):
        yield from _store(entry, stores[key_of(entry)], resolver, items)
    for entry in document.entries("items"):
        if entry.values.get("drop"):
            yield from _drop(items[key_of(entry)], resolver)


def shop_site(entry: Entry, resolver: Resolver) -> Site:
    """Where a shop is: at its place, or where its keeper is."""
    keeper = entry.word("keeper")
    if keeper is None:
        return places(entry, resolver)
    person = resolver.names.find(keeper, "person")
    return with_person(person, resolver) if person else Site(())


def _shop(entry: Entry, shop: Shop, resolver: Resolver, items: dict[str, Item]) -> Iterator[Frame]:
    # told already, where the shop was read
    if shop.money not in items:
        return
    site, lock = shop_site(entry, resolver), lock_of(entry, resolver)
    needs = resolver.all_of(entry.conditions("needs"))
    wares = {key_of(e): e for e in (*entry.entries("sells"), *entry.entries("buys"))}
    for ware in shop.sells:
        price = f"{ware.price} {items[shop.money].name}"
        stock = (SellOut(shop.id, ware.item),) if ware.stock is not None else ()
        offered = (InStock(shop.id, ware.item),) if ware.stock is not None else ()
        implied = Implied(stock, _paid(shop, ware), (Give(ware.item, 1),))
        # a ware may be sold and bought: its needs are those of the list that it stands in
        own = next(e for e in entry.entries("sells") if key_of(e) == ware.item)
        yield Frame(
            resolver.names.made[shop.id, "buy", ware.item],
            "buy",
            shop.id,
            f"Buy {items[ware.item].name} for {price}",
            site,
            bare(ware.span),
            implied,
            offered,
            (needs, resolver.all_of(own.conditions("needs"))),
            lock,
        )
    # selling needs no stock, and may bring nothing
    for ware in shop.buys:
        price = f"{ware.price} {items[shop.money].name}"
        gives = (Give(shop.money, ware.price),) if ware.price else ()
        yield Frame(
            resolver.names.made[shop.id, "sell", ware.item],
            "sell",
            shop.id,
            f"Sell {items[ware.item].name} for {price}",
            site,
            bare(ware.span),
            Implied(takes=(Take(ware.item, 1),), gives=gives),
            (),
            (needs, resolver.all_of(wares[ware.item].conditions("needs"))),
            lock,
        )


def _paid(shop: Shop, ware: Ware) -> tuple[Take, ...]:
    return (Take(shop.money, ware.price),) if ware.price else ()


def _store(
    entry: Entry, store: Store, resolver: Resolver, items: dict[str, Item]
) -> Iterator[Frame]:
    site, lock = places(entry, resolver), lock_of(entry, resolver)
    # two rules an item, so that findings can name the one that does harm
    for item in store.keeps:
        name, made = items[item].name, resolver.names.made
        yield Frame(
            made[store.id, "put", item],
            "put",
            store.id,
            f"Put {name} into {store.name}",
            site,
            bare(entry.span),
            Implied((PutIn(item, store.id),), (Take(item, 1),)),
            (StoreRoom(store.id, item),),
            (),
            lock,
        )
        yield Frame(
            made[store.id, "take", item],
            "fetch",
            store.id,
            f"Take {name} out of {store.name}",
            site,
            bare(entry.span),
            Implied((FetchFrom(item, store.id),), (), (Give(item, 1),)),
            (Stored(store.id, item, ">=", 1),),
            (),
            lock,
        )


def _drop(item: Item, resolver: Resolver) -> Iterator[Frame]:
    made, site = resolver.names.made, Site(item.drops_at)
    yield Frame(
        made[item.id, "drop", ""],
        "drop",
        item.id,
        f"Put down {item.name}",
        site,
        bare(item.span),
        Implied((PutDown(item.id),), (Take(item.id, 1),)),
    )
    # one rule for all areas, so that a designer sees one move and not one for each area
    here = Any(tuple(all_of(At(area), LiesAt(item.id, area)) for area in item.drops_at))
    yield Frame(
        made[item.id, "pick_up", ""],
        "pick_up",
        item.id,
        f"Pick up {item.name}",
        site,
        bare(item.span),
        Implied((PickUp(item.id),), (), (Give(item.id, 1),)),
        (here,),
    )
