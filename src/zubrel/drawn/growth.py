"""Growth: how many situations there are after each move, won and doomed ones among them."""

from __future__ import annotations

import math

from zubrel.base.kinds import DOOMING
from zubrel.drawn.paper import BAD, DEEP, INK, LINE, PALE, QUIET, WIDTH, Paper, marks
from zubrel.narrated.report import Report
from zubrel.narrated.words import counted

LEFT, RIGHT, TOP, BOTTOM = 90.0, WIDTH - 150.0, 110.0, 700.0
HEIGHT = 800.0


def draw_growth(report: Report) -> Paper:
    """A sheet of 1280 by 800 pixels; a logarithmic scale, since worlds grow by powers."""
    return _Growth(report).drawn()


class _Growth:
    def __init__(self, report: Report) -> None:
        self.report = report
        assert report.sketch and report.sketch.growth is not None, "`draw` has seen to it"
        self.growth: tuple[tuple[int, ...], ...] = report.sketch.growth
        self.last = max(1, len(self.growth) - 1)
        most = max((row[0] for row in self.growth), default=1)
        self.powers = max(1, math.ceil(math.log10(max(2, most))))

    def drawn(self) -> Paper:
        report = self.report
        # the move after which the most is new
        widest = max(range(len(self.growth)), key=lambda n: self.growth[n][0])
        below = (
            f"New situations after each move: {report.situations:,} in all, the farthest "
            f"{counted(len(self.growth) - 1, 'move')} from the start, the most after move "
            f"{widest}"
        )
        self.paper = Paper(report.title, below, HEIGHT)
        self._scales()
        self._filled()
        labels = (
            ("all", INK, 2.0, "-"),
            ("won", DEEP, 2.4, (0, (1, 1.2))),
            ("doomed", BAD, 2.0, (0, (5, 2))),
        )
        ends: list[float] = []
        for column, (name, color, width, dashes) in enumerate(labels):
            self._curve(column, name, color, width, dashes, ends)
        self._trouble()
        return self.paper

    def _x(self, move: float) -> float:
        return LEFT + (RIGHT - LEFT) * move / self.last

    def _y(self, count: float) -> float:
        """Logarithmic from 1 on; 0 is on the base line, half a step below 1."""
        share = (math.log10(count) + 0.3) / (self.powers + 0.3) if count >= 1 else 0.0
        return BOTTOM - (BOTTOM - TOP) * share

    def _scales(self) -> None:
        paper = self.paper
        # numbers of situations grow by factors: the scale is one of powers
        for power in range(self.powers + 1):
            y = self._y(10**power)
            paper.line((LEFT, RIGHT), (y, y), LINE, 0.7, zorder=1)
            paper.text(LEFT - 8, y + 4, f"{10**power:,}", 9, QUIET, align="right")
        paper.text(LEFT - 8, BOTTOM + 4, "0", 9, QUIET, align="right")
        paper.line((LEFT, RIGHT), (BOTTOM, BOTTOM), INK, 1)
        for move in marks(self.last, 15):
            x = self._x(move)
            paper.line((x, x), (BOTTOM, BOTTOM + 5), INK, 1)
            paper.text(x, BOTTOM + 20, str(move), 9, QUIET, align="center")
        paper.text(
            (LEFT + RIGHT) / 2, BOTTOM + 42, "moves from the start", 9.5, QUIET, align="center"
        )
        paper.text(LEFT, TOP - 14, "new situations", 9.5, QUIET)

    def _filled(self) -> None:
        assert self.growth is not None
        xs = [self._x(n) for n in range(len(self.growth))]
        ys = [self._y(row[0]) for row in self.growth]
        self.paper.axes.fill_between(xs, ys, BOTTOM, color=PALE, zorder=1.1, linewidth=0)

    def _curve(
        self, column: int, name: str, color: str, width: float, dashes: object, ends: list[float]
    ) -> None:
        """A line, with its name and sum at the right; nothing of what never occurs."""
        assert self.growth is not None
        counts = [row[column] for row in self.growth]
        if not any(counts):
            return
        xs = [self._x(n) for n in range(len(counts))]
        ys = [self._y(c) if c else math.nan for c in counts]
        self.paper.line(xs, ys, color, width, linestyle=dashes, zorder=3 + column * 0.1)
        # a line through one point is nothing to be seen
        if sum(c > 0 for c in counts) == 1:
            n = next(n for n, c in enumerate(counts) if c)
            self.paper.disc(self._x(n), self._y(counts[n]), 5, facecolor=color)
        y = next(self._y(c) for c in reversed(counts) if c)
        # names at the right must not lie on each other
        while any(abs(y - other) < 32 for other in ends):
            y -= 4
        ends.append(y)
        self.paper.line((RIGHT + 8, RIGHT + 34), (y - 4, y - 4), color, width, linestyle=dashes)
        self.paper.text(RIGHT + 40, y, name, 10.5, color, bold=True)
        self.paper.text(RIGHT + 40, y + 14, f"{sum(counts):,}", 9, QUIET)

    def _trouble(self) -> None:
        """Where each softlock can begin at the earliest, as an upright line with its name."""
        # by label, so that several findings about one move are one line
        first: dict[str, int] = {}
        for finding in self.report.findings:
            if finding.kind in DOOMING and finding.evidence and not finding.accepted:
                first.setdefault(finding.evidence[-1].label, len(finding.evidence))
        ordered = sorted(first.items(), key=lambda pair: pair[1])
        for n, (label, move) in enumerate(ordered[:8]):
            x, y = self._x(move), TOP + 22 + 19 * n
            self.paper.line((x, x), (y - 8, BOTTOM), BAD, 1, linestyle=(0, (2, 2)), zorder=2)
            # far to the right the name stands before the line, or it would be cut off
            right = x > (LEFT + RIGHT) * 0.6
            self.paper.text(
                x - 6 if right else x + 6,
                y,
                f"move {move}: {label}",
                9.2,
                BAD,
                align="right" if right else "left",
            )
        if len(ordered) > 8:
            self.paper.text(
                LEFT + 10, TOP + 22 + 19 * 8, f"and {len(ordered) - 8} more softlocks", 9.2, BAD
            )
