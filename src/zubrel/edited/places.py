"""What the language lets stand at a place: found by the tables of shapes from the keys above."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct

from zubrel.authored.kinds import CONDITIONAL_TEXT, TEXT, Field, Kind, Shape
from zubrel.authored.readers import read_word, read_words
from zubrel.authored.shapes import SECTIONS, START
from zubrel.edited.cursor import ITEM

PATHS = Kind("paths of files", read_words, ("paths",))
VERSION = Kind("version", read_words, ("version",))
HEAD = {
    "zubrel": Field(VERSION, "The version of the language: 1."),
    "title": Field(TEXT, "What the world is called."),
    "include": Field(PATHS, "Other files of this world, YAML or CSV."),
    "start": Field(Kind("the start", START.read, ("entry", START)), "Where the player begins."),
    **{name: Field(section.kind, section.about) for name, section in SECTIONS.items()},
    "notes": Field(TEXT, "Free text for the team: anything may stand here."),
}
ROOT = Shape("a world", HEAD)
OWN_ID = Field(Kind("an id", read_word, ("own id",)), "An id of its own, for others to name it.")
NOTES = Field(Kind("anything", read_words, ("notes",)), "Free text for the team.")
EVERYWHERE = {"id": OWN_ID, "notes": NOTES}
"""What every entry may hold besides the fields of its shape."""
_GROUP = re.compile(r"(any|all|[0-9]+) of\Z")
_WITH_SHAPE = ("entry", "entries", "keyed", "keyed or all", "goals")
_LISTS = ("ids", "conditions", "amounts", "flag or ids", "values", "paths")


class LanguagePlace(Struct, frozen=True):
    """A place of a file: the `field` whose value, or a part of it, stands there.

    `shape` is that of the mapping whose keys may come, `kind` what a value may be; both where a
    lone word stands for a mapping. `subject` is the fact or meter whose value is written.
    `naming`: a key there is an id that is given, or names an item.
    """

    shape: Shape | None = None
    kind: Kind | None = None
    field: Field | None = None
    subject: str | None = None
    naming: bool = False


NOWHERE = LanguagePlace()


def place_of(keys: Sequence[str]) -> LanguagePlace:
    """What may stand below some keys; `NOWHERE` where the language does not know them."""
    place = LanguagePlace(ROOT)
    for key in keys:
        place = _below(place, key)
        if place is NOWHERE:
            return NOWHERE
    return place


def _below(place: LanguagePlace, key: str) -> LanguagePlace:
    kind, shape = place.kind, place.shape
    # below a value: its form tells what its keys mean
    if kind is not None:
        form, *parts = kind.form
        # what stands in a list here has no id yet, and nothing is known of it
        if form in ("keyed", "keyed or all"):
            return NOWHERE if key == ITEM else _entry(parts[0], place.field)
        if form in _LISTS and key == ITEM:
            return LanguagePlace(kind=kind, field=place.field)
        if form in ("settings", "changes"):
            return LanguagePlace(kind=kind, field=place.field, subject=key)
        if form in ("entries", "goals", "texts") and key == ITEM and not place.naming:
            below = CONDITIONAL_TEXT if form == "texts" else parts[0]
            return LanguagePlace(below, kind, place.field, naming=True)
        if form == "goals" and _GROUP.match(key):
            return LanguagePlace(kind=kind, field=place.field)
        if shape is None and form in _WITH_SHAPE:
            shape = parts[0]
        elif form == "texts":
            shape = CONDITIONAL_TEXT
    # nothing is known to stand there: no suggestion is better than a wrong one
    if shape is None:
        return NOWHERE
    field = shape.fields.get(key) or EVERYWHERE.get(key)
    if field is None:
        return NOWHERE
    return LanguagePlace(kind=field.kind, field=field)


def _entry(shape: Shape, field: Field | None) -> LanguagePlace:
    """One of many entries by their ids: a mapping, or what a lone word stands for."""
    short = shape.fields[shape.short].kind if shape.short else None
    # the word in place of a mapping is no mapping in its turn: it has no kind with a shape
    return LanguagePlace(shape, short if short and not _has_shape(short) else None, field)


def _has_shape(kind: Kind) -> bool:
    return kind.form[0] in (*_WITH_SHAPE, "texts")


def keys_at(place: LanguagePlace) -> Shape | None:
    """The shape whose fields may be keys at a place; None where keys are ids, or none may come."""
    if place.shape is not None:
        return place.shape
    if place.kind is None:
        return None
    form, *parts = place.kind.form
    if form in ("entry", "entries", "goals"):
        shape: Shape = parts[0]
        return shape
    return CONDITIONAL_TEXT if form == "texts" else None


def value_at(place: LanguagePlace) -> Kind | None:
    """What a lone value may be at a place: of an entry that it stands for, that of its field."""
    shape = keys_at(place)
    if place.kind is not None and not _has_shape(place.kind):
        return place.kind
    if shape is not None and shape.short is not None:
        return shape.fields[shape.short].kind
    return place.kind
