"""Readers: a node of the file becomes a value, or a problem with a way out.

A reader returns None after adding a problem; it never raises for what the user wrote.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from zubrel.authored.condition_words import WORDS
from zubrel.authored.conditions import (
    LARGEST_NUMBER,
    Condition,
    Name,
    parse_condition,
)
from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence
from zubrel.authored.values import Amount, Setting
from zubrel.base.diagnostics import Problems
from zubrel.base.plain import plain
from zubrel.base.source import Span
from zubrel.base.spelling import suggestion

ID = re.compile(r"[a-z][a-z0-9_]*\Z")
INTEGER = re.compile(r"[-+]?[0-9]+\Z")
TRUE, FALSE = ("true", "True", "TRUE"), ("false", "False", "FALSE")

Reader = Callable[[Node, Problems], Any]


def text_span(node: Scalar) -> Span:
    """Where the text of a scalar begins: behind the quote, if it has one."""
    line = node.span.source.line(node.span.line)
    # a span begins at the quote, and a caret belongs under the text
    quoted = line[node.span.column - 1 : node.span.column] in ('"', "'")
    return node.span.part(int(quoted), len(node.text))


def read_id(node: Node, problems: Problems, given_twice: Name | None = None) -> Name | None:
    """An id that is being defined: lower-case letters, digits, underscores; no grammar word.

    A bad one is returned all the same, so that what refers to it is not reported as well.
    """
    # an id by its key and another in a field would be two names of one thing
    if given_twice:
        message = f'this already has the id "{given_twice.text}"'
        problems.add("bad-id", message, node.span, 'Remove this "id".')
        return None
    name = read_word(node, problems)
    if name is None:
        return None
    if not ID.match(name.text):
        # the way out is written for them: most bad ids are names with blanks
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
        return plain(node.text)
    hint = "Put it in quotes."
    if isinstance(node, Sequence):
        hint = 'Write one text: only "says" and "refuses" take several.'
    problems.add("wrong-shape", "this must be a text", node.span, hint)
    return None


def read_word(node: Node, problems: Problems) -> Name | None:
    if isinstance(node, Scalar) and node.text.strip() and not node.empty:
        return Name(plain(node.text.strip()), text_span(node))
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
    # to make a number of a million digits would take minutes
    number = int(text) if len(text) < 20 else LARGEST_NUMBER + 1
    if abs(number) > LARGEST_NUMBER:
        message = f"{text} is beyond {LARGEST_NUMBER:,}, the largest number allowed"
        problems.add("too-large", message, span)
        return None
    # after the length: a number that is too long has been told already
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
    if isinstance(node, Sequence):
        hint = _joined_hint(node)
    problems.add("wrong-shape", "this must be a condition", node.span, hint)
    return None


def _joined_hint(node: Sequence) -> str | None:
    """How a list is written where a single condition is asked for."""
    texts = [item.text for item in node.items if isinstance(item, Scalar)]
    if not texts or len(texts) < len(node.items):
        return None
    # as all of them are meant, what has alternatives is held together
    parts = [f"({text})" if len(texts) > 1 and " or " in text else text for text in texts]
    return f"Here it is one condition:  {' and '.join(parts)}"


def read_conditions(node: Node, problems: Problems) -> tuple[Condition, ...]:
    conditions = (read_condition(item, problems) for item in one_or_list(node))
    return tuple(c for c in conditions if c)


_AMOUNT = re.compile(r"(?:(all|[0-9]+)\s+)?(\S+)\Z")


def read_amount(node: Node, problems: Problems, all_allowed: bool = False) -> Amount | None:
    # "3 oil" and "oil" are the same kind of thing, and so is "all oil" where it is allowed
    match = _AMOUNT.match(node.text.strip()) if isinstance(node, Scalar) else None
    if not isinstance(node, Scalar) or not match:
        hint = 'An amount is "lamp_oil" or "3 lamp_oil".'
        problems.add("wrong-shape", "this must be an amount of an item", node.span, hint)
        return None
    # without the quotes that may stand around it
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
            # a bad value has been told: the others are read on
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


def read_drop(node: Node, problems: Problems) -> Any:
    """`true`, `false`, or a list of areas."""
    if isinstance(node, Scalar) and node.plain and node.text in TRUE + FALSE:
        return node.text in TRUE
    if isinstance(node, Scalar) and node.text == "anywhere":
        problems.add("wrong-shape", '"anywhere" is no area', node.span, "Write: drop: true")
        return None
    return read_words(node, problems)


def read_values(node: Node, problems: Problems) -> object:
    """The list of a fact's values: at least two words."""
    if isinstance(node, Sequence) and len(node.items) >= 2:
        words = [read_word(item, problems) for item in node.items]
        return tuple(w for w in words if w)
    problems.add(
        "wrong-shape",
        "a fact needs a list of at least two values",
        node.span,
        "For example: values: [low, high]",
    )
    return None


def read_start(node: Node, problems: Problems) -> object:
    """What a fact is at the start: true, false or a word."""
    value = setting_value(node, problems)
    # true counts as a number for Python
    if isinstance(value, bool) or not isinstance(value, int):
        return value
    problems.add(
        "wrong-shape",
        "a fact is true, false or one of its values",
        node.span,
        "A number that goes up and down is a meter.",
    )
    return None
