"""Who reads and who changes each variable of a system."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from zubrel.compiled.facts import only_upwards
from zubrel.compiled.formulas import Formula, Load, pieces_of, variables_in, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Move, Step
from zubrel.compiled.system import System
from zubrel.reduced.result import whens_of


class Users:
    """Readers and writers by variable. `barred` are variables that no move alone decides about.

    That is the place, the ending, what something reads that is no guard of a move, or weighs with
    others, what happens by itself, and what is `asked` for.
    """

    def __init__(self, system: System, asked: Iterable[Formula] = ()) -> None:
        self.system = system
        self.readers: dict[int, list[Move]] = {}
        self.writers: dict[int, list[tuple[Move, Step]]] = {}
        for move in system.moves:
            for variable in variables_of(move.guard):
                self.readers.setdefault(variable, []).append(move)
            for step in move.steps:
                # a step that changes a variable twice is one writer of it
                for variable in dict.fromkeys(c.variable for c in step.changes):
                    self.writers.setdefault(variable, []).append((move, step))
        # readers that are no guard of a move: their answer cannot be put off until the player
        # stands where it helps
        elsewhere = [*asked, *whens_of(system), *(f for f, _ in system.endings)]
        elsewhere += [s.guard for s in system.settlers]
        elsewhere += [p for m in system.moves for p in pieces_of(m.guard) if isinstance(p, Load)]
        settled = system.settled
        self.barred = variables_in(elsewhere) | settled | {PLACE, ENDING}

    def upwards(self, variable: int, areas: Sequence[int] | None, but: Iterable[Move] = ()) -> bool:
        """Whether moves, `but` for some, ask only for so much of a variable, in these areas."""
        left_out = {id(move) for move in but}
        readers = [m for m in self.readers.get(variable, ()) if id(m) not in left_out]
        high = self.system.variables[variable].high
        return all(
            (areas is None or (m.areas is not None and set(m.areas) <= set(areas)))
            and only_upwards([m.guard], variable, high)
            for m in readers
        )
