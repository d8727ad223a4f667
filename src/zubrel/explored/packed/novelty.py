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
        self._field_at: dict[int, int] = {}
        """By the place of a bit in a word: of which of the fields it is."""
        for variable, field in zip(variables, packing.fields, strict=True):
            if 1 < variable.size <= MANY:
                places = range(field.shift, field.shift + field.bits)
                self._field_at.update(dict.fromkeys(places, len(self.fields)))
                self.fields.append((field.shift, (1 << field.bits) - 1, self.count))
                self.count += variable.size
        self.earlier: dict[int, int] = {}
        """By rank the values that some situation has had, as bits."""
        self.beside: dict[int, list[int]] = {}
        """By rank and value those that were had beside it, as bits."""

    def of(self, word: int, rank: int) -> int:
        """1 if a value is new among situations of its rank, 2 if two at once are, else 3."""
        values = [place + (word >> shift & mask) for shift, mask, place in self.fields]
        return self._noted(values, sum([1 << value for value in values]), rank)

    def values(self, word: int) -> int:
        """The values of a word, as bits."""
        return sum([1 << place + (word >> shift & mask) for shift, mask, place in self.fields])

    def after(self, word: int, before: int, values: int, rank: int) -> tuple[int, int]:
        """As `of`, for a word that differs little from one `before` with these `values`, and the
        values of the word.

        Two values at once are new only if one of them has changed, which is soon looked up.
        """
        difference, changed = word ^ before, list[int]()
        while difference:
            bit = difference.bit_length() - 1
            number = self._field_at.get(bit)
            if number is None:
                difference ^= 1 << bit
                continue
            shift, mask, place = self.fields[number]
            values ^= 1 << place + (before >> shift & mask)
            changed.append(place + (word >> shift & mask))
            values ^= 1 << changed[-1]
            difference &= ~(mask << shift)
        return self._noted(changed, values, rank, all_of_them=False), values

    def _noted(
        self, values: Sequence[int], values_as_bits: int, rank: int, all_of_them: bool = True
    ) -> int:
        """How new some values (or all) are beside all that a situation has, which are noted."""
        earlier = self.earlier.get(rank, 0)
        beside = self.beside.setdefault(rank, [0] * self.count)
        new = 1 if values_as_bits & ~earlier else 3
        self.earlier[rank] = earlier | values_as_bits
        for value in values:
            fresh = values_as_bits & ~beside[value]
            if fresh:
                beside[value] |= fresh
                new = min(new, 2)
            # the other of two has the first beside it, and notes that itself where it is among them
            while fresh and not all_of_them:
                other = fresh.bit_length() - 1
                beside[other] |= 1 << value
                fresh ^= 1 << other
        return new
