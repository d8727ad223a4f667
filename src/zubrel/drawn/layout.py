"""Sizes and places on the map: how large its cards are, and where each stands."""

from __future__ import annotations

import math

from zubrel.drawn.grid import Cell
from zubrel.drawn.paper import WIDTH

MOST_CARDS = 48
"""With more areas the cards carry numbers, and a list below tells the rest."""
TOP, SIDE = 76, 330


class Layout:
    """Sizes in pixels: of the grid, its cells, and the cards in them."""

    def __init__(self, reached: int) -> None:
        self.thin = reached > MOST_CARDS
        self.wide = WIDTH - 40 if self.thin else WIDTH - SIDE - 30
        # a third more cells than areas, so that neighbours find a place near each other
        wanted = max(1, math.ceil(1.35 * reached))
        if self.thin:
            self.columns = 14
        else:
            self.columns = min(7, max(2, math.ceil(math.sqrt(0.9 * wanted))))
        self.rows = max(1, math.ceil(wanted / self.columns))
        self.cell = (
            min(210.0, self.wide / self.columns),
            56.0 if self.thin else min(120.0, max(75.0, 608 / self.rows)),
        )
        self.card = (self.cell[0] - 22, self.cell[1] - 19)

    @property
    def high(self) -> float:
        return self.rows * self.cell[1]

    def centre(self, cell: Cell) -> tuple[float, float]:
        return 20 + (cell[0] + 0.5) * self.cell[0], TOP + (cell[1] + 0.5) * self.cell[1]


def roman(number: int) -> str:
    """I, II, III, IV, ..."""
    words = ""
    for value, letters in (
        (100, "C"),
        (90, "XC"),
        (50, "L"),
        (40, "XL"),
        (10, "X"),
        (9, "IX"),
        (5, "V"),
        (4, "IV"),
        (1, "I"),
    ):
        count, number = divmod(number, value)
        words += letters * count
    return words
