"""Changes to a text at places of its nodes: comments, order and layout stay as they are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.nodes import Sequence as List
from zubrel.base.source import BREAKS, Span


class Edit(Struct, frozen=True):
    """`width` characters at a line and a column (from 1) are replaced by a text."""

    line: int
    column: int
    width: int
    text: str


def replaced(span: Span, text: str) -> Edit:
    """What stands at a span is replaced."""
    return Edit(span.line, span.column, span.width, text)


def applied(text: str, edits: Sequence[Edit]) -> str:
    """The text with some edits, none of which overlap."""
    starts = [0, *(m.end() for m in BREAKS.finditer(text))]
    for edit in sorted(edits, key=lambda e: (e.line, e.column), reverse=True):
        begin = starts[edit.line - 1] + edit.column - 1
        text = text[:begin] + edit.text + text[begin + edit.width :]
    return text


def with_key(body: Mapping, key: str, value: str) -> Edit | None:
    """A new key of a mapping, before the others; None where it stands in no form that is known."""
    line = body.span.source.line(body.span.line)
    if line[body.span.column - 1 : body.span.column] == "{":
        comma = ", " if body.entries else ""
        return Edit(body.span.line, body.span.column + 1, 0, f"{key}: {value}{comma}")
    if not body.entries:
        return None
    first = body.entries[0][0].span
    before = first.source.line(first.line)[: first.column - 1]
    if before.strip(" -"):
        return None  # keys that share their line with something else
    indent = " " * len(before)
    return Edit(first.line, first.column, 0, f"{key}: {value}\n{indent}")


def with_item(root: Mapping, section: str, item: str, text: str) -> Edit | None:
    """A new entry of a list in a section of a file, before the others; at the end where the file
    has no such section."""
    known = root.get(section)
    if known is None:
        lines = BREAKS.split(text)
        end = "" if text.endswith("\n") else "\n"
        return Edit(len(lines), len(lines[-1]) + 1, 0, f"{end}{section}:\n  - {item}\n")
    if not isinstance(known, List) or not known.items:
        return None
    first = known.items[0].span
    before = first.source.line(first.line)[: first.column - 1]
    if before.strip() == "-":
        return Edit(first.line, first.column, 0, f"{item}\n{before}")
    if before.rstrip().endswith("["):
        return Edit(first.line, first.column, 0, f"{item}, ")
    return None


class Place(Struct, frozen=True):
    """A node of a file, the key under which it stands (None: in a list), and the keys above."""

    path: tuple[str, ...]
    key: Scalar | None
    node: Node


def places(root: Mapping) -> Iterator[Place]:
    """Every value of a file."""
    waiting: list[tuple[tuple[str, ...], Node]] = [((), root)]
    while waiting:
        path, node = waiting.pop()
        if isinstance(node, Mapping):
            for key, value in node.entries:
                yield Place((*path, key.text), key, value)
                waiting.append(((*path, key.text), value))
        elif isinstance(node, List):
            for number, value in enumerate(node.items):
                yield Place((*path, str(number)), None, value)
                waiting.append(((*path, str(number)), value))
