"""What is possible in a situation that is a plain integer: one written-out function an area."""

from __future__ import annotations

from zubrel.compiled.formulas import FALSE
from zubrel.compiled.parts import PLACE, Move
from zubrel.compiled.system import System
from zubrel.explored.packed.kernel import Kernel


class Expansion:
    """By area the moves that may be possible there, and what each of them leads to.

    `functions[area](word)` gives pairs of a place in `moves[area]` and the words after its
    outcomes, before anything happens by itself. `steps` are the numbers of the outcomes.
    """

    def __init__(self, system: System, kernel: Kernel) -> None:
        every = range(len(system.variables[PLACE].names))
        self.moves: list[list[Move]] = [[] for _ in every]
        for move in system.moves:
            # rules that are never possible are left out once, and not at every situation
            if move.guard != FALSE:
                for area in every if move.areas is None else move.areas:
                    self.moves[area].append(move)
        self.steps = [[tuple(s.number for s in m.steps) for m in here] for here in self.moves]
        # one function an area: one call tells all that is possible in a situation
        self.functions = kernel.expansions(
            [(m.guard, [s.changes for s in m.steps]) for m in here] for here in self.moves
        )
