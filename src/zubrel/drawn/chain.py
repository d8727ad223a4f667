"""The chain of progress: what every win includes, from left to right, and what is optional."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from zubrel.drawn.paper import (
    CARD,
    DEEP,
    INK,
    PALE,
    QUIET,
    WIDTH,
    Paper,
    fitted,
    folded,
)
from zubrel.narrated.report import Needed, ProgressChain, Report
from zubrel.narrated.sketch import Alternatives, Sketch
from zubrel.narrated.words import counted, moment, since

WIDE, HIGH, GAP_X, GAP_Y = 126.0, 44.0, 30.0, 10.0
COLUMNS = 8
MOST_CHOSEN = 6
"""Lines for what can be chosen among."""
TOP = 82.0
CORNER = {"item": "item", "lock": "opened", "quest": "quest", "find": "taken"}


class Box(Struct):
    """A must-have or a choice: its lines of text, and where it is, in columns and rows.

    Without a heading it only keeps a way free for an arrow that passes by.
    """

    id: str
    heading: str
    corner: str
    more: tuple[str, ...]
    choice: bool
    column: int = 0
    row: float = 0.0


def draw_chain(report: Report) -> Paper:
    """A sheet of 1280 pixels in width: as many bands of eight columns as the chain is long."""
    return _Chain(report).drawn()


class _Chain:
    def __init__(self, report: Report) -> None:
        assert report.progress and report.sketch, "the report was made with its outline"
        self.progress: ProgressChain = report.progress
        self.sketch: Sketch = report.sketch
        self.title, self.lost = report.title, report.shortest_win is None
        progress, sketch = self.progress, self.sketch
        self.boxes: dict[str, Box] = {m.id: _box(m) for m in progress.must_haves}
        before = {m.id: [a for a in m.after if a in self.boxes] for m in progress.must_haves}
        for number, choice in enumerate(sketch.choices):
            heading, words = _worded(choice)
            box = Box(f"choice {number}", heading, since(choice.first), words, True)
            self.boxes[box.id] = box
            before[box.id] = [a for a in choice.after if a in self.boxes]
            for later in choice.before:
                if later in before:
                    # an arrow to what can be chosen among, and from there on, instead of one past
                    # it
                    before[later] = [a for a in before[later] if a not in choice.after]
                    before[later].append(box.id)
        self.before = before
        self._arrange()

    def _arrange(self) -> None:
        """Columns by the longest way here, rows by the middle of what comes before."""
        columns: dict[str, int] = {}
        waiting = list(self.boxes)
        while waiting:
            ready = [i for i in waiting if all(a in columns for a in self.before[i])]
            # things that wait for each other would wait for ever
            ready = ready or waiting[:1]
            for i in ready:
                columns[i] = 1 + max((columns.get(a, -1) for a in self.before[i]), default=-1)
                waiting.remove(i)
        after: dict[str, list[str]] = {i: [] for i in self.boxes}
        for i, others in self.before.items():
            for a in others:
                after[a].append(i)
        # what nothing comes before moves as near as can be to what it is for
        for i in sorted(self.boxes, key=lambda i: -columns[i]):
            if not self.before[i] and after[i]:
                columns[i] = max(columns[i], min(columns[b] for b in after[i]) - 1)
        for i, column in columns.items():
            self.boxes[i].column = column
        self.passing: dict[tuple[str, str], list[Box]] = {}
        for end in list(self.boxes.values()):
            for a in self.before[end.id]:
                self._lead(self.boxes[a], end)
        self.levels = [
            [b for b in self.boxes.values() if b.column == n]
            for n in range(1 + max(columns.values(), default=-1))
        ]
        for level in self.levels:
            # by the middle of their predecessors lines cross less (Sugiyama, Tagawa, Toda: Methods
            # for visual understanding of hierarchical system structures, 1981)
            level.sort(key=self._middle)
            for n, box in enumerate(level):
                box.row = n - (len(level) - 1) / 2

    def _lead(self, start: Box, end: Box) -> None:
        """Keep free the way of an arrow within a band; into a later one a line of text leads."""
        # an arrow across bands would cross all that lies between
        if start.column // COLUMNS != end.column // COLUMNS:
            if (start.column + 1, end.column % COLUMNS) != (end.column, 0):
                end.more = (*end.more, f"after {start.heading}")
            return
        lead, last = [], start
        for column in range(start.column + 1, end.column):
            passed = Box(f"{start.id} to {end.id} at {column}", "", "", (), False, column)
            self.boxes[passed.id], self.before[passed.id] = passed, [last.id]
            lead.append(passed)
            last = passed
        self.passing[start.id, end.id] = lead

    def _middle(self, box: Box) -> float:
        rows = [self.boxes[a].row for a in self.before[box.id]]
        return sum(rows) / len(rows) if rows else 0.0

    def _high(self, box: Box) -> float:
        return HIGH + 14 * len(box.more) if box.heading else 8.0

    def drawn(self) -> Paper:
        # a long chain goes on in another band below
        bands = [self.levels[n : n + COLUMNS] for n in range(0, len(self.levels), COLUMNS)]
        heights = [
            max((sum(self._high(b) + GAP_Y for b in level) for level in band), default=0)
            for band in bands
        ]
        if not self.boxes:
            heights = [24.0]
        # all heights have to be known before there is a sheet to draw on
        aside = self._aside()
        height = TOP + sum(h + 18 for h in heights) + 20 + 15 * len(aside) + 30
        count = len(self.progress.must_haves)
        below = (
            f"What every win includes, from left to right: {counted(count, 'thing')}"
            f", {counted(len(self.sketch.choices), 'choice')}. Nothing can be had before "
            "what its arrows come from."
        )
        self.paper = Paper(self.title, below, height)
        self.spots: dict[str, tuple[float, float]] = {}
        top = TOP
        for band, high in zip(bands, heights, strict=False):
            self._band(band, top, high)
            top += high + 18
        for box in self.boxes.values():
            for earlier in self.before[box.id] if box.heading else ():
                self._arrow(self.boxes[earlier], box)
        for box in self.boxes.values():
            if box.heading:
                self._draw(box)
        if not self.boxes:
            top += heights[0] + 18
            words = "There is no win." if self.lost else "Wins have nothing in common."
            self.paper.text(24, TOP + 16, words, 12)
        for n, line in enumerate(aside):
            self.paper.text(24, top + 20 + 15 * n, line, 9.5, INK, bold=n == 0)
        return self.paper

    def _band(self, band: Sequence[Sequence[Box]], top: float, high: float) -> None:
        for n, level in enumerate(band):
            y = top + (high - sum(self._high(b) + GAP_Y for b in level)) / 2
            for box in level:
                self.spots[box.id] = (30 + n * (WIDE + GAP_X), y)
                y += self._high(box) + GAP_Y

    def _arrow(self, start: Box, end: Box) -> None:
        # arrows leave at the right and come in at the left
        x, y = self._port(start)
        if (start.id, end.id) not in self.passing:  # goes on in a later band
            u, v = self._port(end)
            self.paper.line((x + WIDE, x + WIDE + 8), (y, y), DEEP, 1.6)
            self.paper.tip(x + WIDE + 14, y, 1, 0, DEEP)
            if end.column % COLUMNS == 0:
                self.paper.line((u - 16, u - 8), (v, v), DEEP, 1.6)
                self.paper.tip(u, v, 1, 0, DEEP)
            return
        for box in (*self.passing[start.id, end.id], end):
            u, v = self._port(box)
            self._curve(x + WIDE, y, u, v)
            if box is not end:
                self.paper.line((u - 8, u + WIDE), (v, v), DEEP, 1.6, zorder=1.5)
            x, y = u, v
        self.paper.tip(x, y, 1, 0, DEEP)

    def _port(self, box: Box) -> tuple[float, float]:
        """The middle of the left side."""
        x, y = self.spots[box.id]
        return x, y + (HIGH if box.heading and not box.choice else self._high(box)) / 2

    def _curve(self, x: float, y: float, u: float, v: float) -> None:
        """An S in the gap between two columns."""
        steps = [n / 16 for n in range(17)]
        xs = [x + (u - 8 - x) * t for t in steps]
        ys = [y + (v - y) * (3 * t * t - 2 * t * t * t) for t in steps]
        self.paper.line(xs, ys, DEEP, 1.6, zorder=1.5)

    def _draw(self, box: Box) -> None:
        x, y = self.spots[box.id]
        high = self._high(box)
        self.paper.box(
            x,
            y,
            WIDE,
            high,
            facecolor=PALE if box.choice else CARD,
            linestyle="--" if box.choice else "-",
        )
        # a choice is a box of another kind: dashed, with its sides listed
        if box.choice:
            self.paper.text(x + 8, y + 15, box.heading, 9.2, bold=True)
            for n, words in enumerate(box.more):
                self.paper.text(x + 8, y + 30 + 14 * n, fitted(words, WIDE - 14, 8.6), 8.6)
            self.paper.text(x + WIDE - 6, y + high - 5, box.corner, 7.6, QUIET, align="right")
            return
        for n, line in enumerate(folded(box.heading, WIDE - 14, 9.2, 2, True)):
            self.paper.text(x + 8, y + 15 + 13 * n, line, 9.2, bold=True)
        self.paper.text(x + WIDE - 6, y + HIGH - 4, box.corner, 7.6, QUIET, align="right")
        for n, line in enumerate(box.more):
            words = fitted(line, WIDE - 14, 8)
            self.paper.text(x + 8, y + HIGH + 9 + 14 * n, words, 8, QUIET)

    def _aside(self) -> list[str]:
        """Things that can be had but need not be."""
        # what every win includes, or what one side of a choice needs, is drawn already
        needed = {m.id for m in self.progress.must_haves}
        needed |= {i for m in self.progress.must_haves for i, _ in m.merged_with}
        needed |= {i for c in self.sketch.choices for side in c.sides for i, _ in side.things}
        names = [
            f"{w.name} ({moment(w.first)})"
            for w in self.progress.windows
            if w.id not in needed and w.first is not None and w.section != "find"
        ]
        if not names:
            return []
        return [
            "Optional: can be had from the move on, and a win can do without",
            *folded("; ".join(names), WIDTH - 60, 9.5, 8),
        ]


def _worded(choice: Alternatives) -> tuple[str, tuple[str, ...]]:
    """The heading of a choice, and a line for each thing that can be chosen."""
    if any(len(side.things) > 1 for side in choice.sides) or len(choice.sides) == 2:
        return "one of", tuple(
            f"{('either' if s == 0 else 'or') if t == 0 else 'and'} {name}"
            for s, side in enumerate(choice.sides)
            for t, (_, name) in enumerate(side.things)
        )
    names = [side.things[0][1] for side in choice.sides]
    shown = names if len(names) <= MOST_CHOSEN else [*names[: MOST_CHOSEN - 1], "…"]
    return f"any {choice.count} of {len(names)}", tuple(shown)


def _box(must: Needed) -> Box:
    corner = f"{CORNER[must.section]}, {moment(must.first)}"
    # a find and the item in it often share a name, and one of them is enough
    names = [n for n in dict.fromkeys(n for _, n in must.merged_with) if must.name not in n]
    shown = names if len(names) <= 2 else [names[0], f"{len(names) - 1} more"]
    return Box(must.id, must.name, corner, tuple(f"with {name}" for name in shown), False)
