"""Every place of a world where an id is given or named.

Found by the shapes of the language from what has been read, before anything is resolved: a world
that cannot be checked yet has its occurrences all the same.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition, Name
from zubrel.authored.document import Document
from zubrel.authored.kinds import RULE_KINDS, Kind, Shape
from zubrel.authored.shapes import SECTIONS, START
from zubrel.authored.values import Amount, Entry, Setting, Text
from zubrel.base.source import Span
from zubrel.checked.names import KINDS

ITEM_OR_METER = ("item", "meter")
OF_STATE = {
    "open": ("lock",),
    "shut": ("lock",),
    "visited": ("area",),
    "met": ("person", "goal"),
    "here": ("person",),
    "beaten": ("foe",),
    "taken": ("find",),
    "waiting": ("quest",),
    "active": ("quest",),
    "failed": ("quest",),
    "done": ("quest", *RULE_KINDS),
}
"""By the word behind `is` the kinds of what may stand before it."""
AS_ENTRY = {
    "a find": "find",
    "a way": "way",
    "a deed": "deed",
    "an alternative": "alternative",
    "a way of fighting": "alternative",
    "a talk": "talk",
    "a goal": "goal",
    "a happening": "happening",
    "a promise": "promise",
}
"""By the title of a shape the kind of an entry that has its id in a field of its own."""


class Occurrence(Struct, frozen=True):
    """An id at a place. `kinds` are those that may stand there (none: any), or, where it is given
    (`defines`), the one that it is."""

    name: str
    span: Span
    kinds: tuple[str, ...]
    defines: bool = False


class Occurrences:
    """All of a document: by names, and by the lines of each file."""

    def __init__(self, document: Document) -> None:
        every = list(dict.fromkeys(_of_document(document)))
        self.definitions: dict[str, Occurrence] = {}
        """By ids the place where each was given first."""
        for one in every:
            if one.defines:
                self.definitions.setdefault(one.name, one)
        # a word that a fact is compared with may be a value and no id: known only with all
        # definitions
        self.every = [one for one in every if not self._is_value(one)]
        self.by_name: dict[str, list[Occurrence]] = {}
        # an editor asks by place, and files have many lines with few ids each
        self._by_line: dict[tuple[str, int], list[Occurrence]] = {}
        for one in self.every:
            self.by_name.setdefault(one.name, []).append(one)
            self._by_line.setdefault((one.span.source.path, one.span.line), []).append(one)

    def _is_value(self, one: Occurrence) -> bool:
        """Whether it is a word that a fact is compared with: that is no id, whatever it is called.

        Only items and meters are compared with others of their kind.
        """
        if not isinstance(one, _Compared):
            return False
        beside = self.definitions.get(one.beside)
        return beside is None or beside.kinds[0] not in ITEM_OR_METER

    def at(self, path: str, line: int, column: int) -> Occurrence | None:
        """The id that a place (from 1) stands in, or right behind."""
        for one in self._by_line.get((path, line), ()):
            if one.span.column <= column <= one.span.column + one.span.width:
                return one
        return None

    def of_kinds(self, *kinds: str) -> Iterator[Occurrence]:
        """The definitions of some kinds (none: all), in the order of the files."""
        for one in self.definitions.values():
            if not kinds or one.kinds[0] in kinds:
                yield one


class _Compared(Occurrence, frozen=True):
    """What stands behind a comparison: an id only if the one before is an item or a meter."""

    beside: str = ""


def _of_document(document: Document) -> Iterator[Occurrence]:
    if document.start is not None:
        yield from _of_entry(document.start, START)
    for name, entries in document.sections.items():
        section = SECTIONS[name]
        keyed = KINDS.get(name)
        for entry in entries:
            if keyed and entry.key is not None:
                yield Occurrence(entry.key.text, entry.key.span, (keyed,), True)
                yield from _of_fields(entry, section.shape)
            else:
                yield from _of_entry(entry, section.shape)


def _of_entry(entry: Entry, shape: Shape) -> Iterator[Occurrence]:
    """Of an entry that may have an id in a field."""
    kind = AS_ENTRY.get(shape.title)
    if entry.key is not None and kind is not None:
        yield Occurrence(entry.key.text, entry.key.span, (kind,), True)
    yield from _of_fields(entry, shape)


def _of_fields(entry: Entry, shape: Shape) -> Iterator[Occurrence]:
    for name, value in entry.values.items():
        if name in shape.fields:
            yield from _of_value(value, shape.fields[name].kind)


def _of_value(value: object, kind: Kind) -> Iterator[Occurrence]:
    """The ids in the value of a field; a list of values is a tuple."""
    form, *parts = kind.form
    # one value is a list of one
    for one in value if isinstance(value, tuple) else (value,):
        match one:
            # entries under ids, and not in a list: their keys are occurrences as well
            case Entry() if len(parts) == 2:
                if one.key is not None:
                    yield Occurrence(one.key.text, one.key.span, parts[1])
                yield from _of_fields(one, parts[0])
            case Entry():
                yield from _of_entry(one, parts[0])
            case Name() if form in ("id", "ids", "flag or ids"):
                yield Occurrence(one.text, one.span, parts[0])
            case Amount():
                yield Occurrence(one.name.text, one.name.span, parts[0])
            case Setting():
                # only meters are changed by an amount
                kinds = ("meter",) if form == "changes" else ("fact", "meter")
                yield Occurrence(one.name.text, one.name.span, kinds)
            case Condition() | Text(when=Condition()):
                condition = one if isinstance(one, Condition) else one.when
                assert condition is not None
                yield from _of_condition(condition.tree)


def occurrences_in(condition: Condition) -> Iterator[Occurrence]:
    """The ids that a condition names, and the words that facts are compared with."""
    return _of_condition(condition.tree)


def _of_condition(tree: syntax.Syntax) -> Iterator[Occurrence]:
    match tree:
        case syntax.Named(name):
            # alone, a word may be an item or a fact: any kind will do
            yield Occurrence(name.text, name.span, ())
        case syntax.Quantity(_, name):
            yield Occurrence(name.text, name.span, ("item",))
        case syntax.Comparison(name, _, value):
            yield Occurrence(name.text, name.span, ("item", "meter", "fact", "goal"))
            if isinstance(value, Name):
                yield _Compared(value.text, value.span, ITEM_OR_METER, beside=name.text)
        case syntax.TotalComparison(terms):
            yield from (Occurrence(n.text, n.span, ITEM_OR_METER) for _, n in terms)
        case syntax.AtArea(name):
            yield Occurrence(name.text, name.span, ("area",))
        case syntax.IsState(name, state):
            yield Occurrence(name.text, name.span, OF_STATE[state])
        case syntax.InStore(item, store):
            yield Occurrence(item.text, item.span, ("item",))
            yield Occurrence(store.text, store.span, ("store",))
        case syntax.Lies(item, area):
            yield Occurrence(item.text, item.span, ("item",))
            yield Occurrence(area.text, area.span, ("area",))
        case syntax.Negation(part):
            yield from _of_condition(part)
        case syntax.Conjunction(several) | syntax.Disjunction(several):
            for part in several:
                yield from _of_condition(part)
        case syntax.CountedParts(_, several):
            for part in several:
                yield from _of_condition(part)
