"""The kinds of values that fields take, and the shapes of entries that are made of fields."""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from zubrel.authored.conditions import Name
from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.readers import (
    ID,
    Reader,
    one_or_list,
    read_amount,
    read_amounts,
    read_choice,
    read_condition,
    read_conditions,
    read_flag,
    read_id,
    read_number,
    read_odds,
    read_settings,
    read_text,
    read_word,
    read_words,
)
from zubrel.authored.values import Entry, Text
from zubrel.base.diagnostics import Problems
from zubrel.base.plain import plain
from zubrel.base.source import Span
from zubrel.base.spelling import listing, suggestion


class Kind(Struct, frozen=True):
    """A kind of value: its name in messages, its reader, and its form for the JSON Schema.

    `form` is a word such as `text` or `amounts`, or a word with what it is made of: `choice` with
    its words, `number` with its least value, `entries`, `keyed` and `entry` with their shape, `id`,
    `ids`, `amount` and `amounts` with the kinds of things that may be named (none: any), and behind
    them words that may stand there too; `keyed` of keys that name things with their kinds behind
    the shape.
    """

    title: str
    read: Reader
    form: tuple[Any, ...] = ()


class Field(Struct, frozen=True):
    """A field of an entry: what it may hold, and one sentence on what it means."""

    kind: Kind
    about: str


class Shape(Struct, frozen=True):
    """What an entry may hold. `short` is the field that a lone scalar stands for."""

    title: str
    fields: dict[str, Field]
    short: str | None = None

    def read(self, node: Node, problems: Problems, key: Name | None = None) -> Entry | None:
        """The entry in `node`; None when it is not even a mapping."""
        span = key.span if key else node.span
        if isinstance(node, Scalar) and node.empty:
            return Entry(key, span)
        if isinstance(node, Mapping):
            return self._read_mapping(node, problems, key, span)
        # one value alone stands for the field that the shape names
        if isinstance(node, Scalar) and self.short:
            entry = Entry(key, span, short=True)
            self._read_field(entry, self.short, node, node.span, problems)
            return entry
        problems.add(
            "wrong-shape",
            f"{self.title} must be a mapping of fields",
            node.span,
            f"It may have: {listing(self.fields)}.",
        )
        return None

    def _read_mapping(
        self, node: Mapping, problems: Problems, key: Name | None, span: Span
    ) -> Entry:
        entry = Entry(key, span)
        for name, value in node.entries:
            if name.text == "id" and "id" not in self.fields:
                entry.key = read_id(name if key else value, problems, given_twice=key)
                entry.span = entry.key.span if entry.key else entry.span
            elif name.text in self.fields:
                self._read_field(entry, name.text, value, name.span, problems)
            elif name.text != "notes":  # in which anything may stand
                self._unknown(name, value, problems)
        return entry

    def _unknown(self, name: Scalar, value: Node, problems: Problems) -> None:
        hint = suggestion(name.text, self.fields) or f"It may have: {listing(self.fields, 40)}."
        if isinstance(value, Scalar) and value.empty and not ID.match(name.text):
            hint = "Inside {braces}, a text with a comma in it must stand in quotes."
        message = f'{self.title} has no field "{name.text}"'
        problems.add("unknown-key", message, name.span, hint)

    def _read_field(
        self, entry: Entry, name: str, node: Node, span: Span, problems: Problems
    ) -> None:
        # of what cannot be read the place is known all the same: it is wrong, and not missing
        entry.spans[name] = span
        value = self.fields[name].kind.read(node, problems)
        if value is not None:
            entry.values[name] = value


def read_texts(node: Node, problems: Problems) -> tuple[Text, ...]:
    """A text, or a list of texts, of `{when, text}` and of `{when, also}`."""
    texts = []
    for item in one_or_list(node):
        if isinstance(item, Scalar):
            texts.append(Text(plain(item.text), None, item.span))
        elif (entry := CONDITIONAL_TEXT.read(item, problems)) is not None:
            # the text under `also` is shown beside the one that applies
            when, also = entry.values.get("when"), entry.text("also")
            if also is not None and entry.has("text"):
                message = '"also" is a text of its own: it does not go with "text"'
                problems.add("misplaced", message, entry.where("also"))
            text = entry.text("text") if also is None else also
            texts.append(Text(text or "", when, entry.span, also is not None))
    return tuple(texts)


def read_entries(shape: Shape) -> Reader:
    """A list of entries; a lone one need not be in a list."""

    def read(node: Node, problems: Problems) -> tuple[Entry, ...]:
        entries = (shape.read(item, problems) for item in one_or_list(node))
        return tuple(e for e in entries if e)

    return read


def read_keyed(shape: Shape) -> Reader:
    """A mapping from id to entry."""

    def read(node: Node, problems: Problems) -> tuple[Entry, ...]:
        if isinstance(node, Scalar) and node.empty:
            return ()
        if not isinstance(node, Mapping):
            hint = 'Write "some_id:" and its fields below it, indented.'
            problems.add(
                "wrong-shape", f"this must be a mapping from id to {shape.title}", node.span, hint
            )
            return ()
        entries = []
        for key, value in node.entries:
            name = read_id(key, problems)
            if name:
                # an entry that cannot be read still has its id: what refers to it is no further
                # mistake
                entries.append(shape.read(value, problems, name) or Entry(name, name.span))
        return tuple(entries)

    return read


def id_of(*kinds: str) -> Kind:
    """The id of one thing of one of some kinds."""
    return Kind("id", read_word, ("id", kinds))


def ids_of(*kinds: str) -> Kind:
    """The ids of any number of things of some kinds."""
    return Kind("ids", read_words, ("ids", kinds))


def choice(*words: str) -> Kind:
    return Kind(" or ".join(words), read_choice(*words), ("choice", words))


def number(lowest: int) -> Kind:
    return Kind("number", read_number(lowest), ("number", lowest))


def entries_of(shape: Shape) -> Kind:
    return Kind(f"list of {shape.title}", read_entries(shape), ("entries", shape))


def entry_of(shape: Shape) -> Kind:
    return Kind(shape.title, shape.read, ("entry", shape))


def keyed_by_id(shape: Shape) -> Kind:
    return Kind(f"mapping to {shape.title}", read_keyed(shape), ("keyed", shape))


def keyed_by_item(shape: Shape) -> Kind:
    """As `keyed_by_id`, where the ids are of items that stand elsewhere."""
    return Kind(f"mapping to {shape.title}", read_keyed(shape), ("keyed", shape, ("item",)))


def keyed_by_item_or_all(shape: Shape) -> Kind:
    """As `keyed_by_item`, or the word `all`, which is read as `ALL`."""
    keyed = read_keyed(shape)

    def read(node: Node, problems: Problems) -> object:
        if isinstance(node, Scalar) and node.text == ALL:
            return ALL
        return keyed(node, problems)

    return Kind(f"mapping to {shape.title}, or all", read, ("keyed or all", shape, ("item",)))


ALL, ANYWHERE = "all", "anywhere"
RULE_KINDS = ("deed", "lock", "find", "way", "alternative", "talk", "recipe", "foe")
"""Kinds of things that a player can do, and that have ids of the author's."""
TEXT = Kind("text", read_text, ("text",))
FLAG = Kind("true or false", read_flag, ("flag",))
WORD = Kind("id", read_word, ("word",))
IDS = Kind("ids", read_words, ("ids", ()))
AREAS = Kind("ids", read_words, ("ids", ("area",), (ANYWHERE,)))
CONDITION = Kind("condition", read_condition, ("condition",))
CONDITIONS = Kind("conditions", read_conditions, ("conditions",))
AMOUNT = Kind("amount", read_amount, ("amount", ("item",)))
AMOUNT_OF_FOES = Kind("amount", read_amount, ("amount", ("foe",)))
AMOUNTS = Kind("amounts", read_amounts(), ("amounts", ("item",)))
AMOUNTS_OR_ALL = Kind("amounts, or all of an item", read_amounts(True), ("amounts", ("item",)))
SETTINGS = Kind("values of facts and meters", read_settings(), ("settings",))
CHANGES = Kind("changes of meters", read_settings(numbers_only=True), ("changes",))
TEXTS = Kind("text, or texts with conditions", read_texts, ("texts",))
ODDS = Kind("number from 0", read_odds, ("odds",))

CONDITIONAL_TEXT = Shape(
    "a text with a condition",
    {
        "when": Field(CONDITION, "The text is shown while this holds; without it, always."),
        "text": Field(TEXT, "What the player is told."),
        "also": Field(TEXT, "What is told beside the first text that applies."),
    },
)
