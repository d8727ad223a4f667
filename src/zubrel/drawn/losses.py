"""Losses: where aimless plays lose the last win, by which moves, and how long they take."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from zubrel.base.kinds import DOOMING
from zubrel.drawn.layout import SIDE, TOP
from zubrel.drawn.map import MapSheet
from zubrel.drawn.paper import (
    BAD,
    DEEP,
    INK,
    LINE,
    PALE,
    QUIET,
    WIDTH,
    Paper,
    fitted,
    folded,
    marks,
)
from zubrel.narrated.report import Aimless, Report, Spread
from zubrel.narrated.shares import percent
from zubrel.narrated.sketch import SketchedArea

PANEL = 340.0
LEFT, RIGHT = 90.0, WIDTH - 200.0
MOST_LINES = 12
"""Moves, and areas, that are listed."""
FAINT, STRONG = 0.08, 0.6
"""How much of the colour of trouble the least and the greatest share have."""


def draw_losses(report: Report) -> Paper:
    """A sheet of 1280 pixels in width: the map, and below it how the plays go on, move by move."""
    assert report.sketch is not None and report.aimless is not None, "`draw` has seen to it"
    return _Losses(report, report.aimless).drawn()


class _Losses(MapSheet):
    def __init__(self, report: Report, aimless: Aimless) -> None:
        assert report.sketch is not None
        atlas = report.sketch.atlas
        # what ways ask for is told by the map
        passages = tuple(replace(p, asks=None) for p in atlas.passages)
        super().__init__(replace(atlas, passages=passages), report.title)
        self.report = report
        self.aimless = aimless
        self.lost = dict(aimless.lost_in)

    def about(self) -> str:
        won = percent(self.aimless.won or 0.0)
        return (
            f"What becomes of aimless plays, in which every possible move is alike likely: {won} "
            f"are won, in {percent(self.aimless.doomed)} the game goes on with no win left"
        )

    def side(self) -> list[tuple[str, bool]]:
        lines: list[tuple[str, bool]] = []
        names = {p.id: p.name for p in self.atlas.places}
        for title, shares in (
            ("Where the last win is lost", [(names[i], s) for i, s in self.aimless.lost_in]),
            ("By which move", list(self._moves())),
            ("How plays end that are not won", list(self.aimless.ends)),
        ):
            if shares:
                lines += [(title, True), *self._listed(shares), ("", False)]
        return lines or [("No play can lose its last win.", False)]

    def _moves(self) -> Iterator[tuple[str, float]]:
        """The moves that take the last win, by their labels, the most harmful first."""
        known = [f for f in self.report.findings if f.kind in DOOMING and f.aimless]
        for finding in sorted(known, key=lambda f: (-(f.aimless or 0.0), f.subject)):
            label = finding.evidence[-1].label if finding.evidence else finding.subject
            yield label, finding.aimless or 0.0

    def _listed(self, shares: Sequence[tuple[str, float]]) -> Iterator[tuple[str, bool]]:
        for name, share in shares[:MOST_LINES]:
            for turn, line in enumerate(folded(name, SIDE - 90, 9.2, 2)):
                yield (f"{percent(share):>9}  {line}" if turn == 0 else " " * 15 + line), False
        if len(shares) > MOST_LINES:
            yield f"  and {len(shares) - MOST_LINES} more", False

    def territories(self) -> None:
        """The colour of trouble, the deeper the more plays lose their last win there."""
        wide, high = self.shape.cell
        # against the worst area: shares of all plays are often small everywhere
        most = max(self.lost.values(), default=0.0)
        for place in self.reached:
            column, row = self.cells[place.id]
            x, y = 20 + column * wide, TOP + row * high
            share = self.lost.get(place.id, 0.0)
            depth = FAINT + (STRONG - FAINT) * share / most if share else 0.0
            self.paper.axes.fill(
                [x, x + wide, x + wide, x],
                [y, y, y + high, y + high],
                color=BAD if share else PALE,
                alpha=depth if share else 0.5,
                zorder=1,
                linewidth=0,
            )

    def card(self, place: SketchedArea) -> None:
        share = self.lost.get(place.id, 0.0)
        x, y, left, top, wide, high = self.frame(place, bool(share))
        # no room for a name: the number is in the list beside
        if self.shape.thin:
            number = str(self.numbers[place.id])
            self.paper.text(x, y - 1, number, 9.5, bold=True, align="center")
            words = percent(share) if share else fitted(place.name, wide - 6, 6.8)
            self.paper.text(x, y + 11, words, 6.8, BAD if share else INK, align="center")
            return
        names = folded(place.name, wide - 12, 8.6, 2, True)
        for turn, line in enumerate(names):
            self.paper.text(left + 6, top + 14 + 13 * turn, line, 8.6, bold=True)
        if share:
            below = top + 14 + 13 * len(names) + 8
            self.paper.text(left + 6, below, percent(share), 13, BAD, bold=True)
            room = int((top + high - below - 4) // 12)
            labels = ", ".join(place.softlocks)
            for turn, line in enumerate(folded(labels, wide - 12, 7.8, room) if room else ()):
                self.paper.text(left + 6, below + 14 + 12 * turn, line, 7.8)

    def legend(self, y: float) -> None:
        words = "the last win is lost here, in so many of all plays" if self.lost else ""
        self.one_way(self.borders(24.0, y, words), y)

    def room_below(self) -> float:
        return PANEL if len(self.aimless.curve) > 2 else 0.0

    def below(self, top: float) -> None:
        """What has become of plays after so many moves: the won from below, the doomed from
        above."""
        # without a curve there is only the map
        if not self.room_below():
            return
        paper, curve = self.paper, self.aimless.curve
        high, foot = PANEL - 110, top + PANEL - 58
        last = curve[-1][0]

        def x(moves: float) -> float:
            return LEFT + (RIGHT - LEFT) * moves / last

        def y(share: float) -> float:
            return foot - high * share

        paper.text(24, top + 22, "After how many moves", 12, bold=True)
        paper.text(24, top + 40, self._times(), 9.5, QUIET)
        for part in (0, 0.25, 0.5, 0.75, 1):
            paper.line((LEFT, RIGHT), (y(part), y(part)), LINE, 0.7, zorder=1)
            paper.text(LEFT - 8, y(part) + 4, f"{100 * part:.0f} %", 9, QUIET, align="right")
        for moves in marks(last, 15):
            paper.line((x(moves), x(moves)), (foot, foot + 5), INK, 1)
            paper.text(x(moves), foot + 19, f"{moves:,}", 9, QUIET, align="center")
        paper.text((LEFT + RIGHT) / 2, foot + 38, "moves made", 9.5, QUIET, align="center")
        # won from below and doomed from above: what is left between them still plays
        xs = [x(moves) for moves, _, _ in curve]
        won = [y(share) for _, share, _ in curve]
        doomed = [y(1 - share) for _, _, share in curve]
        paper.axes.fill_between(xs, won, foot, color=DEEP, alpha=0.35, zorder=1.1, linewidth=0)
        paper.line(xs, won, DEEP, 2)
        if self.aimless.doomed:
            paper.axes.fill_between(
                xs, doomed, y(1), color=BAD, alpha=0.25, zorder=1.1, linewidth=0
            )
            paper.line(xs, doomed, BAD, 2, linestyle=(0, (5, 2)))
            self._named(y(1) + 10, "doomed", curve[-1][2], BAD)
        self._named(foot - 14, "won", curve[-1][1], DEEP)

    def _named(self, y: float, name: str, share: float, color: str) -> None:
        """What an area of the panel means, at its right."""
        self.paper.text(RIGHT + 12, y, name, 10.5, color, bold=True)
        self.paper.text(RIGHT + 12, y + 14, f"{percent(share)} by then", 9, QUIET)

    def _times(self) -> str:
        parts = [
            *_in_words("a win", self.aimless.to_win),
            *_in_words("being doomed", self.aimless.to_doom),
        ]
        return "; ".join(parts)


def _in_words(goal: str, spread: Spread | None) -> Iterator[str]:
    if spread is None:
        return
    words = f"to {goal} {spread.mean:,.0f} moves on average"
    if spread.quartiles is not None:
        first, middle, last = spread.quartiles
        words += f", {middle:,} in the middle ({first:,} to {last:,} for half of them)"
    yield words
