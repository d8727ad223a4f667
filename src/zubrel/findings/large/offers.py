"""Where something can be taken that has not been taken yet."""

from __future__ import annotations

from msgspec import Struct

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import Formula, Within, both, either
from zubrel.compiled.parts import Move
from zubrel.compiled.system import System
from zubrel.findings.judged import standing_formula
from zubrel.reduced.amounts import amounts
from zubrel.reduced.result import unreduced


class Offer(Struct, frozen=True):
    """The moves that set a mark, and where they are possible as long as it is not set."""

    moves: tuple[Move, ...]
    where: Formula


class Offers:
    """Offers of a system, by the formulas that hold once they are taken."""

    def __init__(self, system: System) -> None:
        self.system = system
        self.summed = amounts(unreduced(system))
        self.setters: dict[int, list[Move]] = {}
        for move in self.summed.system.moves:
            for variable in {c.variable for s in move.steps for c in s.changes}:
                self.setters.setdefault(variable, []).append(move)
        self.marks = system.marks

    def of(self, formula: Formula) -> Offer | None:
        """The offer that `formula` is about; None if it says anything but that a mark is set."""
        mark = self._mark(self.summed.formula(formula))
        if mark is None:
            return None
        moves = self.setters.get(mark, [])
        if any(len(move.steps) > 1 for move in moves):
            return None
        where = either(
            both(
                (
                    standing_formula(self.system, move.areas),
                    *(p for p in parts_of(move.guard) if not self.system.is_low(mark, p)),
                )
            )
            for move in moves
        )
        return Offer(tuple(moves), where)

    def _mark(self, formula: Formula) -> int | None:
        """The mark that a formula says is set."""
        if not isinstance(formula, Within) or formula.variable not in self.marks:
            return None
        high = self.system.variables[formula.variable].high
        return formula.variable if formula.low == formula.high == high else None
