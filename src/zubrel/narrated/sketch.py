"""What pictures need, as plain data in words."""

from __future__ import annotations

from msgspec import Struct

from zubrel.explored.space import Distance


class SketchedThing(Struct, frozen=True):
    """Something that lies or stands in an area: `kind` is find, gift, person, shop or foe.

    A gift is what something that is done there gives.
    """

    kind: str
    id: str
    name: str
    missable: bool


class SketchedArea(Struct, frozen=True):
    """An area; `chapter` counts from 0, None: never reached. `softlocks` are labels of moves."""

    id: str
    name: str
    chapter: int | None
    things: tuple[SketchedThing, ...]
    softlocks: tuple[str, ...]


class Passage(Struct, frozen=True):
    """A way between two areas by their ids, and what it asks, if anything."""

    start: str
    end: str
    one_way: bool
    asks: str | None


class Chapter(Struct, frozen=True):
    """Areas behind the same gates; `after` are those gates that do not follow from others.

    They are first reached after `first`.
    """

    after: str
    first: Distance


class Atlas(Struct, frozen=True):
    start: str
    places: tuple[SketchedArea, ...]
    passages: tuple[Passage, ...]
    chapters: tuple[Chapter, ...]


class Side(Struct, frozen=True):
    """One side of a choice: ids and names."""

    things: tuple[tuple[str, str], ...]


class Alternatives(Struct, frozen=True):
    """Every win includes all of `count` sides at least; ids of must-haves before and after it."""

    sides: tuple[Side, ...]
    first: Distance
    after: tuple[str, ...]
    before: tuple[str, ...]
    count: int = 1


class Sketch(Struct, frozen=True):
    """What pictures need. `growth`: new situations, won and doomed ones after each move."""

    atlas: Atlas
    choices: tuple[Alternatives, ...]
    growth: tuple[tuple[int, ...], ...] | None
