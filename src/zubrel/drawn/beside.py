"""What stands beside the map in words: gates, chapters, areas, and what is never reached.

Lines come with whether they are headings.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from zubrel.drawn.layout import SIDE, roman
from zubrel.drawn.paper import folded
from zubrel.narrated.sketch import Atlas, Passage, SketchedArea
from zubrel.narrated.words import moment

THIN = 290
"""Pixels for a line where the words stand in columns below the map."""


def beside(atlas: Atlas, gates: Sequence[str], thin: bool) -> Iterator[tuple[str, bool]]:
    """Gates and chapters, folded to the width of the side."""
    # thin maps have their words below, in columns
    wide = SIDE - 14 if not thin else THIN
    if gates:
        yield "Gates, and what they ask", True
    for number, gate in enumerate(gates, 1):
        yield from _numbered(f"{number:>2}", gate, wide)
    yield "", False
    yield "Chapters: what lies behind what", True
    for number, chapter in enumerate(atlas.chapters, 1):
        words = f"after {chapter.after}" if chapter.after else "from the start"
        if chapter.first.steps:
            words += f", {moment(chapter.first)}"
        yield from _numbered(roman(number), words, wide)


def _numbered(number: str, words: str, wide: float) -> Iterator[tuple[str, bool]]:
    for turn, line in enumerate(folded(words, wide - 30, 9.2, 2)):
        yield (f"  {number}  {line}" if turn == 0 else f"        {line}"), False


def listed(places: Sequence[SketchedArea], numbers: Mapping[str, int]) -> list[tuple[str, bool]]:
    """Areas with their numbers and what is there."""
    lines: list[tuple[str, bool]] = [("", False), ("Areas", True)]
    for place in places:
        things = ", ".join(t.name for t in place.things)
        trouble = " SOFTLOCK" if place.softlocks else ""
        words = f"{numbers[place.id]} {place.name}{trouble}"
        lines.append((words + (f": {things}" if things else ""), False))
    return lines


def never_reached(
    places: Sequence[SketchedArea], ways: Sequence[Passage], wide: float
) -> list[str]:
    """Areas that nobody comes to, and behind what they lie."""
    if not places:
        return []
    names = []
    for place in places:
        asks = next((w.asks for w in ways if w.end == place.id and w.asks), None)
        names.append(place.name + (f" (behind {asks})" if asks else ""))
    return ["Never reached", *folded("; ".join(names), wide, 9.5, 6)]
