"""The map: areas and ways as a player finds them, with gates, chapters and trouble."""

from __future__ import annotations

import math
from collections.abc import Sequence

from zubrel.drawn.beside import beside, listed, never_reached
from zubrel.drawn.grid import placed
from zubrel.drawn.layout import SIDE, TOP, Layout, roman
from zubrel.drawn.paper import (
    BAD,
    CARD,
    DEEP,
    INK,
    LINE,
    PAPER,
    QUIET,
    TINTS,
    WIDTH,
    Paper,
    fitted,
    folded,
    width_of,
)
from zubrel.drawn.tints import tints_of
from zubrel.narrated.sketch import Atlas, Passage, SketchedArea
from zubrel.narrated.words import counted

MARKS = {"find": "s", "gift": "P", "person": "o", "shop": "^", "foe": "X"}
WORDS = {
    "find": "item",
    "gift": "given for a deed or a talk",
    "person": "person",
    "shop": "shop",
    "foe": "foe",
}
LEADING = 14.5


def draw_map(atlas: Atlas, title: str) -> Paper:
    """A sheet of 1280 pixels in width, and of at least 800 in height."""
    return MapSheet(atlas, title).drawn()


class MapSheet:
    """The map as it is drawn; what stands on cards and beside them can be something else."""

    def __init__(self, atlas: Atlas, title: str) -> None:
        self.atlas = atlas
        self.title = title
        # only what plays come to has a place on the map; the rest is named below
        self.reached = [p for p in atlas.places if p.chapter is not None]
        self.others = [p for p in atlas.places if p.chapter is None]
        self.shape = Layout(len(self.reached))
        numbers = {p.id: n for n, p in enumerate(self.reached)}
        self.numbers = {p.id: n for n, p in enumerate(atlas.places, 1)}
        self.ways = [w for w in atlas.passages if w.start in numbers and w.end in numbers]
        self.lost_ways = [w for w in atlas.passages if w not in self.ways]
        cells = (
            placed(
                len(self.reached),
                [(numbers[w.start], numbers[w.end]) for w in self.ways],
                [p.chapter or 0 for p in self.reached],
                self.shape.columns,
                self.shape.rows,
            )
            if self.reached
            else []
        )
        # rows above the first that is used would be paper without anything on it
        top = min((r for _, r in cells), default=0)
        self.cells = {p.id: (c, r - top) for p, (c, r) in zip(self.reached, cells, strict=True)}
        self.shape.rows = 1 + max((r for _, r in self.cells.values()), default=0)
        self.gates = list(dict.fromkeys(w.asks for w in self.ways if w.asks))
        self.tags: list[tuple[float, float]] = []

    def drawn(self) -> Paper:
        # heights first: the sheet has to be as high as its longest column
        side = self.side()
        below = TOP + self.shape.high + 10
        lost_lines = never_reached(self.others, self.lost_ways, self.shape.wide - 20)
        high = 22 + LEADING * len(lost_lines) if lost_lines else 0
        foot = below + high + 6
        areas = listed(self.reached, self.numbers) if self.shape.thin else []
        columns = 4 if self.shape.thin else 1
        if self.shape.thin:
            rows = math.ceil((len(areas) + len(side)) / columns)
            height = foot + 30 + rows * LEADING + 40
        else:
            height = max(foot + 34, TOP + LEADING * len(side) + 60)
        self.paper = Paper(self.title, self.about(), height + self.room_below())
        self.territories()
        for way in self.ways:
            self._way(way)
        for place in self.reached:
            self.card(place)
        for number, line in enumerate(lost_lines):
            self.paper.text(
                24,
                below + 14 + LEADING * number,
                line,
                9.5,
                BAD if number == 0 else INK,
                bold=number == 0,
            )
        if self.shape.thin:
            self._columns([*side, *areas], foot + 20, rows, columns)
        else:
            self._columns(side, TOP, len(side), 1, WIDTH - SIDE + 10)
        self.legend(height - 18)
        self.below(height)
        return self.paper

    def about(self) -> str:
        """What stands below the title."""
        ways = len({frozenset((w.start, w.end)) for w in self.ways})
        return ", ".join(
            (
                f"Map of {counted(len(self.atlas.places), 'area')}",
                f"{counted(ways, 'way')} between those that can be reached",
                counted(len(self.gates), "gate"),
                f"{counted(len(self.atlas.chapters), 'chapter')} of progress",
            )
        )

    def side(self) -> list[tuple[str, bool]]:
        """What stands beside the map, or in columns below it, and which lines are headings."""
        return list(beside(self.atlas, self.gates, self.shape.thin))

    def room_below(self) -> float:
        """Pixels for what is drawn by `below`."""
        return 0.0

    def below(self, top: float) -> None:
        """Draw what stands below all of that; a map has nothing there."""

    def _columns(
        self,
        lines: Sequence[tuple[str, bool]],
        top: float,
        rows: int,
        columns: int,
        left: float = 24,
    ) -> None:
        wide = (WIDTH - 40) / columns
        for number, (line, bold) in enumerate(lines):
            column, row = divmod(number, max(1, rows))
            words = fitted(line, wide - 16, 9.2, bold) if columns > 1 else line
            self.paper.text(left + column * wide, top + 10 + row * LEADING, words, 9.2, bold=bold)

    def territories(self) -> None:
        """Every cell of a chapter in one tint, with a border where another chapter begins."""
        wide, high = self.shape.cell
        # neighbouring chapters get different tints
        chapter_of = {self.cells[p.id]: p.chapter for p in self.reached}
        tints = tints_of(chapter_of)
        for (column, row), chapter in chapter_of.items():
            x, y = 20 + column * wide, TOP + row * high
            self.paper.axes.fill(
                [x, x + wide, x + wide, x],
                [y, y, y + high, y + high],
                color=TINTS[tints[chapter]],
                zorder=1,
                linewidth=0,
            )
            for dx, dy, xs, ys in (
                (1, 0, (x + wide, x + wide), (y, y + high)),
                (-1, 0, (x, x), (y, y + high)),
                (0, 1, (x, x + wide), (y + high, y + high)),
                (0, -1, (x, x + wide), (y, y)),
            ):
                if chapter_of.get((column + dx, row + dy)) != chapter:
                    self.paper.line(xs, ys, LINE, 1.4, zorder=1.5)

    def _way(self, way: Passage) -> None:
        """A line from card to card; parallel ones side by side; an arrow where none leads back."""
        pair = {way.start, way.end}
        # several ways between two areas lie side by side, each to be seen
        beside = [w for w in self.ways if {w.start, w.end} == pair]
        shift = 9 * (beside.index(way) - (len(beside) - 1) / 2)
        (x, y), (u, v) = (self.shape.centre(self.cells[a]) for a in (way.start, way.end))
        long = math.hypot(u - x, v - y)
        dx, dy = (u - x) / long, (v - y) / long
        # seen from either end the same side, or a way back would cover the way there
        side = 1 if (x, y) < (u, v) else -1
        ox, oy = -dy * shift * side, dx * shift * side
        self.paper.line((x + ox, u + ox), (y + oy, v + oy), DEEP, 1.8)
        out, into = self._border(dx, dy), long - self._border(dx, dy)
        if way.one_way:
            # the tip of an arrow is longer than its line
            into += 5
            self.paper.tip(x + ox + dx * into, y + oy + dy * into, dx, dy, DEEP)
        if way.asks:
            end = into - 16 if way.one_way else into
            self._tag(self.gates.index(way.asks) + 1, (x + ox, y + oy), (dx, dy), out, end)

    def _border(self, dx: float, dy: float) -> float:
        """How far from the middle of a card its border is in a direction."""
        wide, high = self.shape.card
        return min(wide / 2 / abs(dx) if dx else 1e9, high / 2 / abs(dy) if dy else 1e9)

    def _tag(
        self,
        number: int,
        start: tuple[float, float],
        along: tuple[float, float],
        out: float,
        into: float,
    ) -> None:
        """The number of a gate on its way, where no other one is."""
        spots = [
            (start[0] + along[0] * t, start[1] + along[1] * t)
            # the middle is where one looks first; what is taken is the first spot that hides
            # nothing
            for share in (0.5, 0.35, 0.65, 0.25, 0.75, 0.1, 0.9)
            for t in (out + (into - out) * share,)
        ]
        x, y = next((s for s in spots if self._free(*s)), spots[0])
        self.tags.append((x, y))
        self.paper.disc(x, y, 8.5, facecolor=INK, edgecolor=PAPER, linewidth=1.2)
        self.paper.text(x, y + 3.8, str(number), 7.6, PAPER, bold=True, align="center", level=6)

    def _free(self, x: float, y: float) -> bool:
        """No other tag and no card is there."""
        wide, high = self.shape.card
        centres = (self.shape.centre(cell) for cell in self.cells.values())
        return all(math.dist((x, y), tag) > 17 for tag in self.tags) and not any(
            abs(x - u) < wide / 2 and abs(y - v) < high / 2 for u, v in centres
        )

    def frame(
        self, place: SketchedArea, trouble: bool
    ) -> tuple[float, float, float, float, float, float]:
        """The border of a card; its middle, its upper left corner and its size."""
        (x, y), (wide, high) = self.shape.centre(self.cells[place.id]), self.shape.card
        left, top = x - wide / 2, y - high / 2
        self.paper.spots[place.id] = (left, top, wide, high)
        edge = {"linewidth": 2.4, "edgecolor": BAD} if trouble else {}
        self.paper.box(left, top, wide, high, **edge)
        if place.id == self.atlas.start:
            inner = {"facecolor": "none", "linewidth": 0.8, "zorder": 3.1}
            self.paper.box(left + 2.5, top + 2.5, wide - 5, high - 5, **inner)
        return x, y, left, top, wide, high

    def card(self, place: SketchedArea) -> None:
        trouble = bool(place.softlocks)
        x, y, left, top, wide, high = self.frame(place, trouble)
        if self.shape.thin:
            self.paper.text(x, y - 1, str(self.numbers[place.id]), 9.5, bold=True, align="center")
            self.paper.text(x, y + 11, fitted(place.name, wide - 6, 6.8), 6.8, align="center")
        else:
            self._contents(place, left + 6, top + 4, wide - 12, high - 8)
        if trouble:
            self._flag(left + wide, top, "softlock")

    def _contents(
        self, place: SketchedArea, left: float, top: float, wide: float, high: float
    ) -> None:
        number = roman((place.chapter or 0) + 1)
        self.paper.text(left + wide + 2, top + high + 1, number, 7, QUIET, align="right")
        # as many lines as fit: things that do not are counted
        lines = int((high + 4) // 13)
        names = folded(place.name, wide, 8.6, min(2, lines), True)
        for turn, line in enumerate(names):
            self.paper.text(left, top + 10 + 13 * turn, line, 8.6, bold=True)
        room = max(0, lines - len(names))
        shown = place.things if len(place.things) <= room else place.things[: max(0, room - 1)]
        y = top + 10 + 13 * len(names)
        spare = room - len(shown) if len(shown) == len(place.things) else 0
        for thing in shown:  # a name is cut only where no line is left for the rest of it
            self._mark(left + 3, y - 4, thing.kind, thing.missable)
            whole = width_of(thing.name, 7.8) <= wide - 10
            own = [thing.name] if whole else folded(thing.name, wide - 10, 7.8, 1 + min(1, spare))
            spare -= len(own) - 1
            for line in own:
                last = y + 13 > top + high
                space = wide - 10 - (width_of(number, 7) if last else 0)
                words = fitted(line, space, 7.8)
                self.paper.text(left + 10, y, words, 7.8, italic=thing.missable)
                y += 13
        if len(shown) < len(place.things) and room:
            self.paper.text(left, y, f"and {len(place.things) - len(shown)} more", 7.8, QUIET)

    def _mark(self, x: float, y: float, kind: str, missable: bool) -> None:
        self.paper.axes.plot(
            [x],
            [y],
            MARKS[kind],
            color=INK,
            markersize=4.8,
            zorder=5,
            markerfacecolor=CARD if missable else INK,
        )

    def _flag(self, right: float, top: float, words: str) -> None:
        """On the upper edge of a card, above what stands in it."""
        wide = width_of(words, 7, True) + 8
        left = right + 3 - wide
        self.paper.box(left, top - 10, wide, 13, facecolor=BAD, edgecolor=BAD, zorder=5)
        self.paper.text(left + 4, top, words, 7, PAPER, bold=True, level=6)

    def legend(self, y: float) -> None:
        """What the marks mean, in one line at the foot."""
        x = 24.0
        # only marks that the map has
        kinds = {t.kind for p in self.reached for t in p.things}
        for kind in [k for k in MARKS if k in kinds and not self.shape.thin]:
            self._mark(x, y - 4, kind, False)
            x = self.told(x + 10, y, WORDS[kind])
        if any(t.missable for p in self.reached for t in p.things) and not self.shape.thin:
            self._mark(x, y - 4, "find", True)
            x = self.told(x + 10, y, "can be missed for good")
        trouble = any(p.softlocks for p in self.reached)
        x = self.borders(x, y, "a softlock begins here" if trouble else "")
        if self.gates:
            self.paper.disc(x + 4, y - 4, 7, facecolor=INK)
            x = self.told(x + 16, y, "gate")
        x = self.one_way(x, y)
        if not self.shape.thin:
            self.told(x, y, "I, II, … chapter")

    def borders(self, x: float, y: float, trouble: str) -> float:
        """What the borders of cards mean, the thick one if it says anything; where it ends."""
        self.paper.box(x - 4, y - 11, 22, 13)
        self.paper.box(x - 2, y - 9, 18, 9, facecolor="none", linewidth=0.8)
        x = self.told(x + 24, y, "start")
        if trouble:
            self.paper.box(x - 4, y - 11, 22, 13, edgecolor=BAD, linewidth=2.4)
            x = self.told(x + 24, y, trouble)
        return x

    def one_way(self, x: float, y: float) -> float:
        """What an arrow means, if there is one; where that ends."""
        if not any(w.one_way for w in self.ways):
            return x
        self.paper.line((x, x + 20), (y - 4, y - 4), DEEP, 1.8)
        self.paper.tip(x + 26, y - 4, 1, 0, DEEP)
        return self.told(x + 32, y, "no way back by it")

    def told(self, x: float, y: float, words: str) -> float:
        self.paper.text(x, y, words, 9, QUIET)
        return x + width_of(words, 9) + 22
