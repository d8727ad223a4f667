"""Which moves may take every win away, as far as reductions tell.

The same moves doom in a system and in what reductions leave of it. So a move that is not left there
never dooms, whatever else is known; nor does one that ends the game.
"""

from __future__ import annotations

from zubrel.compiled.formulas import FALSE, TRUE
from zubrel.compiled.parts import ENDING, Step
from zubrel.reduced.result import Reduced


def bearing(reduced: Reduced) -> frozenset[int]:
    """The numbers of those steps of the whole that may doom; no other one ever does."""
    return frozenset(
        reduced.originals[step.number].number
        for move in reduced.system.moves
        if move.guard != FALSE
        for step in move.steps
        if not _ends(step)
    )


def _ends(step: Step) -> bool:
    """Whether the game is over after a step: that is a defeat, and not a softlock."""
    return any(c.variable == ENDING and c.when == TRUE for c in step.changes)
