"""Sets made smaller by what sums tell: sums that are never less than at the start."""

from __future__ import annotations

import logging
from bisect import bisect_left, bisect_right, insort
from collections.abc import Mapping, Sequence
from functools import cached_property
from itertools import accumulate
from math import inf

from zubrel.base.budget import WorkSpent
from zubrel.compiled.balances import Balances, Digit, Sum
from zubrel.compiled.system import System
from zubrel.explored.backward.areas import Areas, holds_any, nodes_of
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.policy import SUMS, WEIGHING

log = logging.getLogger(__name__)

NODE = 3
"""Units of work to look at one node of a diagram."""
LARGER = 4
"""Times the nodes that a set may have had, beyond which sums have made it too large."""


class Weighing:
    """Leaves out of sets what some sum tells that no play comes to."""

    def __init__(self, system: System, encoding: Encoding, begin: Sequence[int]) -> None:
        self.system = system
        self.encoding = encoding
        self.begin = begin
        self.digits: dict[int, Digit] = {
            bit: (variable, place)
            for variable, bits in encoding.bits.items()
            for place, bit in enumerate(reversed(bits))
        }
        """By bit, what it stands for."""
        self.bits = {digit: bit for bit, digit in self.digits.items()}

    @cached_property
    def balances(self) -> Balances:
        """Found out where somebody asks: most sets are told about by other means."""
        return Balances(self.system, self.begin)

    def left_of(self, areas: Areas) -> Areas:
        """A set without what sums tell, as far as that is soon found: it may be empty."""
        most = LARGER * nodes_of(areas)
        left = areas
        try:
            with self.encoding.budget.within(WEIGHING):
                for count in range(SUMS):
                    if not holds_any(left):
                        log.info("out of reach, as %d sums tell", count)
                        break
                    found = self._excluding(left)
                    if found is None or nodes_of(left) > most:
                        break
                    left = tuple(self._above(diagram, found) for diagram in left)
        except WorkSpent:
            self.encoding.budget.spend(1)  # a share that is all spent outside of here ends this
        return left

    def _excluding(self, areas: Areas) -> Sum | None:
        """A sum that tells of some situations of a set that no play comes to them."""
        diagram = next(d for d in areas if d.satisfiable())
        picked = diagram.pick_cube()
        assert picked is not None, "it holds some situation"
        budget = self.encoding.budget
        known = {d: bool(picked[b]) for b, d in self.digits.items() if picked[b] is not None}
        # many situations at once, or at least one of them
        return self.balances.excluding(known, budget) or self.balances.excluding(
            {d: bool(picked[b]) for b, d in self.digits.items()}, budget
        )

    def _above(self, diagram: Diagram, asked: Sum) -> Diagram:
        """The situations of a set in which a sum is large enough."""
        weights = {self.bits[digit]: weight for digit, weight in asked.weights.items()}
        return _Above(self.encoding, weights, asked.least).of(diagram)


Place = tuple[int, Diagram]
"""The next level that matters, and what is below it."""
Part = tuple[float, float, Diagram]
"""What is left below a place, for all sums above it from one number to another."""


class _Above:
    """Where the weighted sum of some bits is large enough, within one diagram.

    Only so much of the sum is looked at as the diagram leaves open (a diagram of the sum itself
    would have up to a million nodes), and sums above a node that leave the same below it are one
    (intervals of sums: Abio, Nieuwenhuis, Oliveras, Rodriguez-Carbonell, Mayer-Eichberger: A new
    look at BDDs for pseudo-Boolean constraints, 2012).
    """

    def __init__(self, encoding: Encoding, weights: Mapping[int, int], least: int) -> None:
        self.encoding = encoding
        self.least = least
        # bits by their place in the order, which is another one from time to time
        self.weights = {encoding.manager.var_to_level(bit): w for bit, w in weights.items()}
        self.weighed = sorted(self.weights)
        self._lows = [0, *accumulate(min(0, self.weights[n]) for n in self.weighed)]
        self._highs = [0, *accumulate(max(0, self.weights[n]) for n in self.weighed)]
        self.children: dict[Diagram, tuple[int, Diagram, Diagram]] = {}
        """By node its level, and what is below it where its bit is high and where it is low."""
        self.extents: dict[Diagram, tuple[int, int] | None] = {}
        """By node the least and the most that its bits, and those below, bring to the sum; None:
        nothing is below it."""
        self._parts: dict[Place, list[Part]] = {}
        """What is known to be left, by the sums above, in their order."""

    def of(self, diagram: Diagram) -> Diagram:
        """The part of a diagram in which the sum is large enough."""
        self._measure(diagram)
        waiting = [(0, diagram, 0)]
        while waiting:
            begin, node, total = waiting[-1]
            if self._known(begin, node, total) is not None:
                waiting.pop()
                continue
            self.encoding.budget.spend(NODE)
            below = self._below(self._place(begin, node), total)
            unknown = [state for state in below if self._known(*state) is None]
            if unknown:
                waiting += unknown
            else:
                self._make(self._place(begin, node), total)
        self.encoding.pause()
        known = self._known(0, diagram, 0)
        assert known is not None, "all that it depends on is known"
        return known[2]

    def _known(self, begin: int, node: Diagram, total: int) -> Part | None:
        """What is left of a node with such a sum above it, as far as that is known; `begin` is the
        first level that was not counted."""
        extent = self.extents[node]
        if extent is None:
            return -inf, inf, self.encoding.false
        low, high = self._skipped(begin, self.encoding.level_of(node))
        enough, too_little = self.least - low - extent[0], self.least - high - extent[1] - 1
        if total >= enough:
            return enough, inf, node
        if total <= too_little:
            return -inf, too_little, self.encoding.false
        parts = self._parts.get(self._place(begin, node), [])
        place = bisect_right(parts, float(total), key=_first) - 1
        return parts[place] if place >= 0 and total <= parts[place][1] else None

    def _place(self, begin: int, node: Diagram) -> Place:
        own = self.encoding.level_of(node)
        place = bisect_left(self.weighed, begin)
        weighed = self.weighed[place] if place < len(self.weighed) else own
        return min(own, weighed), node

    def _below(self, place: Place, total: int) -> list[tuple[int, Diagram, int]]:
        """What a place comes to where its bit is high, and where it is low."""
        level, node = place
        own, high, low = self.children.get(node, (None, node, node))
        # a bit that the diagram leaves free counts all the same
        if level != own:
            high = low = node
        return [(level + 1, high, total + self.weights.get(level, 0)), (level + 1, low, total)]

    def _make(self, place: Place, total: int) -> None:
        """Put together what is left below a place, of which both halves are known."""
        high, low = (self._known(*state) for state in self._below(place, total))
        assert high is not None and low is not None, "what is below was asked before"
        weight = self.weights.get(place[0], 0)
        bit = self.encoding.manager.level_to_var(place[0])
        made = self.encoding.manager.var(bit).ite(high[2], low[2])
        part = max(high[0] - weight, low[0]), min(high[1] - weight, low[1]), made
        insort(self._parts.setdefault(place, []), part, key=_first)

    def _skipped(self, begin: int, end: int) -> tuple[int, int]:
        """The least and the most that the levels from one to another bring."""
        first, last = bisect_left(self.weighed, begin), bisect_left(self.weighed, end)
        return self._lows[last] - self._lows[first], self._highs[last] - self._highs[first]

    def _measure(self, diagram: Diagram) -> None:
        """Look at all nodes, those below first."""
        waiting = [diagram]
        while waiting:
            node = waiting[-1]
            if node in self.extents:
                waiting.pop()
                continue
            parts = node.cofactors()
            if parts is None:
                self.extents[node] = (0, 0) if node.satisfiable() else None
                continue
            high, low = parts
            left = [part for part in (high, low) if part not in self.extents]
            if left:
                waiting += left
                continue
            self.encoding.budget.spend(NODE)
            level = self.encoding.level_of(node)
            self.children[node] = level, high, low
            ends = []
            for part, own in ((high, self.weights.get(level, 0)), (low, 0)):
                extent = self.extents[part]
                if extent is not None:
                    skipped = self._skipped(level + 1, self.encoding.level_of(part))
                    ends.append((own + skipped[0] + extent[0], own + skipped[1] + extent[1]))
            self.extents[node] = min(e[0] for e in ends), max(e[1] for e in ends)


def _first(part: Part) -> float:
    return part[0]
