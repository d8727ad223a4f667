"""Every id of a world, once over all sections and files: defining, making up, looking up."""

from __future__ import annotations

from msgspec import Struct

from zubrel.atoms.diagnostics import Problems
from zubrel.atoms.source import Span
from zubrel.atoms.spelling import nearest
from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.values import Entry

ARTICLES = {"a": "a", "e": "an", "i": "an", "o": "an", "u": "an"}


def with_article(kind: str) -> str:
    return f"{ARTICLES.get(kind[0], 'a')} {kind}"


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

    def define(self, name: Name, kind: str) -> None:
        """Enter an id that the author gave; a second definition is a problem."""
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
        made, number = wanted, 1
        while made in self.known:
            number += 1
            made = f"{wanted}_{number}"
        self.known[made] = Definition(kind, span)
        return made

    def find(self, name: Name, *kinds: str) -> str | None:
        """The id that `name` means when it is of one of `kinds`, else None and a problem."""
        definition = self.known.get(name.text)
        if definition is not None and definition.kind in kinds:
            return name.text
        wanted = " or ".join(kinds)
        if definition is not None:
            message = (
                f'"{name.text}" is {with_article(definition.kind)}, not {with_article(wanted)}'
            )
            self.problems.add("wrong-kind", message, name.span, None,
                              (("it is defined here", definition.span),))  # fmt: skip
            return None
        self.problems.add(
            "unknown-id", f'there is no {wanted} "{name.text}"', name.span, self._hint(name, kinds)
        )
        return None

    def _hint(self, name: Name, kinds: tuple[str, ...]) -> str:
        right = [known for known, d in self.known.items() if d.kind in kinds]
        if near := nearest(name.text, right):
            return f'Did you mean "{near}"?'
        if near := nearest(name.text, self.known):
            return f'There is {with_article(self.known[near].kind)} "{near}".'
        return f'Define "{name.text}", or name one that exists.'

    def kind_of(self, thing_id: str) -> str | None:
        definition = self.known.get(thing_id)
        return definition.kind if definition else None


class _Unnamed(Struct):
    """An entry that waits for a made-up id."""

    entry: Entry
    wanted: str
    kind: str
    owner: Entry | None = None


def name_everything(document: Document, problems: Problems) -> Names:
    """Enter every id of `document`; give those without one an id, in the order of the file.

    Afterwards every entry has a key; ways back have theirs in `Names.back_ids`.
    """
    names = Names(problems)
    for section, kind in (
        ("items", "item"), ("areas", "area"), ("locks", "lock"), ("facts", "fact"),
        ("meters", "meter"), ("endings", "ending"), ("deeds", "deed"),
    ):  # fmt: skip
        for entry in document.entries(section):
            if entry.key:
                names.define(entry.key, kind)
    unnamed = _define_inner(document, names)
    unnamed.sort(key=lambda u: u.entry.span.order()[1:])
    for waiting in unnamed:
        _make_up(waiting, names)
    return names


def _define_inner(document: Document, names: Names) -> list[_Unnamed]:
    """Define the given ids inside entries; return what has none."""
    unnamed: list[_Unnamed] = []

    def visit(entry: Entry, wanted: str, kind: str) -> None:
        if entry.key:
            names.define(entry.key, kind)
        else:
            unnamed.append(_Unnamed(entry, wanted, kind))

    def visit_body(entry: Entry) -> None:
        for number, alternative in enumerate(entry.entries("either"), 1):
            if alternative.key:
                names.define(alternative.key, "alternative")
            else:
                unnamed.append(_Unnamed(alternative, str(number), "alternative", entry))

    for area in document.entries("areas"):
        here = area.key.text if area.key else ""
        for find in area.entries("finds"):
            visit(find, f"{here}_{found_item(find)}", "find")
            visit_body(find)
        for way in area.entries("ways"):
            to = way.word("to")
            there = to.text if to else "nowhere"
            _visit_way(way, here, there, names, unnamed)
            visit_body(way)
        for deed in area.entries("deeds"):
            visit(deed, "deed", "deed")
            visit_body(deed)
    for entry in (*document.entries("deeds"), *document.entries("locks")):
        visit_body(entry)
    for number, happening in enumerate(document.entries("whenever"), 1):
        visit(happening, f"whenever_{number}", "happening")
    return unnamed


def _visit_way(way: Entry, here: str, there: str, names: Names, unnamed: list[_Unnamed]) -> None:
    if way.key:
        names.define(way.key, "way")
        if not way.flag("one_way"):
            names.back_ids[id(way)] = names.make_up(f"{way.key.text}_back", "way", way.span)
    else:
        unnamed.append(_Unnamed(way, f"{here}_to_{there}", "way"))
        names.back_ids[id(way)] = "" if way.flag("one_way") else f"{there}_to_{here}"


def _make_up(waiting: _Unnamed, names: Names) -> None:
    entry, wanted = waiting.entry, waiting.wanted
    if waiting.owner is not None:
        assert waiting.owner.key is not None, "owners are named before their alternatives"
        wanted = f"{waiting.owner.key.text}_{wanted}"
    given = names.make_up(wanted, waiting.kind, entry.span)
    entry.key = Name(given, entry.span)
    back = names.back_ids.get(id(entry))
    if back:
        names.back_ids[id(entry)] = names.make_up(back, "way", entry.span)


def found_item(find: Entry) -> str:
    """The text of the item that a find names, in its short or its long form."""
    amounts = find.values.get("amount")
    if amounts is not None:
        return str(amounts.name.text)
    word = find.word("item")
    return word.text if word else "nothing"
