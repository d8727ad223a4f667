"""Windows: from which move on each thing can be had, and what may close it for good."""

from __future__ import annotations

from zubrel.drawn.paper import BAD, CARD, DEEP, INK, LINE, PALE, QUIET, WIDTH, Paper, fitted, folded
from zubrel.explored.space import Distance
from zubrel.narrated.report import Report, TimeWindow
from zubrel.narrated.words import counted, moment

MOST_ROWS = 60
LEFT, RIGHT, ROW = 250.0, WIDTH - 40.0, 17.0
TOP = 118.0
START = Distance(0)
MOST_MARKS = 26


class _Closing:
    """A point of no return: the move in which it can be made at the earliest, and its words."""

    def __init__(self, move: Distance, label: str, letter: str) -> None:
        self.move, self.label, self.letter = move, label, letter


def draw_windows(report: Report) -> Paper:
    """A sheet of 1280 pixels in width with a row for each item, find and quest that can be had."""
    return _Windows(report).drawn()


class _Windows:
    def __init__(self, report: Report) -> None:
        progress = report.progress
        self.title = report.title
        every = [w for w in progress.windows if w.first is not None] if progress else []
        every.sort(key=lambda w: (w.first or START, w.section != "item", w.name))
        # a find and the thing that lies there open and close together: one row for both
        every = [w for w in every if not _told_by_item(w, every)]
        self.rows = every
        # what may be closed is what somebody looks for here: the rest goes first
        if len(every) > MOST_ROWS:
            closing = [w for w in every if w.closed_by]
            others = [w for w in every if not w.closed_by]
            room = max(0, MOST_ROWS - len(closing))
            kept = [*closing[:MOST_ROWS], *others[:room]]
            self.rows = [w for w in every if w in kept]
        self.left_out = len(every) - len(self.rows)
        moves = [w.first.steps for w in every if w.first]
        moves += [m.steps for w in every for _, _, m in w.closed_by]
        win = len(report.shortest_win.moves) if report.shortest_win else 0
        self.win = win
        self.sure = report.shortest_win is None or report.shortest_win.shortest
        self.last = max([*moves, win, 1])
        marks: dict[str, tuple[Distance, str]] = {}
        for window in self.rows:
            for rule, label, move in window.closed_by:
                if rule not in marks or move < marks[rule][0]:
                    marks[rule] = move, label
        # letters go to the moves that may come soonest
        order = sorted(marks, key=lambda rule: marks[rule])[:MOST_MARKS]
        self.marks = {r: _Closing(*marks[r], chr(65 + n)) for n, r in enumerate(order)}

    def drawn(self) -> Paper:
        legend = [
            line
            for m in self.marks.values()
            for line in folded(f"{m.letter}  {m.label}, {moment(m.move, later=True)}", 580, 9.5, 1)
        ]
        rows = (len(legend) + 1) // 2
        bottom = TOP + ROW * len(self.rows)
        height = bottom + 40 + 16 * rows + (20 if self.left_out else 0) + 50
        below = (
            f"{counted(len(self.rows), 'thing')} by the move after which a play can have it. "
            "Shaded: nothing can have closed it yet. White: may be closed. "
            "A letter: a move that closes it for good."
        )
        paper = self.paper = Paper(self.title, below, height)
        self._axis(bottom)
        for n, window in enumerate(self.rows):
            self._row(window, TOP + ROW * n)
        y = bottom + 34
        if self.marks:
            paper.text(24, y, "Points of no return", 9.5, bold=True)
        for n, line in enumerate(legend):
            column, row = divmod(n, max(1, rows))
            paper.text(24 + 610 * column, y + 17 + 16 * row, line, 9.5)
        if self.left_out:
            words = f"and {self.left_out} more that nothing closes"
            paper.text(24, y + 24 + 16 * rows, words, 9.5, QUIET)
        return paper

    def _x(self, move: float) -> float:
        return LEFT + (RIGHT - LEFT) * move / self.last

    def _axis(self, bottom: float) -> None:
        paper = self.paper
        # round numbers, and not more of them than fit side by side
        step = next(
            s for s in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 10**6) if self.last / s <= 12
        )
        for move in range(0, self.last + 1, step):
            x = self._x(move)
            paper.line((x, x), (TOP - 6, bottom), LINE, 0.7, zorder=1)
            paper.text(x, bottom + 14, str(move), 8.6, QUIET, align="center")
        paper.text(LEFT - 12, bottom + 14, "move", 8.6, QUIET, align="right")
        # a win may be longer than all that the axis shows
        if self.win and self._x(self.win) <= RIGHT:
            x = self._x(self.win)
            paper.line((x, x), (TOP - 20, bottom), INK, 1.6, zorder=4)
            paper.text(
                x + 4,
                TOP - 24,
                f"shortest win, move {self.win}" if self.sure else f"a win by move {self.win}",
                8.6,
                align="right",
            )
        taken: list[float] = []
        for mark in self.marks.values():
            x = self._x(mark.move.steps)
            paper.line((x, x), (TOP - 4, bottom), BAD, 0.9, linestyle=(0, (4, 3)), zorder=1.2)
            spot = x
            # letters of moves that come soon after each other would lie on each other
            while any(abs(spot - other) < 11 for other in taken):
                spot += 11
            taken.append(spot)
            paper.text(spot, TOP - 8, mark.letter, 8.6, BAD, bold=True, align="center")

    def _row(self, window: TimeWindow, top: float) -> None:
        paper, middle = self.paper, top + ROW / 2
        name = window.name if window.section != "quest" else f"quest {window.name}"
        paper.text(
            LEFT - 12,
            middle + 4,
            fitted(name, LEFT - 40, 9),
            9,
            align="right",
            italic=window.section != "item",
        )
        start = self._x((window.first or START).steps)
        closed = bool(window.closed_by)
        fill = CARD if closed else PALE
        paper.box(
            start, middle - 5, max(3.0, RIGHT - start), 10, facecolor=fill, edgecolor=DEEP, zorder=2
        )
        if closed:
            # up to the soonest move that may close it, a thing is surely open
            first = self._x(min(m.steps for _, _, m in window.closed_by))
            if first > start:
                paper.box(
                    start, middle - 5, first - start, 10, facecolor=PALE, edgecolor=DEEP, zorder=2.1
                )
        places: dict[int, list[str]] = {}
        for rule, _, move in window.closed_by:
            if rule in self.marks:
                places.setdefault(move.steps, []).append(self.marks[rule].letter)
        # letters that would run into each other stand together behind the last of their lines
        clusters: list[tuple[list[float], str]] = []
        for place, letters in sorted(places.items()):
            x, words = self._x(place), "".join(letters)
            if clusters and x - clusters[-1][0][-1] < 6 + 7 * len(clusters[-1][1]):
                clusters[-1] = [*clusters[-1][0], x], clusters[-1][1] + words
            else:
                clusters.append(([x], words))
        for xs, words in clusters:
            for x in xs:
                paper.line((x, x), (middle - 7, middle + 7), BAD, 2.2, zorder=3)
            paper.text(xs[-1] + 3, middle + 3.6, words, 7.6, BAD, bold=True)


def _told_by_item(window: TimeWindow, every: list[TimeWindow]) -> bool:
    """A find whose item has the same window says nothing of its own."""
    return window.section == "find" and any(
        w.section == "item"
        and w.first == window.first
        and w.closed_by == window.closed_by
        and w.name in window.name
        for w in every
    )
