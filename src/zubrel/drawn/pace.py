"""Pace: how often plays come to something new, and where nothing new comes for longest."""

from __future__ import annotations

from zubrel.checked.world import World
from zubrel.drawn.letters import drawable
from zubrel.drawn.paper import DEEP, INK, LINE, PALE, QUIET, WIDTH, Paper, fitted, folded, marks
from zubrel.narrated.shares import percent
from zubrel.odds.pacing import pace_in_words
from zubrel.odds.plays import Simulated

LEFT, RIGHT, TOP, BOTTOM = 90.0, WIDTH - 420.0, 110.0, 700.0
HEIGHT = 800.0
BARS = RIGHT + 60
MOST = 12
"""Areas with a bar."""


def draw_pace(world: World, player: str, seen: Simulated) -> Paper:
    """A sheet of 1280 by 800 pixels, of simulated plays of one kind of player."""
    return _Pace(world, player, seen).drawn()


class _Pace:
    def __init__(self, world: World, player: str, seen: Simulated) -> None:
        self.world = world
        self.player = player
        self.seen = seen
        self.curve = seen.pace.curve
        self.last = max(1, self.curve[-1][0] if self.curve else 1)
        self.most = max((row[3] for row in self.curve), default=1) or 1

    def drawn(self) -> Paper:
        title = self.world.title if drawable(self.world.title) else self.world.path
        below = (
            f"The pace of {self.seen.plays:,} {self.player} plays: new things, moves that a play "
            f"has not made yet and areas where it has not been, after so many moves"
        )
        self.paper = Paper(title, below, HEIGHT)
        self._scales()
        self._band()
        self._beside()
        return self.paper

    def _x(self, move: float) -> float:
        return LEFT + (RIGHT - LEFT) * move / self.last

    def _y(self, count: float) -> float:
        return BOTTOM - (BOTTOM - TOP) * count / self.most

    def _scales(self) -> None:
        paper = self.paper
        for count in marks(self.most, 8):
            y = self._y(count)
            paper.line((LEFT, RIGHT), (y, y), LINE, 0.7, zorder=1)
            paper.text(LEFT - 8, y + 4, f"{count:,}", 9, QUIET, align="right")
        for move in marks(self.last, 12):
            x = self._x(move)
            paper.line((x, x), (BOTTOM, BOTTOM + 5), INK, 1)
            paper.text(x, BOTTOM + 20, f"{move:,}", 9, QUIET, align="center")
        paper.line((LEFT, RIGHT), (BOTTOM, BOTTOM), INK, 1)
        paper.text((LEFT + RIGHT) / 2, BOTTOM + 42, "moves made", 9.5, QUIET, align="center")
        paper.text(LEFT, TOP - 14, "new things so far", 9.5, QUIET)

    def _band(self) -> None:
        # quartiles of all plays after each number of moves
        xs = [self._x(row[0]) for row in self.curve]
        low, middle, high = ([self._y(row[n]) for row in self.curve] for n in (1, 2, 3))
        self.paper.axes.fill_between(xs, low, high, color=PALE, zorder=1.1, linewidth=0)
        self.paper.line(xs, middle, DEEP, 2.2, zorder=3)
        for edge in (low, high):
            self.paper.line(xs, edge, DEEP, 0.8, linestyle=(0, (3, 2)), zorder=2)
        y = BOTTOM - 36.0
        for words, width, dashes in (
            ("the middle of all plays", 2.2, "-"),
            ("half of all plays lie between", 0.8, (0, (3, 2))),
        ):
            self.paper.line(
                (RIGHT - 290, RIGHT - 260), (y - 4, y - 4), DEEP, width, linestyle=dashes
            )
            self.paper.text(RIGHT - 252, y, words, 9.5)
            y += 18

    def _beside(self) -> None:
        """In words, and a bar for each area in which nothing new comes for longest."""
        paper, wide = self.paper, WIDTH - BARS - 24
        y = TOP + 4.0
        for sentence in pace_in_words(self.world, self.seen.pace):
            words = "".join(c for c in sentence if drawable(c))
            for line in folded(words, wide, 9.8, 4):
                paper.text(BARS, y, line, 9.8)
                y += 16
            y += 8
        # bars only where there was something dull
        parts = self.seen.pace.dull[:MOST]
        if not parts:
            return
        y += 14
        heading = folded(
            "Where the longest stretches with nothing new are spent", wide, 10.5, 2, True
        )
        for line in heading:
            paper.text(BARS, y, line, 10.5, bold=True)
            y += 17
        y += 4
        longest = parts[0].share
        for part in parts:
            name = self.world.name_of(part.id)
            paper.text(BARS, y + 9, fitted(name if drawable(name) else part.id, 150, 9.2), 9.2)
            bar = max(1.0, (wide - 215) * part.share / longest)
            paper.box(BARS + 158, y, bar, 11, facecolor=DEEP, edgecolor=DEEP)
            paper.text(BARS + 164 + bar, y + 9, percent(part.share), 9.2, QUIET)
            y += 19
