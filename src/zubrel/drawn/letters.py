"""Names that the fonts of pictures have no letters for: told by their ids instead."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any, TypeVar

import matplotlib.font_manager as fonts
from msgspec import Struct

from zubrel.base.source import Span
from zubrel.narrated.report import Report

T = TypeVar("T")
PAIRS = (("id", "name"), ("rule", "label"), ("ending", "name"))
"""The fields of a report that hold an id and the name that belongs to it."""


def with_letters(report: Report) -> Report:
    """The report, with ids for names that cannot be drawn; of other words what can be is kept."""
    if all(drawable(text) for text in _texts(report)):
        return report
    ids: dict[str, str] = {}
    for thing in _structs(report):
        for id_field, name_field in PAIRS:
            name = getattr(thing, name_field, None)
            if isinstance(name, str) and not drawable(name) and hasattr(thing, id_field):
                ids.setdefault(name.strip("“”"), getattr(thing, id_field))
    # a name may be part of a longer one
    longest_first = sorted(ids, key=lambda name: (-len(name), name))
    lettered = re.compile("|".join(map(re.escape, longest_first)) or r"(?!)")

    def spelled(text: str) -> str:
        if drawable(text):
            return text
        # what is left after the names are told by ids are words of the author: their letters go one
        # by one
        text = lettered.sub(lambda match: ids[match[0]], text)
        return "".join(c for c in text if drawable(c)).strip() or "(no letters for it)"

    return _mapped(report, spelled)


@cache
def _letters() -> frozenset[int]:
    font = fonts.get_font(fonts.findfont("DejaVu Sans"))
    return frozenset(font.get_charmap())


def drawable(text: str) -> bool:
    """Whether the font has every letter of a text."""
    return text.isascii() or all(ord(c) in _letters() or c.isspace() for c in text)


def _structs(value: object) -> Iterator[Struct]:
    yield from (structs for structs in _everything(value, set()) if isinstance(structs, Struct))


def _texts(value: object) -> Iterator[str]:
    yield from (texts for texts in _everything(value, set()) if isinstance(texts, str))


def _everything(value: object, seen: set[int]) -> Iterator[object]:
    """A value with all that it is made of, each once; places in files are nothing to be drawn."""
    if isinstance(value, Span) or id(value) in seen:
        return
    seen.add(id(value))
    yield value
    if isinstance(value, Struct):
        for field in value.__struct_fields__:
            yield from _everything(getattr(value, field), seen)
    elif isinstance(value, tuple):
        for item in value:
            yield from _everything(item, seen)


def _mapped(value: T, spelled: Callable[[str], str]) -> T:
    """The same value with every text in it spelled."""
    mapped: Any = value
    if isinstance(value, str):
        mapped = spelled(value)
    elif isinstance(value, tuple):
        mapped = tuple(_mapped(item, spelled) for item in value)
    elif isinstance(value, Struct) and not isinstance(value, Span):
        fields = value.__struct_fields__
        mapped = type(value)(**{field: _mapped(getattr(value, field), spelled) for field in fields})
    return mapped  # type: ignore[no-any-return]
