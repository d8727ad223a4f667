"""Which ids are easily taken for each other?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from zubrel.base.source import Span
from zubrel.checked.things import Thing
from zubrel.checked.world import World
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding

SHORTEST_ID = 4
"""Ids with fewer letters are all near each other."""


def _near_ids(system: System) -> Iterator[Finding]:
    """Ids of one section that differ by one character, except series such as `lamp_1`."""
    for section in _sections(system.world):
        yield from _near_in(section)


def _near_in(section: Iterable[tuple[str, Span]]) -> Iterator[Finding]:
    known: dict[str, list[str]] = {}
    for thing_id, span in section:
        # ids that differ in one character share a mask: others are never compared
        near = next(
            (
                other
                for mask in _masks(thing_id)
                for other in known.get(mask, ())
                if _mistakable(thing_id, other)
            ),
            None,
        )
        if near is not None:
            message = f"“{thing_id}” differs from “{near}” by one character"
            yield Finding("near_ids", "note", thing_id, message, span)
        for mask in _masks(thing_id):
            known.setdefault(mask, []).append(thing_id)


def _sections(world: World) -> Iterator[list[tuple[str, Span]]]:
    sections: tuple[Mapping[str, Thing], ...] = (
        world.items,
        world.areas,
        world.locks,
        world.facts,
        world.meters,
        world.endings,
        world.people,
        world.quests,
        world.foes,
        world.shops,
        world.stores,
    )
    for section in sections:
        # only within a section: an item and an area of similar names stand in different places
        yield [(thing.id, thing.span) for thing in section.values()]
    for kind in ("deed", "recipe"):
        # ids that an author gave: others are made up from what the rule is about
        yield [(r.id, r.span) for r in world.rules if r.kind == kind and r.id == r.common]


def _masks(word: str) -> list[str]:
    """The word with each letter hidden, and with a gap at each place: near words share one."""
    hidden = [f"{word[:n]}?{word[n + 1 :]}" for n in range(len(word))]
    return hidden + [f"{word[:n]}?{word[n:]}" for n in range(len(word) + 1)]


def _mistakable(a: str, b: str) -> bool:
    """Two near ids of some length that no digit and no last letter of a series tells apart."""
    # short ids differ by one character without being alike
    if min(len(a), len(b)) < SHORTEST_ID:
        return False
    n = next((n for n, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    ends = (a[n : n + 1], b[n : n + 1])
    # numbered ids are meant to differ by their number
    if any(end.isdigit() for end in ends):
        return False
    last = n == len(a) - 1 == len(b) - 1 and a[n - 1] == "_"
    return not last


NEAR_IDS = FileDetector("near_ids", _near_ids)
"""`near_ids`: ids that differ by one character."""
