"""What effects bring, in tables of what values cost: set, made of other values, added up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

MOST_TIMES = 4096
"""How often a gain is repeated at most before its readers are looked at."""

Table = npt.NDArray[np.float64]
"""By value and situation what it costs; a row for each value of each variable."""
Row = npt.NDArray[np.float64]
Bringer = Callable[[Table, Row], bool]
"""Lowers costs in a table, where a row is what an effect costs; whether any was lowered."""


def setting(row: int) -> Bringer:
    """Makes a value of whatever was before: it costs what the effect does, if that is less."""

    def bring(table: Table, cost: Row) -> bool:
        known = table[row]
        if not (cost < known).any():
            return False
        np.minimum(known, cost, out=known)
        return True

    return bring


def mapping(pairs: Sequence[tuple[int, int]]) -> Bringer:
    """Makes the values in some rows into others: pairs of a row before and a row after."""
    # those that are as far apart come to as many rows, which are written at once
    by_distance = dict[int, list[tuple[int, int]]]()
    for before, after in pairs:
        by_distance.setdefault(after - before, []).append((before, after))
    moved = [
        tuple(np.array(rows) for rows in zip(*run, strict=True)) for run in by_distance.values()
    ]

    def bring(table: Table, cost: Row) -> bool:
        made = False
        # all of them from what was before
        costs = [table[before] + cost for before, _ in moved]
        for (_, rows), lower in zip(moved, costs, strict=True):
            known = table[rows]
            if (lower < known).any():
                table[rows] = np.minimum(known, lower)
                made = True
        return made

    return bring


def adding(domain: range, sources: range, number: int, ends: bool) -> Bringer:
    """Adds a number to the values in some rows, all of those of a variable being `domain`; `ends`:
    what is too much comes to the last."""
    step = abs(number)
    # rows in the order in which sums lead on
    rows = slice(domain.start, domain.stop)
    skipped = sources.start - domain.start if number > 0 else domain.stop - sources.stop
    reach = len(sources) + skipped

    def bring(table: Table, cost: Row) -> bool:
        block = table[rows] if number > 0 else table[rows][::-1]
        made, times, far = False, 1, step
        while far < len(block):
            # each of them begins where the one before it has ended, among the sources
            stop = min(reach + step - far, len(block) - far)
            if stop <= skipped:
                break
            after: Any = block[skipped:stop] + cost * times
            known = block[skipped + far : stop + far]
            if (after < known).any():
                np.minimum(known, after, out=known)
                made = True
            # twice as many of them each time: any number of them is a sum of such
            times, far = 2 * times, 2 * far
            if times > MOST_TIMES:
                break
        if ends and reach > len(block) - step:
            lost = block[max(skipped, len(block) - step) : reach].min(0) + cost
            if (lost < block[-1]).any():
                np.minimum(block[-1], lost, out=block[-1])
                made = True
        return made

    return bring
