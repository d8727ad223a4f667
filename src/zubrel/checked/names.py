"""Every id of a world, once over all sections and files: defining, making up, looking up."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.kinds import ALL
from zubrel.authored.values import Entry
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span
from zubrel.base.spelling import nearest

VERY_NEAR = 0.8
"""How alike a thing of another kind must be named to be offered all the same."""
MEANT = 3
"""Ids that are offered at most."""


def with_article(kind: str) -> str:
    return f"{'an' if kind[0] in 'aeiou' else 'a'} {kind}"


class Definition(Struct, frozen=True):
    """What an id stands for, and where it was given."""

    kind: str
    span: Span


class Names:
    """The one namespace of a world."""

    def __init__(self, problems: Problems) -> None:
        self.problems = problems
        self.known: dict[str, Definition] = {}
        self.back_ids: dict[int, str] = {}
        self._hints: dict[tuple[str, tuple[str, ...], str], str] = {}
        self.made: dict[tuple[str, ...], str] = {}

    def define(self, name: Name, kind: str) -> None:
        """Enter an id that the author gave; a second definition is a problem."""
        # the first keeps the id: all that refers to it is still resolved, and told of once
        earlier = self.known.get(name.text)
        if earlier is None:
            self.known[name.text] = Definition(kind, name.span)
            return
        self.problems.add(
            "defined-twice",
            f'"{name.text}" is already the id of {with_article(earlier.kind)}',
            name.span,
            "Ids are shared by all sections: give one of the two another id.",
            ((f"this {earlier.kind}", earlier.span),),
        )

    def make_up(self, wanted: str, kind: str, span: Span) -> str:
        """A free id: `wanted`, or `wanted_2`, `wanted_3`, …"""
        # numbers begin at 2, since the first one is called by the name alone
        made, number = wanted, 1
        while made in self.known:
            number += 1
            made = f"{wanted}_{number}"
        self.known[made] = Definition(kind, span)
        return made

    def find(self, name: Name, *kinds: str, instead: str = "") -> str | None:
        """The id that `name` means when it is of one of `kinds`, else None and a problem.

        `instead`: the way out where it is of another kind, and no other id seems to be meant.
        """
        definition = self.known.get(name.text)
        if definition is not None and definition.kind in kinds:
            return name.text
        wanted = " or ".join(kinds)
        # the id is known, and is something else: the place of its definition tells more than a
        # guess
        if definition is not None:
            asked = " or ".join(map(with_article, kinds))
            message = f'"{name.text}" is {with_article(definition.kind)}, not {asked}'
            self.problems.add(
                "wrong-kind",
                message,
                name.span,
                self._hint(name, kinds, instead),
                (("it is defined here", definition.span),),
            )
            return None
        self.problems.add(
            "unknown-id",
            f'there is no {wanted} "{name.text}"',
            name.span,
            self._hint(name, kinds, instead),
        )
        return None

    def _hint(self, name: Name, kinds: tuple[str, ...], instead: str) -> str:
        """Looked for once for each word: a world may have the same fault ten thousand times."""
        key = (name.text, kinds, instead)
        if key not in self._hints:
            self._hints[key] = self._new_hint(*key)
        return self._hints[key]

    def _new_hint(self, word: str, kinds: tuple[str, ...], instead: str) -> str:
        right = [known for known, d in self.known.items() if d.kind in kinds]
        if word in self.known:
            # what lies somewhere is called by the place and by what it is
            meant = [f'"{known}"' for known in right if known.endswith(f"_{word}")]
            asked = " or ".join(map(with_article, kinds))
            other = instead or f"Name {asked}, or ask something else of it."
            return f"Did you mean {' or '.join(meant[:MEANT])}?" if meant else other
        # one of the right kind first; one of another kind only where it is all but the same word
        if near := nearest(word, right):
            return f'Did you mean "{near}"?'
        if near := nearest(word, self.known, VERY_NEAR):
            return f'There is {with_article(self.known[near].kind)} "{near}".'
        return f'Define "{word}", or name one that exists.'

    def kind_of(self, thing_id: str) -> str | None:
        definition = self.known.get(thing_id)
        return definition.kind if definition else None


KINDS = {
    "items": "item",
    "areas": "area",
    "locks": "lock",
    "facts": "fact",
    "meters": "meter",
    "endings": "ending",
    "deeds": "deed",
    "people": "person",
    "quests": "quest",
    "recipes": "recipe",
    "foes": "foe",
    "shops": "shop",
    "stores": "store",
}
SECTION_OF = {kind: section for section, kind in KINDS.items()}


def name_everything(document: Document, problems: Problems) -> Names:
    """Enter every id of `document`; give those without one an id, in the order of the files.

    Afterwards every entry has a key; ways back have theirs in `Names.back_ids`, and the rules
    that the language makes by itself in `Names.made`.
    """
    names = Names(problems)
    # all written ids first: those that are made up must not take one of them
    for section, kind in KINDS.items():
        for entry in document.entries(section):
            if entry.key:
                names.define(entry.key, kind)
    _Namer(document, names).run()
    return names


class _Unnamed(Struct):
    """Something that waits for a made-up id: an entry, or a rule that the language makes."""

    span: Span
    wanted: str
    kind: str
    entry: Entry | None = None
    owner: Entry | None = None
    made: tuple[str, ...] = ()
    back: str = ""


class _Namer:
    def __init__(self, document: Document, names: Names) -> None:
        self.document = document
        self.names = names
        self.waiting: list[_Unnamed] = []

    def run(self) -> None:
        for shop in self.document.entries("shops"):
            # written out here, so that nobody after this has to know of it
            if shop.values.get("buys") == ALL:
                shop.values["buys"] = tuple(self._whatever_has_a_price(shop))
        self._areas()
        for section in ("deeds", "locks", "recipes", "foes"):
            for entry in self.document.entries(section):
                self._body(entry)
        self._made_by_the_language()
        for section, kind in (("whenever", "happening"), ("promises", "promise")):
            word = "whenever" if kind == "happening" else kind
            for number, entry in enumerate(self.document.entries(section), 1):
                self._visit(entry, f"{word}_{number}", kind)
        order = self.document.order_of
        # only now, when all given ids are known; and in the order of the files, whatever section
        # comes first here
        for unnamed in sorted(self.waiting, key=lambda u: order(u.span)):
            self._make_up(unnamed)

    def _whatever_has_a_price(self, shop: Entry) -> Iterator[Entry]:
        """What a shop buys that buys everything: things with a price, for that price."""
        for item in self.document.entries("items"):
            thing = item.text("kind") or "thing"
            if item.key and item.has("price") and thing == "thing":
                yield Entry(Name(item.key.text, shop.where("buys")), shop.where("buys"))

    def _areas(self) -> None:
        for area in self.document.entries("areas"):
            # ids of finds and ways are made of where they are and what they are about
            here = area.key.text if area.key else ""
            for find in area.entries("finds"):
                self._visit(find, f"{here}_{found_item(find)}", "find")
                self._body(find)
            for way in area.entries("ways"):
                to = way.word("to")
                self._way(way, here, to.text if to else "nowhere")
                self._body(way)
            for deed in area.entries("deeds"):
                self._visit(deed, "deed", "deed")
                self._body(deed)

    def _made_by_the_language(self) -> None:
        # each rule that the language makes gets its id here, whether or not it is ever possible
        self._deals()
        for entry in self.document.entries("people"):
            for talk in entry.entries("talk"):
                self._visit(talk, f"{_text(entry)}_talk", "talk")
                self._body(talk)
        for entry in self.document.entries("quests"):
            self._quest(entry)
        for entry in self.document.entries("foes"):
            ways = len(entry.entries("either"))
            # each way of fighting takes off its own share, and so has blows of its own
            for part in map(str, range(1, ways + 1)) if ways else ("",):
                if (entry.number("health") or 1) > 1:
                    self._rule(entry, "blow", part)
        for entry in self.document.entries("shops"):
            for ware in entry.entries("sells"):
                self._rule(entry, "buy", _text(ware))
            for ware in entry.entries("buys"):
                self._rule(entry, "sell", _text(ware))
        for entry in self.document.entries("stores"):
            for item in kept_items(entry, self.document):
                self._rule(entry, "put", item)
                self._rule(entry, "take", item)
        for entry in self.document.entries("items"):
            if entry.values.get("drop"):
                self._rule(entry, "drop")
                self._rule(entry, "pick_up")

    def _deals(self) -> None:
        start = self.document.start
        for deal in start.entries("deal") if start is not None else ():
            for item in dict.fromkeys(word.text for word in deal.words("of")):
                made = ("start", "dealt", item)
                self.waiting.append(_Unnamed(deal.span, f"dealt_{item}", "find", made=made))
                for area in dict.fromkeys(word.text for word in deal.words("over")):
                    made = ("start", "deal", f"{item} {area}")
                    wanted = f"deal_{item}_{area}"
                    self.waiting.append(_Unnamed(deal.span, wanted, "rule", made=made))

    def _quest(self, entry: Entry) -> None:
        if entry.has("from"):
            self._rule(entry, "accept")
        for goal in entry.entries("goals"):
            if goal.key:
                self.names.define(goal.key, "goal")
            delivered = goal.amount("deliver")
            if delivered:
                # a quest may ask for the same item twice: which goal it is tells them apart
                self._rule(entry, "deliver", delivered.name.text, str(id(goal)), goal.span)
        if entry.has("hand_in"):
            self._rule(entry, "hand_in")

    def _rule(
        self, owner: Entry, what: str, item: str = "", extra: str = "", span: Span | None = None
    ) -> None:
        """A rule that the language makes: `OWNER_WHAT` or `OWNER_WHAT_ITEM`."""
        wanted = "_".join(part for part in (_text(owner), what, item) if part)
        made = (_text(owner), what, extra or item)
        self.waiting.append(_Unnamed(span or owner.span, wanted, "rule", made=made))

    def _visit(self, entry: Entry, wanted: str, kind: str) -> None:
        if entry.key:
            self.names.define(entry.key, kind)
        else:
            self.waiting.append(_Unnamed(entry.span, wanted, kind, entry))

    def _body(self, entry: Entry) -> None:
        for number, alternative in enumerate(entry.entries("either"), 1):
            if alternative.key:
                self.names.define(alternative.key, "alternative")
            else:
                self.waiting.append(
                    _Unnamed(alternative.span, str(number), "alternative", alternative, entry)
                )

    def _way(self, way: Entry, here: str, there: str) -> None:
        both_ways = not way.flag("one_way")
        if not way.key:
            back = f"{there}_to_{here}" if both_ways else ""
            self.waiting.append(_Unnamed(way.span, f"{here}_to_{there}", "way", way, back=back))
            return
        self.names.define(way.key, "way")
        if both_ways:
            # at once, since it follows from an id that the author gave
            back = self.names.make_up(f"{way.key.text}_back", "way", way.span)
            self.names.back_ids[id(way)] = back

    def _make_up(self, unnamed: _Unnamed) -> None:
        wanted = unnamed.wanted
        if unnamed.owner is not None:
            wanted = f"{_text(unnamed.owner)}_{wanted}"
        # the owner has its id by now: it stands before what is in it
        given = self.names.make_up(wanted, unnamed.kind, unnamed.span)
        if unnamed.entry is None:
            self.names.made[unnamed.made] = given
            return
        unnamed.entry.key = Name(given, unnamed.span)
        if unnamed.back:
            back = self.names.make_up(unnamed.back, "way", unnamed.span)
            self.names.back_ids[id(unnamed.entry)] = back


def kept_items(store: Entry, document: Document) -> list[str]:
    """The items that a store takes: those it names, or every thing and money that is no tool."""
    if store.has("keeps"):
        return list(dict.fromkeys(word.text for word in store.words("keeps")))
    return [
        _text(item)
        for item in document.entries("items")
        if item.text("kind") != "knowledge" and not item.has("uses")
    ]


def _text(entry: Entry) -> str:
    return entry.key.text if entry.key else "?"


def found_item(find: Entry) -> str:
    """The text of the item that a find names, in its short or its long form."""
    amount = find.amount("amount")
    if amount is not None:
        return amount.name.text
    word = find.word("item")
    return word.text if word else "nothing"
