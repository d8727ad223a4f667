"""Which values, and which two at once, were had in situations that were met one by one."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.parts import Variable
from zubrel.explored.packed.packing import Packing

MANY = 256
"""Values of a variable from which on they do not count as new."""
NEW_VALUE, NEW_PAIR, NOTHING_NEW = 1, 2, 3
"""How new a situation is, the newest first: by a value, by two at once, or not at all."""


class Novelty:
    """Which values, and which two at once, were had so far in situations of one rank.

    Situations are packed into one word each.
    """

    def __init__(self, variables: Sequence[Variable], packing: Packing) -> None:
        self.packing = packing
        self.fields: dict[int, tuple[int, int, int]] = {}
        """By variable that counts: where it stands in a word, its bits, its first value."""
        self.count = 0
        pairs = zip(variables, packing.fields, strict=True)
        for number, (variable, field) in enumerate(pairs):
            # of an amount each value is new once: it would make everything look new, and its pairs
            # take room
            if 1 < variable.size <= MANY:
                self.fields[number] = (field.shift, (1 << field.bits) - 1, self.count)
                self.count += variable.size
        self.earlier: dict[int, int] = {}
        """By rank the values that some situation has had, as bits."""
        self.beside: dict[int, list[int]] = {}
        """By rank and value those that were had beside it, as bits."""

    def of(self, word: int, rank: int) -> int:
        """`NEW_VALUE`, `NEW_PAIR` or `NOTHING_NEW` among situations of its rank."""
        values = self._values_of(word)
        return self._noted(values, sum([1 << value for value in values]), rank)

    def _values_of(self, word: int) -> list[int]:
        return [place + (word >> shift & mask) for shift, mask, place in self.fields.values()]

    def values(self, word: int) -> int:
        """The values of a word, as bits."""
        return sum([1 << value for value in self._values_of(word)])

    def after(self, word: int, before: int, values: int, rank: int) -> tuple[int, int]:
        """As `of`, for a word that differs little from one `before` with these `values`, and the
        values of the word.

        Two values at once are new only if one of them has changed, which is soon looked up.
        """
        changed = list[int]()
        for number in self.packing.differing(word, before):
            # what has too many values does not count
            if number in self.fields:
                shift, mask, place = self.fields[number]
                values ^= 1 << place + (before >> shift & mask)
                # the old value out and the new one in: the other bits are those of the word before
                changed.append(place + (word >> shift & mask))
                values ^= 1 << changed[-1]
        return self._noted(changed, values, rank, all_of_them=False), values

    def _noted(
        self, values: Sequence[int], values_as_bits: int, rank: int, all_of_them: bool = True
    ) -> int:
        """How new some values (or all) are beside all that a situation has, which are noted."""
        earlier = self.earlier.get(rank, 0)
        beside = self.beside.setdefault(rank, [0] * self.count)
        # a value that was never had is the newest; two that were never had at once come next
        new = NEW_VALUE if values_as_bits & ~earlier else NOTHING_NEW
        self.earlier[rank] = earlier | values_as_bits
        for value in values:
            fresh = values_as_bits & ~beside[value]
            if fresh:
                beside[value] |= fresh
                new = min(new, NEW_PAIR)
            # the other of two has the first beside it, and notes that itself where it is among them
            while fresh and not all_of_them:
                other = fresh.bit_length() - 1
                beside[other] |= 1 << value
                fresh ^= 1 << other
        return new
