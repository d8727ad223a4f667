"""The kinds of values that fields take, each with the reader that turns a node into one.

A reader returns None after adding a problem; it never raises for what the user wrote.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from zubrel.atoms.diagnostics import Problems
from zubrel.atoms.source import Span
from zubrel.atoms.spelling import listing, suggestion
from zubrel.authored.conditions import (
    LARGEST_NUMBER,
    WORDS,
    Condition,
    Name,
    parse_condition,
)
from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence
from zubrel.authored.values import Amount, Entry, Setting, Text

ID = re.compile(r"[a-z][a-z0-9_]*\Z")
INTEGER = re.compile(r"[-+]?[0-9]+\Z")
TRUE, FALSE = ("true", "True", "TRUE"), ("false", "False", "FALSE")

Reader = Callable[[Node, Problems], Any]


class Kind(Struct, frozen=True):
    """A kind of value: its name in messages, its reader, and its form for the JSON Schema.

    `form` is a word such as `text` or `amounts`, or a word with what it is made of: `choice` with
    its words, `number` with its least value, `entries`, `keyed` and `entry` with their shape.
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
            elif name.text == "notes":
                read_text(value, problems)
            elif name.text in self.fields:
                self._read_field(entry, name.text, value, name.span, problems)
            else:
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
        value = self.fields[name].kind.read(node, problems)
        if value is not None:
            entry.values[name] = value
            entry.spans[name] = span


def text_span(node: Scalar) -> Span:
    """Where the text of a scalar begins: behind the quote, if it has one."""
    line = node.span.source.line(node.span.line)
    quoted = line[node.span.column - 1 : node.span.column] in ('"', "'")
    return node.span.part(int(quoted), len(node.text))


def read_id(node: Node, problems: Problems, given_twice: Name | None = None) -> Name | None:
    """An id that is being defined: lower-case letters, digits, underscores; no grammar word.

    A bad one is returned all the same, so that what refers to it is not reported as well.
    """
    if given_twice:
        message = f'this already has the id "{given_twice.text}"'
        problems.add("bad-id", message, node.span, 'Remove this "id".')
        return None
    name = read_word(node, problems)
    if name is None:
        return None
    if not ID.match(name.text):
        fixed = re.sub(r"[^a-z0-9_]+", "_", name.text.lower()).strip("_0123456789")
        hint = f'For example "{fixed}"; the name that players see goes into "name".'
        message = f'"{name.text}" cannot be an id: lower-case letters, digits and "_" only'
        problems.add("bad-id", message, name.span, hint if fixed else None)
    elif name.text in WORDS or name.text == "anywhere":
        message = f'"{name.text}" cannot be an id: conditions use the word'
        problems.add("bad-id", message, name.span, f'For example "{name.text}_1".')
    return name


def read_text(node: Node, problems: Problems) -> str | None:
    if isinstance(node, Scalar):
        return node.text
    problems.add("wrong-shape", "this must be a text", node.span, "Put it in quotes.")
    return None


def read_word(node: Node, problems: Problems) -> Name | None:
    if isinstance(node, Scalar) and node.text.strip() and not node.empty:
        return Name(node.text.strip(), text_span(node))
    problems.add("wrong-shape", "this must be a single id", node.span)
    return None


def read_flag(node: Node, problems: Problems) -> bool | None:
    if isinstance(node, Scalar) and node.plain and node.text in TRUE + FALSE:
        return node.text in TRUE
    hint = 'Words such as "yes" and "on" are plain words here.'
    problems.add("wrong-shape", "this must be true or false", node.span, hint)
    return None


def integer(text: str, span: Span, problems: Problems, lowest: int = 0) -> int | None:
    """The whole number in `text`, between `lowest` and `LARGEST_NUMBER`."""
    if not INTEGER.match(text):
        problems.add("wrong-shape", f'"{text}" is not a whole number', span)
        return None
    number = int(text) if len(text) < 20 else LARGEST_NUMBER + 1
    if abs(number) > LARGEST_NUMBER:
        message = f"{text} is beyond {LARGEST_NUMBER:,}, the largest number allowed"
        problems.add("too-large", message, span)
        return None
    if number < lowest:
        problems.add("wrong-shape", f"{number} is too small: at least {lowest}", span)
        return None
    return number


def read_number(lowest: int) -> Reader:
    def read(node: Node, problems: Problems) -> int | None:
        if isinstance(node, Scalar):
            return integer(node.text, node.span, problems, lowest)
        problems.add("wrong-shape", "this must be a number", node.span)
        return None

    return read


def read_odds(node: Node, problems: Problems) -> float | None:
    """A number from 0, whole or with a decimal point."""
    if isinstance(node, Scalar) and re.match(r"[0-9]+(\.[0-9]+)?\Z", node.text):
        number = float(node.text)
        if number <= LARGEST_NUMBER:
            return number
        problems.add("too-large", f"{node.text} is beyond {LARGEST_NUMBER:,}", node.span)
        return None
    problems.add("wrong-shape", "odds are a number from 0", node.span, "For example 1, or 0.5.")
    return None


def read_choice(*words: str) -> Reader:
    def read(node: Node, problems: Problems) -> str | None:
        if isinstance(node, Scalar) and node.text in words:
            return node.text
        given = node.text if isinstance(node, Scalar) else "this"
        message = f'"{given}" is none of: {", ".join(words)}'
        problems.add("wrong-shape", message, node.span, suggestion(given, words))
        return None

    return read


def one_or_list(node: Node) -> list[Node]:
    """The items of a list, a lone value as a list of one, nothing as an empty list."""
    if isinstance(node, Sequence):
        return node.items
    return [] if isinstance(node, Scalar) and node.empty else [node]


def read_words(node: Node, problems: Problems) -> tuple[Name, ...]:
    words = (read_word(item, problems) for item in one_or_list(node))
    return tuple(word for word in words if word)


def read_condition(node: Node, problems: Problems) -> Condition | None:
    if isinstance(node, Scalar):
        return parse_condition(node.text, text_span(node), problems)
    hint = 'Put it in quotes: "any of (a, b)".' if isinstance(node, Mapping) else None
    problems.add("wrong-shape", "this must be a condition", node.span, hint)
    return None


def read_conditions(node: Node, problems: Problems) -> tuple[Condition, ...]:
    conditions = (read_condition(item, problems) for item in one_or_list(node))
    return tuple(c for c in conditions if c)


_AMOUNT = re.compile(r"(?:(all|[0-9]+)\s+)?(\S+)\Z")


def read_amount(node: Node, problems: Problems, all_allowed: bool = False) -> Amount | None:
    match = _AMOUNT.match(node.text.strip()) if isinstance(node, Scalar) else None
    if not isinstance(node, Scalar) or not match:
        hint = 'An amount is "lamp_oil" or "3 lamp_oil".'
        problems.add("wrong-shape", "this must be an amount of an item", node.span, hint)
        return None
    inner = text_span(node)
    name = Name(match[2], inner.part(match.start(2), len(match[2])))
    if match[1] == "all":
        if all_allowed:
            return Amount(None, name, inner)
        hint = 'Only "loses" takes "all".'
        problems.add("wrong-shape", '"all" does not fit here', node.span, hint)
        return None
    count = integer(match[1], inner, problems, 1) if match[1] else 1
    return Amount(count, name, inner) if count is not None else None


def read_amounts(all_allowed: bool = False) -> Reader:
    def read(node: Node, problems: Problems) -> tuple[Amount, ...]:
        amounts = (read_amount(item, problems, all_allowed) for item in one_or_list(node))
        return tuple(a for a in amounts if a)

    return read


def read_settings(numbers_only: bool = False) -> Reader:
    """`{fact: value, meter: number}`."""

    def read(node: Node, problems: Problems) -> tuple[Setting, ...] | None:
        if not isinstance(node, Mapping):
            example = "{vigour: -1}" if numbers_only else "{lamp_lit: true}"
            problems.add("wrong-shape", f"this must be a mapping such as {example}", node.span)
            return None
        settings = []
        for key, value in node.entries:
            read_value = setting_value(value, problems, numbers_only)
            if read_value is not None:
                settings.append(Setting(Name(key.text, text_span(key)), read_value, value.span))
        return tuple(settings)

    return read


def setting_value(
    node: Node, problems: Problems, numbers_only: bool = False
) -> int | bool | Name | None:
    """A whole number, true, false or a word."""
    if isinstance(node, Scalar) and not node.empty:
        if numbers_only or INTEGER.match(node.text):
            return integer(node.text, node.span, problems, -LARGEST_NUMBER)
        if node.plain and node.text in TRUE + FALSE:
            return node.text in TRUE
    return read_word(node, problems)


def read_texts(node: Node, problems: Problems) -> tuple[Text, ...]:
    """A text, or a list of texts and of `{when, text}`."""
    texts = []
    for item in one_or_list(node):
        if isinstance(item, Scalar):
            texts.append(Text(item.text, None, item.span))
        elif (entry := CONDITIONAL_TEXT.read(item, problems)) is not None:
            when = entry.values.get("when")
            texts.append(Text(entry.text("text") or "", when, entry.span))
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
            problems.add("wrong-shape", f"this must be a mapping from id to {shape.title}",
                         node.span, hint)  # fmt: skip
            return ()
        entries = []
        for key, value in node.entries:
            name = read_id(key, problems)
            if name:
                entries.append(shape.read(value, problems, name) or Entry(name, name.span))
        return tuple(entries)

    return read


def read_drop(node: Node, problems: Problems) -> Any:
    """`true`, `false`, or a list of areas."""
    if isinstance(node, Scalar) and node.plain and node.text in TRUE + FALSE:
        return node.text in TRUE
    return read_words(node, problems)


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


TEXT = Kind("text", read_text, ("text",))
FLAG = Kind("true or false", read_flag, ("flag",))
WORD = Kind("id", read_word, ("id",))
WORDS_KIND = Kind("ids", read_words, ("ids",))
CONDITION = Kind("condition", read_condition, ("condition",))
CONDITIONS = Kind("conditions", read_conditions, ("conditions",))
AMOUNT = Kind("amount", read_amount, ("amount",))
AMOUNTS = Kind("amounts", read_amounts(), ("amounts",))
AMOUNTS_OR_ALL = Kind("amounts, or all of an item", read_amounts(True), ("amounts",))
SETTINGS = Kind("values of facts and meters", read_settings(), ("settings",))
CHANGES = Kind("changes of meters", read_settings(numbers_only=True), ("changes",))
TEXTS = Kind("text, or texts with conditions", read_texts, ("texts",))
ODDS = Kind("number from 0", read_odds, ("odds",))

CONDITIONAL_TEXT = Shape(
    "a text with a condition",
    {
        "when": Field(CONDITION, "The text is shown while this holds; without it, always."),
        "text": Field(TEXT, "What the player is told."),
    },
)
