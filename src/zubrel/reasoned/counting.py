"""How much of an amount there can still be, where every source of it is there once only."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.compiled.parts import Change, Operation
from zubrel.compiled.system import System
from zubrel.reasoned.sources import Maker


def single_gains(system: System, variable: int, makers: Iterable[Maker]) -> dict[str, int] | None:
    """By the id of each maker, the most by which it raises a variable; None: some can do so twice.

    That is the most that all of them can add to it, whatever else is taken away.
    """
    gains: dict[str, int] = {}
    low = system.variables[variable].low
    for maker in makers:
        # a condition of a change may not hold: the sum is the most that it can be
        gain = sum(_gain(c, low) for c in maker.changes if c.variable == variable)
        # what takes some away does not add to the most
        if gain:
            # of what can be made again there is no most
            once = maker.step is not None and system.once_only(system.move_of[maker.step.number])
            if not once:
                return None
            # luck picks one outcome of a rule: the best of them counts
            gains[maker.id] = max(gain, gains.get(maker.id, 0))
    return gains


def most_carried(system: System, variable: int) -> int | None:
    """How many of an item the limits on carrying allow; None: they do not bear on it."""
    kind, item = system.variables[variable].key
    if kind != "held" or system.world.items[item].uses is not None:
        return None
    return min((c.limit for c in system.world.carries if item in c.items), default=None)


def _gain(change: Change, low: int) -> int:
    match change.operation:
        case Operation.SET:
            return change.number - low
        case Operation.FLIP:
            return 1
    return max(0, change.number)
