"""What a rule is, besides its body, and where it can be done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct

from zubrel.authored.conditions import Name
from zubrel.authored.values import Entry
from zubrel.base.source import Span
from zubrel.checked.bodies import Implied
from zubrel.checked.conditions import Cond
from zubrel.checked.resolve import Resolver


class Site(Struct, frozen=True):
    """Where something can be done: `areas` (None: anywhere), and what must hold besides."""

    areas: tuple[str, ...] | None = None
    offered: tuple[Cond, ...] = ()


class Frame(Struct, frozen=True):
    """The part of a rule that finds, ways, deeds, locks and all the others differ in."""

    id: str
    kind: str
    owner: str
    label: str
    site: Site
    entry: Entry
    implied: Implied = Implied()
    offered: tuple[Cond, ...] = ()
    needs: tuple[Cond, ...] = ()
    lock: str | None = None
    once_id: str | None = None
    last_blow: str = ""
    only: Mapping[str, Cond] = {}
    """What an alternative, by its id, asks for besides; of one that is none, by the frame's id."""


def places(entry: Entry, resolver: Resolver, field: str = "at") -> Site:
    """The areas under a field; anywhere when it is absent or says so."""
    words = entry.words(field)
    if not entry.has(field) or any(word.text == "anywhere" for word in words):
        return Site()
    return Site(tuple(dict.fromkeys(resolver.ids(words, "area"))))


def site_of(word: Name, resolver: Resolver) -> Site:
    """Where a person or an area is."""
    site = resolver.names.find(word, "person", "area")
    if site is None:
        return Site(())
    return with_person(site, resolver) if resolver.is_person(site) else Site((site,))


def with_person(person: str, resolver: Resolver) -> Site:
    """Where a person can be, while the person is in the player's area."""
    areas = tuple(area for area, _ in resolver.presence.places(person))
    return Site(areas, (resolver.presence.here(person, None),))


def lock_of(entry: Entry, resolver: Resolver) -> str | None:
    word = entry.word("lock")
    return resolver.names.find(word, "lock") if word else None


def merged(bodies: Sequence[Entry]) -> Entry:
    """One body that does what several do, one after the other."""
    values: dict[str, Any] = {}
    for body in bodies:
        for field, value in body.values.items():
            known = values.get(field, ())
            # the more particular refusal comes first, as where bodies stay apart
            values[field] = (*value, *known) if field == "refuses" else (*known, *value)
    return Entry(bodies[-1].key, bodies[-1].span, values, bodies[-1].spans)


def bare(span: Span) -> Entry:
    """The body of a rule that the language makes by itself: nothing."""
    return Entry(None, span)


def counted(count: int, name: str) -> str:
    return name if count == 1 else f"{count} {name}"


def key_of(entry: Entry) -> str:
    return entry.key.text if entry.key else "?"


def name_of(entry: Entry) -> str:
    """What players see: the name, or the id with spaces and a capital first letter."""
    given = entry.text("name")
    if given:
        return given
    words = key_of(entry).replace("_", " ")
    return words[:1].upper() + words[1:]
