"""What all pictures share: paper, ink, type, and files of them."""

from __future__ import annotations

import warnings
from io import BytesIO
from textwrap import wrap
from typing import Any

import matplotlib
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.textpath import text_to_path

matplotlib.rcParams.update({"svg.hashsalt": "zubrel", "font.family": "DejaVu Sans"})
warnings.filterwarnings("ignore", "Glyph .* missing")

INK, QUIET, PAPER, CARD = "#17242d", "#566773", "#fbfaf6", "#ffffff"
LINE, DEEP, PALE, BAD = "#c3c9c7", "#0f5a73", "#dfe9ec", "#9b2c1c"
TINTS = ("#e3edf0", "#f1ead9", "#e6ebdd", "#efe3e4")
"""Four that can be told apart beside each other, by their lightness too."""
COLORS = {
    INK: "pic-ink",
    QUIET: "pic-quiet",
    PAPER: "pic-paper",
    CARD: "pic-card",
    LINE: "pic-line",
    DEEP: "pic-deep",
    PALE: "pic-pale",
    BAD: "pic-bad",
    **{tint: f"pic-tint-{n}" for n, tint in enumerate(TINTS)},
}
"""What the colours are called on a page, so that a dark one can have others."""
DPI = 100
WIDTH, LEAST = 1280, 360
FORMATS = ("png", "svg", "pdf")


class Paper:
    """A sheet on which one unit is one pixel, x to the right and y downwards."""

    def __init__(self, title: str, below: str, height: float) -> None:
        self.width, self.height = WIDTH, max(LEAST, height)
        self.spots: dict[str, tuple[float, float, float, float]] = {}
        """What can be pointed at, by ids: left, top, width and height in pixels."""
        self.figure = Figure((self.width / DPI, self.height / DPI), DPI, facecolor=PAPER)
        self.axes: Any = self.figure.add_axes((0, 0, 1, 1))
        self.axes.set(xlim=(0, self.width), ylim=(self.height, 0))
        self.axes.axis("off")
        self.text(24, 34, fitted(title, 1180, 17, True), 17, bold=True)
        self.text(24, 58, below, 10.5, QUIET)

    def text(
        self,
        x: float,
        y: float,
        words: str,
        size: float = 10,
        color: str = INK,
        bold: bool = False,
        italic: bool = False,
        align: str = "left",
        level: float = 5,
    ) -> None:
        """Words whose base line begins (or ends, or is centred) at a point."""
        self.axes.text(
            x,
            y,
            words,
            fontsize=size,
            color=color,
            ha=align,
            va="baseline",
            zorder=level,
            weight="bold" if bold else "normal",
            style="italic" if italic else "normal",
            # a dollar sign in a name is no formula
            parse_math=False,
        )

    def line(self, xs: Any, ys: Any, color: str = INK, width: float = 1, **more: Any) -> None:
        self.axes.plot(xs, ys, color=color, linewidth=width, **{"zorder": 2, **more})

    def box(self, x: float, y: float, wide: float, high: float, **style: Any) -> None:
        """A rectangle by its upper left corner."""
        from matplotlib.patches import FancyBboxPatch

        style = {"facecolor": CARD, "edgecolor": INK, "linewidth": 1, "zorder": 3, **style}
        self.axes.add_patch(
            FancyBboxPatch((x, y), wide, high, boxstyle="round,pad=0,rounding_size=3", **style)
        )

    def disc(self, x: float, y: float, radius: float, **style: Any) -> None:
        from matplotlib.patches import Circle

        style = {"facecolor": CARD, "edgecolor": INK, "linewidth": 1, "zorder": 4, **style}
        self.axes.add_patch(Circle((x, y), radius, **style))

    def tip(self, x: float, y: float, dx: float, dy: float, color: str = INK) -> None:
        """The head of an arrow with its point at (x, y), in the direction of a unit vector."""
        from matplotlib.patches import Polygon

        long, half = 10, 4.5
        # a triangle, drawn by hand: the library's arrow heads depend on the length of the line
        back = (x - long * dx, y - long * dy)
        corners = [
            (x, y),
            (back[0] - half * dy, back[1] + half * dx),
            (back[0] + half * dy, back[1] - half * dx),
        ]
        self.axes.add_patch(
            Polygon(corners, facecolor=color, edgecolor=PAPER, linewidth=0.6, zorder=4.5)
        )

    def written(self, form: str) -> bytes:
        """The sheet as a file of one of `FORMATS`, the same every time."""
        memory = BytesIO()
        metadata: dict[str, Any] = {
            "png": {"Software": None},
            "svg": {"Date": None},
            "pdf": {"CreationDate": None},
        }[form]
        self.figure.savefig(memory, format=form, facecolor=PAPER, metadata=metadata)
        return memory.getvalue()


def width_of(words: str, size: float, bold: bool = False) -> float:
    """How many pixels words take at a size in points."""
    font = FontProperties(family="DejaVu Sans", size=size, weight="bold" if bold else "normal")
    wide: float = text_to_path.get_text_width_height_descent(words, font, False)[0]
    return wide * DPI / 72


def fitted(words: str, wide: float, size: float, bold: bool = False) -> str:
    """The words, cut with an ellipsis where they are wider than some pixels."""
    if width_of(words, size, bold) <= wide:
        return words
    while words and width_of(words + "…", size, bold) > wide:
        words = words[:-1]
    return words.rstrip(" ,(“:") + "…"


def folded(words: str, wide: float, size: float, most: int, bold: bool = False) -> list[str]:
    """The words in at most `most` lines of some pixels, the last cut where they are too many."""
    letters = max(4, int(wide / width_of("n", size, bold)))
    while True:
        lines = wrap(words, letters, break_long_words=False) or [""]
        if letters <= 4 or all(width_of(line, size, bold) <= wide for line in lines):
            break
        letters -= 1
    if len(lines) > most:
        lines = [*lines[: most - 1], " ".join(lines[most - 1 :])]
    return [fitted(line, wide, size, bold) for line in lines]


def marks(last: int, most: int) -> range:
    """Where a scale from 0 has its marks: 1, 2 or 5 times a power of ten apart, no more than
    `most` of them after 0."""
    step, grown = 1, 0
    while last / step > most:
        grown += 1
        step = (1, 2, 5)[grown % 3] * 10 ** (grown // 3)
    return range(0, last + 1, step)
