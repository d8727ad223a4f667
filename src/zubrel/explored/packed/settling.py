"""What happens by itself, on one situation as a plain integer."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from zubrel.compiled.parts import ENDING, Change, Operation
from zubrel.compiled.system import System
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import Packing

SOON_RESTS = 200


class Settling:
    """What happens by itself, on one plain integer."""

    def __init__(self, system: System, kernel: Kernel, packing: Packing) -> None:
        self.ids = [s.id for s in system.settlers]
        # in the order of the file, which is that in which they happen
        tests = kernel.tests(s.guard for s in system.settlers)
        updates = kernel.updates(s.changes for s in system.settlers)
        self.settlers = list(zip(tests, updates, strict=True))
        self.mask = packing.fields[ENDING].mask
        # an end is looked at when nothing else happens, so that it is the last thing that does
        ends = [(guard, (Change(ENDING, Operation.SET, n),)) for guard, n in system.endings]
        self.ended = kernel.first_of(ends, self.mask)
        """What a situation in which nothing else happens comes to rest as."""
        self.only_ends = not self.settlers
        """Whether nothing but an end ever happens by itself, so that everything comes to rest."""
        self.needed = bool(self.settlers or ends)

    def settled(self, word: int) -> int | tuple[str, ...]:
        """The settled situation, or the ids of what goes round and round."""
        # many worlds have endings only, for which no trail is needed
        if self.only_ends:
            return self.ended(word)
        trail: list[tuple[int, int]] = []
        seen: set[int] = set()
        while not word & self.mask:
            happened = self._first_change(word)
            if happened is None:
                return self.ended(word)
            number, after = happened
            trail.append((word, number))
            # nearly everything rests after a few; only what does not is looked through for a cycle
            if len(trail) > SOON_RESTS:
                if word in seen:
                    return self._cycle(trail)
                seen.add(word)
            word = after
        return word

    def meets(self, word: int, watched: Mapping[int, Callable[[int], bool]]) -> bool:
        """Whether something watched for happens, on the way to rest, where its test holds."""
        while not word & self.mask:
            happened = self._first_change(word)
            if happened is None:
                return False
            number, after = happened
            # tested before it happens: what it takes is still there then
            if number in watched and watched[number](word):
                return True
            word = after
        return False

    def _first_change(self, word: int) -> tuple[int, int] | None:
        for number, (test, update) in enumerate(self.settlers):
            if test(word) and (after := update(word)[0]) != word:
                return number, after
        return None

    def _cycle(self, trail: list[tuple[int, int]]) -> tuple[str, ...]:
        last = trail[-1][0]
        first = max(n for n, (word, _) in enumerate(trail[:-1]) if word == last)
        return tuple(dict.fromkeys(self.ids[number] for _, number in trail[first:-1]))
