"""Which bits of which word hold which variable. Only this module and `kernel.py` know."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

from msgspec import Struct

from zubrel.compiled.parts import Variable

WORD = 64


class BitField(Struct, frozen=True):
    """The place of one variable: bits `shift` to `shift + bits` of word `word`."""

    word: int
    shift: int
    bits: int
    low: int

    @property
    def mask(self) -> int:
        """The bits of the field, where they stand in the word."""
        return ((1 << self.bits) - 1) << self.shift


class Packing(Struct, frozen=True, dict=True):
    """The fields of all variables, and how many words a situation takes."""

    fields: tuple[BitField, ...]
    words: int

    def pack(self, values: Sequence[int]) -> tuple[int, ...]:
        """The words of a situation given as values of the variables."""
        words = [0] * self.words
        for field, value in zip(self.fields, values, strict=True):
            words[field.word] |= (value - field.low) << field.shift
        return tuple(words)

    def unpack(self, words: Sequence[int]) -> list[int]:
        """The values of the variables of a packed situation."""
        if self.words == 1:
            (word,) = words
            return [(word >> shift & ones) + low for _, shift, ones, low in self._plain]
        return [(words[place] >> shift & ones) + low for place, shift, ones, low in self._plain]

    @cached_property
    def _plain(self) -> list[tuple[int, int, int, int]]:
        """Each field as its word, its shift, its bits from the lowest on, and its least value."""
        # worlds of full size have hundreds of fields, and looking up what each has takes longest
        return [(f.word, f.shift, (1 << f.bits) - 1, f.low) for f in self.fields]

    def differing(self, word: int, other: int) -> Iterator[int]:
        """The variables that differ between two situations of one word each."""
        difference = word ^ other
        while difference:
            # the highest bit that differs; then all of its field is passed over
            number = self._field_at[difference.bit_length() - 1]
            yield number
            difference &= ~self.fields[number].mask

    @cached_property
    def _field_at(self) -> dict[int, int]:
        """By the place of a bit, in one word, the variable that it belongs to."""
        return {
            place: number
            for number, f in enumerate(self.fields)
            for place in range(f.shift, f.shift + f.bits)
        }


def pack_into_one(variables: Sequence[Variable]) -> Packing:
    """The fields of `pack_into_words` in one endless word that holds those words in a row."""
    fields = pack_into_words(variables).fields
    return Packing(tuple(BitField(0, WORD * f.word + f.shift, f.bits, f.low) for f in fields), 1)


def pack_into_words(variables: Sequence[Variable], width: int | None = WORD) -> Packing:
    """Fields in the order of `variables`, in words of `width` bits (None: one endless word)."""
    fields, word, used = [], 0, 0
    for variable in variables:
        bits = (variable.size - 1).bit_length()
        # no field across two words: a test looks at one word only
        if width is not None and used + bits > width:
            word, used = word + 1, 0
        fields.append(BitField(word, used, bits, variable.low))
        used += bits
    return Packing(tuple(fields), word + 1)
