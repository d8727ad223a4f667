"""Sequences made shorter by leaving out whatever they can do without."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

T = TypeVar("T")


def thinned(
    items: Sequence[T], attempt: Callable[[Sequence[T]], Sequence[T] | None], kept: int = 0
) -> Sequence[T]:
    """What is left of a sequence when stretches are left out, as long as an attempt succeeds.

    `attempt` tells what of a shorter sequence is needed, or None where that does not do any more.
    The last `kept` items stay where they are.
    """
    # halves first, then quarters: most of a long sequence can go at once
    size = len(items) // 2
    while size:
        place = len(items) - kept - size
        while place >= 0:
            shorter = attempt([*items[:place], *items[place + size :]])
            if shorter is not None:
                items = shorter
            place = min(place - 1, len(items) - kept - size)
        size //= 2
    return items
