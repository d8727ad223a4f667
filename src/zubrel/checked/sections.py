"""The entries of sections that are more than a name: items, people, quests, shops and so on."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.base.spelling import listing
from zubrel.checked.conditions import LockOpen, all_of
from zubrel.checked.frames import key_of, lock_of, name_of
from zubrel.checked.names import kept_items
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import Carry, Foe, Item, Person, Shop, Store, Ware
from zubrel.checked.trades import shop_site


class Sections:
    """Makes the entries of a world out of a document, problem by problem."""

    def __init__(self, document: Document, resolver: Resolver) -> None:
        self.document = document
        self.resolver = resolver
        self.problems = resolver.problems
        self.names = resolver.names

    def items(self) -> dict[str, Item]:
        return {key_of(e): self._item(e) for e in self.document.entries("items")}

    def _item(self, entry: Entry) -> Item:
        this, most, uses = key_of(entry), entry.number("max"), entry.number("uses")
        drop = entry.values.get("drop", False)
        # what wears out is held once: a second one would have to be counted apart
        if uses is not None:
            for field in ("max", "drop"):
                if entry.values.get(field):
                    message = f'"{this}" is a tool: "{field}" means nothing for it'
                    self.problems.add("misplaced", message, entry.where(field))
            # a tool is held once, and what is counted of it are its uses
            most, drop = uses, False
        drops_at: tuple[str, ...] = ()
        # everywhere
        if drop is True:
            drops_at = tuple(key_of(e) for e in self.document.entries("areas"))
        # a list: only there
        elif drop:
            drops_at = tuple(self.resolver.ids(drop, "area"))
        if drop and entry.text("kind") == "knowledge":
            message = "knowledge cannot be put down"
            self.problems.add("misplaced", message, entry.where("drop"))
        return Item(
            this,
            name_of(entry),
            entry.span,
            entry.text("kind") or "thing",
            most or 0,
            most is not None,
            entry.text("when_full") == "waste",
            uses,
            drops_at,
            tuple(self.resolver.ids(entry.words("stays_in"), "area")),
            entry.number("price"),
            self.resolver.texts(entry.texts("says")),
        )

    def check_drops(self, items: dict[str, Item]) -> None:
        """Only items of which there is one can be put down."""
        for item in items.values():
            if item.drops_at and item.most > 1:
                message = f'"{item.id}" can be put down, so there must be only one of it'
                hint = f"{item.most} of it can come together; say max: 1, or leave out drop."
                self.problems.add("bad-value", message, item.span, hint)

    def people(self) -> dict[str, Person]:
        people = {}
        for entry in self.document.entries("people"):
            this = key_of(entry)
            if not entry.entries("at"):
                message = f'"{this}" needs to be somewhere'
                self.problems.add("missing", message, entry.span, "Add: at: some_area")
            places = self.resolver.presence.places(this)
            met = this in self.resolver.met
            people[this] = Person(this, name_of(entry), entry.span, places, met)
        return people

    def foes(self) -> dict[str, Foe]:
        return {
            key_of(e): Foe(
                key_of(e),
                name_of(e),
                e.span,
                self.resolver.count_of_foe(key_of(e)),
                e.text("returns") == "always",
                e.number("health") or 1,
            )
            for e in self.document.entries("foes")
        }

    def shops(self, items: dict[str, Item]) -> dict[str, Shop]:
        shops = {}
        for entry in self.document.entries("shops"):
            this = key_of(entry)
            # two places would leave open which of them counts
            if entry.has("keeper") and entry.has("at"):
                message = "a shop is at a place, or where its keeper is, not both"
                self.problems.add("misplaced", message, entry.where("at"))
            sells = tuple(self._wares(entry, "sells", items))
            buys = tuple(self._wares(entry, "buys", items))
            money = self._money(entry, items)
            site, lock = shop_site(entry, self.resolver), lock_of(entry, self.resolver)
            shops[this] = Shop(
                this,
                name_of(entry),
                entry.span,
                money,
                sells,
                buys,
                site.areas,
                # a shop is open where its site, its needs and its lock say so together
                all_of(
                    *site.offered,
                    self.resolver.all_of(entry.conditions("needs")),
                    *((LockOpen(lock),) if lock else ()),
                ),
                self.resolver.texts(entry.texts("greets")),
                self.resolver.texts(entry.texts("farewell")),
            )
        return shops

    def _wares(self, entry: Entry, field: str, items: dict[str, Item]) -> Iterator[Ware]:
        for ware in entry.entries(field):
            item = self.names.find(ware.key, "item") if ware.key else None
            if item is None:
                continue
            # the price of the item, unless this shop has its own
            price = ware.number("price") if ware.has("price") else items[item].price
            if price is None:
                message = f'"{item}" needs a price'
                hint = "Write for example: 3. Or give the item one:  price: 3"
                self.problems.add("missing", message, ware.span, hint)
            if field == "buys" and items[item].kind == "knowledge":
                message = f'"{item}" is knowledge, which cannot be sold'
                self.problems.add("wrong-kind", message, ware.span)
            if field == "buys" and ware.has("stock"):
                message = "a shop has no stock of what it buys"
                self.problems.add("misplaced", message, ware.where("stock"))
            yield Ware(item, price or 0, ware.number("stock"), ware.span)

    def _money(self, entry: Entry, items: dict[str, Item]) -> str:
        word = entry.word("money")
        if word is not None:
            return self.names.find(word, "item") or ""
        money = [item.id for item in items.values() if item.kind == "money"]
        if len(money) == 1:
            return money[0]
        message = "this shop does not say what is paid with"
        many = listing(money) if money else "none"
        hint = f"Add: money: some_item. (Items of kind money: {many}.)"
        self.problems.add("missing", message, entry.span, hint)
        return ""

    def stores(self, items: dict[str, Item]) -> dict[str, Store]:
        stores = {}
        for entry in self.document.entries("stores"):
            this = key_of(entry)
            for word in entry.words("keeps"):
                item = self.names.find(word, "item")
                # uses that are left, and what is known, stay with the player
                if item and (items[item].uses is not None or items[item].kind == "knowledge"):
                    what = "a tool" if items[item].uses is not None else "knowledge"
                    message = f'"{item}" is {what}, which cannot be stored'
                    self.problems.add("wrong-kind", message, word.span)
            keeps = tuple(i for i in kept_items(entry, self.document) if i in items)
            stores[this] = Store(this, name_of(entry), entry.span, keeps, entry.number("limit"))
        return stores

    def carries(self, items: dict[str, Item]) -> tuple[Carry, ...]:
        return tuple(self._carry(entry, items) for entry in self.document.entries("carry"))

    def _carry(self, entry: Entry, items: dict[str, Item]) -> Carry:
        limit = entry.number("limit")
        if limit is None:
            self.problems.add(
                "missing", "a carrying limit needs its limit", entry.span, "Add: limit: 5"
            )
        # without a list a limit is about all things, and knowledge weighs nothing
        things = tuple(i.id for i in items.values() if i.kind == "thing")
        given = tuple(dict.fromkeys(self.resolver.ids(entry.words("of"), "item")))
        for item in given:
            if items[item].kind != "thing":
                message = f'"{item}" is {items[item].kind}, which weighs nothing'
                self.problems.add("wrong-kind", message, entry.where("of"))
        return Carry(limit or 0, given if entry.has("of") else things, entry.span)
