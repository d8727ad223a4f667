"""The entries of sections that are more than a name: items, people, quests, shops and so on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.values import Amount, Entry
from zubrel.base.spelling import listing
from zubrel.checked.asking import RULE_KINDS
from zubrel.checked.bodies import effects_of
from zubrel.checked.conditions import (
    ALWAYS,
    WAITING,
    Cond,
    GoalMet,
    Holds,
    LockOpen,
    QuestIs,
    all_of,
    atoms_of,
)
from zubrel.checked.effects import StartQuest
from zubrel.checked.frames import key_of, name_of
from zubrel.checked.names import kept_items
from zubrel.checked.resolve import Resolver
from zubrel.checked.world import (
    Carry,
    Foe,
    Goal,
    Happening,
    Item,
    Outcome,
    Person,
    Quest,
    Shop,
    Store,
    Ware,
)

GIVERS, BEGINNINGS = ("person", "area"), ("item", "lock")
"""What a quest is accepted from and handed in to; and what it begins with by itself."""
GOALS = ("collect", "gain", "deliver", "defeat", "visit", "talk", "do", "meet")
EARLY = ("gain", "defeat", "visit", "talk", "do")


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
        if uses is not None:
            for field in ("max", "drop"):
                if entry.values.get(field):
                    message = f'"{this}" is a tool: "{field}" means nothing for it'
                    self.problems.add("misplaced", message, entry.where(field))
            most, drop = uses, False
        drops_at: tuple[str, ...] = ()
        if drop is True:
            drops_at = tuple(key_of(e) for e in self.document.entries("areas"))
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

    def quests(self, started: frozenset[str]) -> dict[str, Quest]:
        """The quests; `started` are those that something starts."""
        quests = {}
        for entry in self.document.entries("quests"):
            this, source, end = key_of(entry), entry.word("from"), entry.word("hand_in")
            in_turn = entry.text("order") == "in_turn"
            goals = tuple(
                self._goal(goal, number, in_turn)
                for number, goal in enumerate(entry.entries("goals"), 1)
            )
            fails_when = entry.condition("fails_when")
            reward = entry.entry("reward")
            quests[this] = Quest(
                this,
                name_of(entry),
                entry.span,
                source is None and this not in started,
                in_turn,
                self.names.find(source, *GIVERS, *BEGINNINGS) if source else None,
                self.names.find(end, *GIVERS) if end else None,
                self.resolver.all_of(entry.conditions("needs")),
                goals,
                self.resolver.condition(fails_when) if fails_when else None,
                effects_of(reward, self.resolver) if reward else (),
            )
        return quests

    def beginnings(self, quests: Iterable[Quest]) -> Iterator[Happening]:
        """Quests that begin by themselves: as soon as an item is held, or a lock is open."""
        for quest in quests:
            begun: Cond | None = None
            match self.names.kind_of(quest.from_id or ""):
                case "item":
                    begun = Holds(str(quest.from_id), ">=", 1, quest.span)
                case "lock":
                    begun = LockOpen(str(quest.from_id), quest.span)
            if begun is not None:
                when = all_of(begun, quest.needs, QuestIs(quest.id, WAITING))
                made = self.names.made[quest.id, "accept", ""]
                outcome = Outcome(1, 1.0, (StartQuest(quest.id),))
                yield Happening(made, quest.span, when, False, outcome)

    def _goal(self, entry: Entry, number: int, in_turn: bool) -> Goal:
        kinds = [kind for kind in GOALS if entry.has(kind)]
        if len(kinds) != 1:
            message = "a goal asks for exactly one thing"
            hint = f"It is one of: {listing(GOALS)}."
            self.problems.add("missing" if not kinds else "misplaced", message, entry.span, hint)
        kind = kinds[0] if kinds else "meet"
        subject, count = self._goal_subject(entry, kind)
        condition = self._goal_condition(entry, kind, subject, count)
        early = entry.has("early")
        if early and kind not in EARLY:
            message = f'a goal to {kind} never counts early: "early" means nothing here'
            self.problems.add("misplaced", message, entry.where("early"))
        if kind == "deliver" and not entry.has("to"):
            message = "a delivery needs to say to whom or where"
            self.problems.add("missing", message, entry.span, "Add: to: some_person")
        remembered = kind not in ("collect", "meet") or in_turn
        asked = entry.condition("meet")
        name = entry.text("name") or (asked.text if asked and kind == "meet" else "")
        needs = self.resolver.all_of(entry.conditions("needs"))
        return Goal(
            number,
            kind,
            subject,
            count,
            condition,
            needs,
            early,
            name,
            entry.span,
            remembered,
            key_of(entry) if entry.key else "",
        )

    def _goal_subject(self, entry: Entry, kind: str) -> tuple[str, int]:
        """The id that a goal is about, and how many of it."""
        value = entry.values.get(kind)
        if isinstance(value, Amount):
            wanted = "foe" if kind == "defeat" else "item"
            return self.names.find(value.name, wanted) or "", value.count or 1
        if isinstance(value, Name):
            if kind == "do":
                goal_subject = self.names.find(value, *RULE_KINDS, "rule")
            else:
                goal_subject = self.names.find(value, "area" if kind == "visit" else "person")
            return goal_subject or "", 1
        return "", 1

    def _goal_condition(self, entry: Entry, kind: str, subject: str, count: int) -> Cond:
        if kind == "collect" and subject:
            return Holds(subject, ">=", count, entry.span)
        condition = self.resolver.condition(entry.condition("meet")) if kind == "meet" else ALWAYS
        if any(isinstance(atom, GoalMet) for atom in atoms_of(condition)):
            message = "a goal cannot ask whether goals are met: one could ask for itself"
            self.problems.add("bad-condition", message, entry.where("meet"))
            return ALWAYS
        return condition

    def foes(self) -> dict[str, Foe]:
        return {
            key_of(e): Foe(
                key_of(e),
                name_of(e),
                e.span,
                self.resolver.count_of_foe(key_of(e)),
                e.text("returns") == "always",
            )
            for e in self.document.entries("foes")
        }

    def shops(self, items: dict[str, Item]) -> dict[str, Shop]:
        shops = {}
        for entry in self.document.entries("shops"):
            this = key_of(entry)
            if entry.has("keeper") and entry.has("at"):
                message = "a shop is at a place, or where its keeper is, not both"
                self.problems.add("misplaced", message, entry.where("at"))
            sells = tuple(self._wares(entry, "sells", items))
            buys = tuple(self._wares(entry, "buys", items))
            money = self._money(entry, items)
            shops[this] = Shop(this, name_of(entry), entry.span, money, sells, buys)
        return shops

    def _wares(self, entry: Entry, field: str, items: dict[str, Item]) -> Iterator[Ware]:
        for ware in entry.entries(field):
            item = self.names.find(ware.key, "item") if ware.key else None
            if item is None:
                continue
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
        things = tuple(i.id for i in items.values() if i.kind == "thing")
        given = tuple(dict.fromkeys(self.resolver.ids(entry.words("of"), "item")))
        for item in given:
            if items[item].kind != "thing":
                message = f'"{item}" is {items[item].kind}, which weighs nothing'
                self.problems.add("wrong-kind", message, entry.where("of"))
        return Carry(limit or 0, given if entry.has("of") else things, entry.span)


def started_quests(document: Document) -> frozenset[str]:
    """The ids of the quests that some body starts, wherever it stands."""
    quests: set[str] = set()
    pending = [e for entries in document.sections.values() for e in entries]
    while pending:
        entry = pending.pop()
        quests.update(word.text for word in entry.words("starts"))
        for value in entry.values.values():
            inner = value if isinstance(value, tuple) else (value,)
            pending += [v for v in inner if isinstance(v, Entry)]
    return frozenset(quests)
