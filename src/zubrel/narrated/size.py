"""How large a world is for a proof: what can differ in it, and what of that bears on its end."""

from __future__ import annotations

from math import log10

from zubrel.base.budget import Budget
from zubrel.checked.keys import Key
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.narrated.tables import Listing
from zubrel.reduced.reduce import reduce
from zubrel.reduced.result import sizes_left

COLUMNS = ("id", "what", "values", "bear on the end")
WHAT = {
    "place": "where the player is",
    "ending": "how the game has ended",
    "held": "how many are held",
    "open": "open or shut",
    "fact": "fact",
    "meter": "meter",
    "quest": "state of the quest",
    "goal": "progress of a goal",
    "beaten": "how many are beaten",
    "hit": "how much of its health is hit off",
    "stock": "how many are left in a shop",
    "stored": "how many lie in a store",
    "lies": "where it was put down",
    "dealt": "where it was dealt to",
    "taken": "taken or not",
    "done": "done or not",
    "visited": "visited or not",
    "met": "met or not",
}
EXACT = 1_000_000
"""Products above this are told as powers of ten."""


def size_of(world: World, budget: Budget) -> Listing:
    """What multiplies the situations of a world, the largest first, and all of it together.

    The last column has how many values are left once everything was left out that has no bearing on
    how the game ends. Raises what `Budget.spend` does.
    """
    system = compile_world(world, budget)
    # as a search would reduce it, so that the last column is what a search has to deal with
    smaller = reduce(system, budget=budget).system
    sizes = sizes_left(smaller)
    every = [
        (known.size, size, known.key)
        for known, size in zip(system.variables, sizes, strict=True)
        if known.size > 1
    ]
    every.sort(key=lambda one: (-one[1], -one[0], one[2]))
    rows = [_row(*one) for one in every]
    totals = (_product([known for known, _, _ in every]), _product([left for _, left, _ in every]))
    rows.append((("all together",), ("at most",), (totals[0],), (totals[1],)))
    return Listing("size", COLUMNS, tuple(rows))


def _row(known: int, left: int, key: Key) -> tuple[tuple[str, ...], ...]:
    kind, thing = key
    bear = (str(left),) if left > 1 else ("no",)
    return (thing or kind,), (WHAT.get(kind, kind),), (str(known),), bear


def _product(sizes: list[int]) -> str:
    total = 1
    for size in sizes:
        total *= size
    return f"{total:,}" if total <= EXACT else f"10^{log10(total):.1f}"
