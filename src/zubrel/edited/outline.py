"""What a file holds, as a tree of its sections and their entries, with where each ends."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence
from zubrel.authored.shapes import SECTIONS
from zubrel.base.source import Span
from zubrel.checked.names import KINDS


class Branch(Struct, frozen=True):
    """A section (`kind` is empty) or an entry, from `span` to the last line (from 1) of it."""

    name: str
    detail: str
    kind: str
    span: Span
    last_line: int
    below: tuple[Branch, ...] = ()


_NAMES = ("name", "id", "item", "to", "never", "always", "possible", "finding", "when")
"""Keys by which an entry of a list is told from others, the best first."""


def outline_of(root: Mapping) -> list[Branch]:
    """The sections of a file with their entries; what the language does not know is left out."""
    branches = []
    for key, node in root.entries:
        if key.text in SECTIONS:
            kind = KINDS.get(key.text, key.text)
            below = tuple(_entries(node, kind))
            branches.append(Branch(key.text, "", "", key.span, _last_line(node, key), below))
        elif key.text in ("title", "start", "include"):
            detail = node.text if isinstance(node, Scalar) else ""
            branches.append(Branch(key.text, detail, "", key.span, _last_line(node, key)))
    return branches


def _entries(node: Node, kind: str) -> Iterator[Branch]:
    if isinstance(node, Mapping):
        for key, value in node.entries:
            name = value.get("name") if isinstance(value, Mapping) else None
            detail = name.text if isinstance(name, Scalar) else ""
            below = tuple(_deeds(value)) if kind == "area" else ()
            yield Branch(key.text, detail, kind, key.span, _last_line(value, key), below)
    elif isinstance(node, Sequence):
        for number, item in enumerate(node.items, 1):
            yield Branch(_name(item) or str(number), "", kind, item.span, _last_line(item, item))


def _deeds(area: Node) -> Iterator[Branch]:
    deeds = area.get("deeds") if isinstance(area, Mapping) else None
    if deeds is not None:
        yield from _entries(deeds, "deed")


def _name(item: Node) -> str:
    """What an entry of a list is about."""
    if isinstance(item, Scalar):
        return item.text
    if isinstance(item, Mapping):
        for key in _NAMES:
            value = item.get(key)
            if isinstance(value, Scalar) and value.text:
                return f"{key} {value.text}" if key in _NAMES[4:] else value.text
    return ""


def _last_line(node: Node, key: Node) -> int:
    """The last line of a node, as far as it is known; that of its key at least."""
    last, pending = key.span.line, [node]
    # ends are not kept by the reader: the last thing in a node tells where it ends
    while pending:
        here = pending.pop()
        last = max(last, here.span.line)
        if isinstance(here, Mapping):
            for name, value in here.entries:
                last = max(last, name.span.line)
                pending.append(value)
        elif isinstance(here, Sequence):
            pending += here.items
    return last
