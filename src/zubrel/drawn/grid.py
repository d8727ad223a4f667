"""Where areas go on a map: one to a cell of a grid, neighbours near each other.

A force-directed drawing (Kamada, Kawai: An algorithm for drawing general undirected graphs, 1989)
is pulled onto the grid by a cheapest assignment, and improved by simulated annealing that counts
the length of the ways, the cards that they run under, and chapters torn apart.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from functools import cache
from random import Random

import networkx
import numpy as np
from scipy.optimize import linear_sum_assignment

Cell = tuple[int, int]
STRETCH = 1.5
"""How much longer a step downwards counts than one to the right: cards are wide."""


def placed(
    count: int, edges: Sequence[tuple[int, int]], chapters: Sequence[int], columns: int, rows: int
) -> list[Cell]:
    """A cell (column, row) for each of `count` areas; the same every time."""
    cells = [(c, r) for r in range(rows) for c in range(columns)]
    start = _drawn(count, edges)
    here = np.array([start[n] for n in range(count)])
    spread = np.ptp(here, axis=0)
    here = (here - here.min(axis=0)) / np.where(spread > 0, spread, 1)
    here = here * (columns - 1, rows - 1)
    costs = ((here[:, None, :] - np.array(cells)[None, :, :]) ** 2).sum(axis=2)
    # each into a cell of its own, near to where it was drawn
    _, chosen = linear_sum_assignment(costs)
    return _Annealing([cells[c] for c in chosen], edges, chapters, cells).run()


def _drawn(count: int, edges: Sequence[tuple[int, int]]) -> Mapping[int, Sequence[float]]:
    graph = networkx.Graph()
    graph.add_nodes_from(range(count))
    graph.add_edges_from(edges)
    parts = [sorted(p) for p in networkx.connected_components(graph)]
    # distances in the graph are what is drawn: between parts without a way there would be none
    graph.add_edges_from((parts[0][0], p[0]) for p in parts[1:])
    drawn: Mapping[int, Sequence[float]] = networkx.kamada_kawai_layout(graph)
    return drawn


@cache
def _passed(dx: int, dy: int) -> tuple[Cell, ...]:
    """The cells, seen from its start, whose cards a straight line runs under on its way."""
    passed = []
    for x in range(min(0, dx), max(0, dx) + 1):
        for y in range(min(0, dy), max(0, dy) + 1):
            if (x, y) not in ((0, 0), (dx, dy)) and _crosses(dx, dy, x, y):
                passed.append((x, y))
    return tuple(passed)


def _crosses(dx: int, dy: int, x: int, y: int) -> bool:
    """Whether the line from (0, 0) to (dx, dy) meets the card in the middle of a cell."""
    low, high = 0.0, 1.0
    for delta, middle, half in ((dx, x, 0.43), (dy, y, 0.42)):
        if delta == 0:
            if abs(middle) > half:
                return False
            continue
        a, b = sorted(((middle - half) / delta, (middle + half) / delta))
        low, high = max(low, a), min(high, b)
    return low < high


class _Annealing:
    def __init__(
        self,
        places: list[Cell],
        edges: Sequence[tuple[int, int]],
        chapters: Sequence[int],
        cells: list[Cell],
    ) -> None:
        self.at = places
        self.cells = cells
        self.known = frozenset(cells)
        # both ways round, so that two areas can change places at once
        self.who: dict[Cell, int] = {cell: n for n, cell in enumerate(places)}
        self.chapters = chapters
        self.near: list[list[int]] = [[] for _ in places]
        for a, b in dict.fromkeys((min(e), max(e)) for e in edges):
            if a != b:
                self.near[a].append(b)
                self.near[b].append(a)
        # how many ways run under each cell, kept up to date with every move
        self.under: Counter[Cell] = Counter()
        for a, others in enumerate(self.near):
            for b in others:
                if a < b:
                    self._run(a, b, 1)

    def _run(self, a: int, b: int, sign: int) -> None:
        (x, y), (u, v) = self.at[a], self.at[b]
        for dx, dy in _passed(u - x, v - y):
            self.under[x + dx, y + dy] += sign

    def _cost(self, area: int) -> float:
        """What an area costs where it is: its ways, its chapter, what runs under it."""
        (x, y), cost = self.at[area], 0.0
        for other in self.near[area]:
            u, v = self.at[other]
            far = math.hypot(u - x, STRETCH * (v - y))
            cost += far * far
            cost += 8 * sum((x + dx, y + dy) in self.who for dx, dy in _passed(u - x, v - y))
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            neighbour = self.who.get((x + dx, y + dy))
            if neighbour is not None and self.chapters[neighbour] != self.chapters[area]:
                cost += 0.6
        return cost + 8 * self.under[x, y]

    def _move(self, area: int, cell: Cell) -> None:
        """Put an area into a cell; whoever is there goes where the area was."""
        other, before = self.who.get(cell), self.at[area]
        moved = [area] if other is None else [area, other]
        # a way between the two that change places is counted once
        pairs = {(min(a, b), max(a, b)) for a in moved for b in self.near[a]}
        for a, b in pairs:
            self._run(a, b, -1)
        # only the ways of the two that moved are run again: all others stay as they are
        self.at[area] = cell
        self.who[cell] = area
        if other is None:
            del self.who[before]
        else:
            self.at[other], self.who[before] = before, other
        for a, b in pairs:
            self._run(a, b, 1)

    def run(self) -> list[Cell]:
        # the same luck each time: the same world has the same picture
        random = Random(1)
        count = len(self.at)
        rounds = min(20_000, 500 * count)
        for turn in range(rounds):
            # what makes it worse is let pass less and less, as it cools down
            heat = 3.0 * (1 - turn / rounds) ** 2 + 1e-6
            area = random.randrange(count)
            cell = self._wanted(area, random)
            if cell == self.at[area]:
                continue
            other, before = self.who.get(cell), self.at[area]
            moved = [area] if other is None else [area, other]
            old = sum(self._cost(a) for a in moved)
            self._move(area, cell)
            new = sum(self._cost(a) for a in moved)
            if new > old and random.random() >= math.exp((old - new) / heat):
                self._move(area, before)
        return self.at

    def _wanted(self, area: int, random: Random) -> Cell:
        """Beside one of its neighbours more often than anywhere."""
        if self.near[area] and random.random() < 0.7:
            x, y = self.at[random.choice(self.near[area])]
            cell = (x + random.randint(-1, 1), y + random.randint(-1, 1))
            if cell in self.known:
                return cell
        return random.choice(self.cells)
