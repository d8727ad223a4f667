"""Every step out of a situation that is a plain integer."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.explored.packed.expansion import Expansion
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import Packing
from zubrel.explored.packed.settling import Settling

Settle = Callable[[int, int], int]
"""What a word after a step, given by its number, comes to rest as."""


class Successors:
    """By which steps a situation is left, and where they lead."""

    def __init__(self, system: System, kernel: Kernel, packing: Packing) -> None:
        self.settling = Settling(system, kernel, packing)
        expansion = Expansion(system, kernel)
        self.expansions, self.steps = expansion.functions, expansion.steps
        self.place_mask = packing.fields[PLACE].mask
        self.ending_mask = packing.fields[ENDING].mask

    def of(self, word: int, settle: Settle) -> list[tuple[int, int]]:
        """The numbers of the steps out of a situation in which the game goes on, each with the
        settled situation that it leads to."""
        area = word & self.place_mask
        links: list[tuple[int, int]] = []
        numbers, settling = self.steps[area], self.settling
        # where nothing but an ending happens, no way to rest has to be told, which takes longest
        ended = settling.ended if settling.only_ends and settling.needed else None
        for place, results in self.expansions[area](word):
            steps = numbers[place]
            if ended is not None:
                results = tuple(map(ended, results))
            elif settling.needed:
                results = _settled(results, steps, settle)
            # one outcome that changes nothing is no step; of several each is, as soon as one
            # changes anything
            if len(results) == 1:
                if results[0] != word:
                    links.append((steps[0], results[0]))
            elif any(after != word for after in results):
                links += zip(steps, results, strict=True)
        return links


def _settled(results: Iterable[int], steps: Iterable[int], settle: Settle) -> tuple[int, ...]:
    return tuple(settle(after, step) for after, step in zip(results, steps, strict=True))
