"""Packed situations with numbers: growing columns of words, and a hash table over them."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Words = npt.NDArray[np.uint64]
Numbers = npt.NDArray[np.uint32]
FIRST_SIZE = 1 << 16
MULTIPLIERS = (0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0xD6E8FEB86659FD93)


class Rows:
    """Situations in the order of their numbers, stored word by word."""

    def __init__(self, words: int) -> None:
        self._columns = [np.empty(FIRST_SIZE, np.uint64) for _ in range(words)]
        self._count = 0

    def __len__(self) -> int:
        return self._count

    def columns(self, start: int, end: int) -> list[Words]:
        """The words of the situations numbered `start` to `end`."""
        return [column[start:end] for column in self._columns]

    def row(self, number: int) -> list[int]:
        return [int(column[number]) for column in self._columns]

    def append(self, columns: list[Any]) -> None:
        """Add situations, given word by word."""
        end = self._count + len(columns[0])
        for place, column in enumerate(self._columns):
            if end > len(column):
                # by a half, not to twice the size: the old column and the new one are there at once
                larger = np.empty(max(end, len(column) * 3 // 2), np.uint64)
                larger[: self._count] = column[: self._count]
                self._columns[place] = larger
            self._columns[place][self._count : end] = columns[place]
        self._count = end

    def bytes_to_grow(self, coming: int) -> int:
        """Bytes that are taken at once if so many situations come: one column after the other."""
        full = self._count + coming > len(self._columns[0])
        return 12 * (self._count + coming) if full else 0

    def same(self, numbers: Any, columns: list[Any]) -> npt.NDArray[np.bool_]:
        """Whether each numbered situation is the one given word by word."""
        result: npt.NDArray[np.bool_] = self._columns[0].take(numbers) == columns[0]
        for mine, other in zip(self._columns[1:], columns[1:], strict=True):
            result &= mine.take(numbers) == other
        return result


class NumberSet:
    """A set of situations as one truth value for each."""

    __slots__ = ("truths",)

    def __init__(self, truths: npt.NDArray[np.bool_]) -> None:
        self.truths = truths

    def __and__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths & other.truths)

    def __or__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths | other.truths)

    def __sub__(self, other: NumberSet) -> NumberSet:
        return NumberSet(self.truths & ~other.truths)

    def __bool__(self) -> bool:
        return bool(self.truths.any())


class NumberTable:
    """Gives every situation its number; open addressing with linear steps, half full at most."""

    def __init__(self, rows: Rows) -> None:
        self.rows = rows
        self.slots = np.zeros(4 * FIRST_SIZE, np.uint32)

    def numbers_of(self, columns: list[Any]) -> Numbers:
        """The number of each situation; new ones are numbered in order of appearance in a slot."""
        # at most half full, so that a search in the table ends after few slots
        self._make_room(len(columns[0]))
        mask = len(self.slots) - 1
        slot = (self._hashes(columns) & np.uint64(mask)).astype(np.int64)
        numbers = self._look(columns, slot)
        # most have met themselves at the first look: only the others are told apart by an index
        left = np.flatnonzero(~self.rows.same(numbers, columns))
        waiting = left
        while len(left):
            columns = [c.take(left) for c in columns]
            # linear probing: what found another situation in its slot tries the next one
            slot = (slot.take(left) + 1) & mask
            found = self._look(columns, slot)
            numbers[waiting] = found
            left = np.flatnonzero(~self.rows.same(found, columns))
            waiting = waiting.take(left)
        return numbers

    def _look(self, columns: list[Any], slot: Any) -> Numbers:
        """The number that is in each slot; of those who find theirs empty one gets it."""
        entry: Numbers = self.slots.take(slot)
        # 0 is an empty slot: numbers are kept one higher than they are
        empty = np.flatnonzero(entry == 0)
        if len(empty):
            wanted = slot.take(empty)
            self._claim([c.take(empty) for c in columns], wanted)
            # several may have wanted the same: the others see who has it now
            entry[empty] = self.slots.take(wanted)
        entry -= np.uint32(1)
        return entry

    def _claim(self, columns: list[Any], slot: Any) -> None:
        """Empty slots go to one of their claimants each, which is numbered."""
        # of several that write to one slot NumPy keeps one; whoever reads itself there has won. The
        # others find the winner in it, which may well be the same situation
        claimants = np.arange(1, len(slot) + 1, dtype=np.uint32)
        self.slots[slot] = claimants
        winners = np.flatnonzero(self.slots.take(slot) == claimants)
        first = len(self.rows)
        self.rows.append([c.take(winners) for c in columns])
        numbers = np.arange(first + 1, first + len(winners) + 1, dtype=np.uint32)
        self.slots[slot.take(winners)] = numbers

    def bytes_to_grow(self, coming: int) -> int:
        """Bytes that are taken at once if so many situations come."""
        needed = 2 * (len(self.rows) + coming)
        table = 4 << (needed - 1).bit_length() if needed > len(self.slots) else 0
        return table + self.rows.bytes_to_grow(coming)

    def _make_room(self, coming: int) -> None:
        """Keep the table at most half full even if everything that comes is new."""
        needed = 2 * (len(self.rows) + coming)
        if needed <= len(self.slots):
            return
        self.slots = np.zeros(1 << (needed - 1).bit_length(), np.uint32)
        mask = len(self.slots) - 1
        chunk = 1 << 18
        for start in range(0, len(self.rows), chunk):
            end = min(start + chunk, len(self.rows))
            # hashes are not kept: working them out again takes less than the room for them
            hashes = self._hashes(self.rows.columns(start, end)) & np.uint64(mask)
            self._place(np.arange(start + 1, end + 1, dtype=np.uint32), hashes.astype(np.int64))

    def _place(self, entries: Numbers, slot: Any) -> None:
        """Enter numbers that are known to differ."""
        mask = len(self.slots) - 1
        while len(entries):
            empty = np.flatnonzero(self.slots.take(slot) == 0)
            self.slots[slot.take(empty)] = entries.take(empty)
            # of several numbers for one slot the last is in it: the others try the next
            left = np.flatnonzero(self.slots.take(slot) != entries)
            entries, slot = entries.take(left), (slot.take(left) + 1) & mask

    def _hashes(self, columns: list[Any]) -> Words:
        """Mixed words (Fibonacci hashing: multiply, take the upper bits)."""
        mixed = np.zeros(len(columns[0]), np.uint64)
        for number, column in enumerate(columns):
            # upper bits are the good ones after a multiplication: shifted down to where the slot is
            # taken
            mixed ^= column
            mixed *= np.uint64(MULTIPLIERS[number % len(MULTIPLIERS)])
            mixed ^= mixed >> np.uint64(29)
        return mixed
