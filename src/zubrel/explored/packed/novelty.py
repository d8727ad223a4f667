"""Which values, and which two at once, were had in situations that were met one by one."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.parts import Variable
from zubrel.explored.packed.packing import Packing

MANY = 256
"""Values of a variable from which on they do not count as new."""


class Novelty:
    """Which values, and which two at once, were had so far in situations of one rank.

    Situations are packed into one word each.
    """

    def __init__(self, variables: Sequence[Variable], packing: Packing) -> None:
        self.fields: list[tuple[int, int, int]] = []
        """Of each variable that counts: where it stands in a word, its bits, its first value."""
        self.count = 0
        for variable, field in zip(variables, packing.fields, strict=True):
            if 1 < variable.size <= MANY:
                self.fields.append((field.shift, (1 << field.bits) - 1, self.count))
                self.count += variable.size
        self.earlier: dict[int, int] = {}
        """By rank the values that some situation has had, as bits."""
        self.beside: dict[int, list[int]] = {}
        """By rank and value those that were had beside it, as bits."""

    def of(self, word: int, rank: int) -> int:
        """1 if a value is new among situations of its rank, 2 if two at once are, else 3."""
        values = [place + (word >> shift & mask) for shift, mask, place in self.fields]
        values_as_bits = sum([1 << value for value in values])  # all different bits
        earlier = self.earlier.get(rank, 0)
        beside = self.beside.setdefault(rank, [0] * self.count)
        new = 1 if values_as_bits & ~earlier else 3
        self.earlier[rank] = earlier | values_as_bits
        for value in values:
            if values_as_bits & ~beside[value]:
                beside[value] |= values_as_bits
                new = min(new, 2)
        return new
