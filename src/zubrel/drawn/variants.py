"""Variants of a world as a picture: a grid for two things that vary, a line for one."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from zubrel.drawn.paper import (
    BAD,
    CARD,
    DEEP,
    INK,
    LINE,
    QUIET,
    TINTS,
    WIDTH,
    Paper,
    fitted,
)
from zubrel.narrated.words import counted

LEFT, RIGHT, TOP = 200.0, WIDTH - 60.0, 120.0
HIGH, BOTTOM = 640.0, 520.0
MOST = 40
"""Values of one axis that a picture has room for."""
_TINT = {"solvable": TINTS[2], "softlocks": TINTS[1], "unwinnable": TINTS[3]}


class VariantCell(Struct, frozen=True):
    """What was proved of a variant: its verdict, its shortest win if any, its softlocks."""

    verdict: str
    length: int | None
    shortest: bool
    softlocks: int

    @property
    def win(self) -> str:
        """The shortest win in short: `12`, `≤ 12` where a shorter one was not ruled out."""
        if self.length is None:
            return "–"
        return str(self.length) if self.shortest else f"≤ {self.length}"


class Axis(Struct, frozen=True):
    """A path that varies, and its values."""

    name: str
    values: tuple[str, ...]


def draw_variants(
    title: str, axes: Sequence[Axis], cells: Sequence[VariantCell], form: str
) -> bytes:
    """The picture as a file of one of the formats png, svg, pdf.

    `cells` has one for each combination, the last of the one or two `axes` changing fastest.
    """
    drawn = _grid(title, axes[0], axes[1], cells) if len(axes) > 1 else _line(title, axes[0], cells)
    return drawn.written(form)


def _grid(title: str, down: Axis, across: Axis, cells: Sequence[VariantCell]) -> Paper:
    """Rows for the values of the first axis, columns for those of the second."""
    # few values would make boxes as wide as the page; many share it
    wide = min(250.0, (RIGHT - LEFT) / len(across.values))
    high = min(64.0, max(34.0, HIGH / len(down.values)))
    height = TOP + 50 + high * len(down.values) + 60
    below = f"{down.name} downwards, {across.name} to the right: verdict, moves of the shortest win"
    paper = Paper(title, fitted(below, RIGHT - 24, 10.5), height)
    for n, value in enumerate(across.values):
        words = fitted(value, wide - 8, 10, True)
        paper.text(LEFT + wide * (n + 0.5), TOP + 30, words, 10, bold=True, align="center")
    for row, value in enumerate(down.values):
        y = TOP + 50 + high * row
        words = fitted(value, LEFT - 50, 10, True)
        paper.text(LEFT - 12, y + high / 2 + 4, words, 10, bold=True, align="right")
        for column in range(len(across.values)):
            # variants come with the last axis changing fastest
            cell = cells[row * len(across.values) + column]
            x = LEFT + wide * column
            tint = _TINT.get(cell.verdict, CARD)
            paper.box(x + 2, y + 2, wide - 4, high - 4, facecolor=tint, edgecolor=LINE)
            words = fitted(cell.verdict, wide - 12, 9)
            paper.text(x + wide / 2, y + high / 2 - 3, words, 9, align="center")
            told = fitted(_told(cell), wide - 12, 8.5)
            paper.text(x + wide / 2, y + high / 2 + 12, told, 8.5, QUIET, align="center")
    return paper


def _told(cell: VariantCell) -> str:
    locks = f", {counted(cell.softlocks, 'softlock')}" if cell.softlocks else ""
    win = "no win known" if cell.length is None else f"{cell.win} moves"
    return f"{win}{locks}"


def _line(title: str, axis: Axis, cells: Sequence[VariantCell]) -> Paper:
    """The shortest win for each value, with the verdict as sign and word."""
    most = max((c.length or 0 for c in cells), default=0) or 1
    below = f"{axis.name}: moves of the shortest win, and the verdict, for each value"
    paper = Paper(title, fitted(below, RIGHT - 24, 10.5), BOTTOM + 110)
    step = (RIGHT - LEFT) / max(1, len(cells))
    xs = [LEFT + step * (n + 0.5) for n in range(len(cells))]
    for share in (0.0, 0.5, 1.0):
        if most * share % 1:
            continue  # there is no half of a move
        y = BOTTOM - (BOTTOM - TOP) * share
        paper.line((LEFT, RIGHT), (y, y), LINE, 0.7, zorder=1)
        paper.text(LEFT - 10, y + 4, f"{most * share:.0f}", 9, QUIET, align="right")
    known = [
        (x, _y(c.length, most)) for x, c in zip(xs, cells, strict=True) if c.length is not None
    ]
    paper.line([x for x, _ in known], [y for _, y in known], DEEP, 1.6)
    for x, value, cell in zip(xs, axis.values, cells, strict=True):
        # a filled or hollow disc says the same without colours
        bad = cell.verdict != "solvable"
        if cell.length is None:
            paper.text(x, BOTTOM - 8, "no win", 9, BAD, align="center")
        else:
            y = _y(cell.length, most)
            paper.disc(x, y, 5, facecolor=CARD if bad else DEEP, edgecolor=BAD if bad else DEEP)
            paper.text(x, y - 12, cell.win, 9.5, align="center")
        words = fitted(value, step - 6, 10, True)
        paper.text(x, BOTTOM + 24, words, 10, bold=True, align="center")
        color = BAD if bad else INK
        paper.text(x, BOTTOM + 44, fitted(cell.verdict, step - 4, 9), 9, color, align="center")
        if cell.softlocks:
            words = fitted(counted(cell.softlocks, "softlock"), step - 4, 8.5)
            paper.text(x, BOTTOM + 60, words, 8.5, QUIET, align="center")
    paper.text(LEFT, BOTTOM + 90, "filled: solvable; hollow: it is not", 9, QUIET)
    return paper


def _y(length: int, most: int) -> float:
    return BOTTOM - (BOTTOM - TOP) * length / most
