"""Formulas about the whole world, in terms of what a reduction has left of it."""

from __future__ import annotations

from functools import cached_property

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    Either,
    Formula,
    Within,
    both,
    either,
    pieces_of,
    variables_of,
)
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.compiled.ways import areas_in
from zubrel.explored.space import NotAsked
from zubrel.reduced.result import Reduced


class Translation:
    """What can be told of a whole world by what is left; everything else raises `NotAsked`."""

    def __init__(self, system: System, reduced: Reduced) -> None:
        self.system = system
        self.reduced = reduced

    def translated(self, formula: Formula) -> Formula:
        """A formula in terms of what is left."""
        formula = self.told_roughly(formula)
        if self.reduced.folded and PLACE in variables_of(formula):
            self._refuse_folded(formula)
        return formula

    def told_roughly(self, formula: Formula) -> Formula:
        """The same, where areas that are left out count as what stands for them."""
        # what is left of a blurred variable has other values than in the whole world
        if hidden := variables_of(formula) & self.reduced.blurred:
            raise self._not_asked(min(hidden))
        formula = self.reduced.formula(formula)
        areas: frozenset[int] | None = None
        for variable in variables_of(formula):
            whole, left = self.system.variables[variable], self.reduced.system.variables[variable]
            # some values were made one, or the variable is gone: its tests would say too much
            if left.size < whole.size or variable in self.reduced.blurred:
                raise self._not_asked(variable)
            if variable in self.reduced.forgotten:
                # it may be asked about where something ahead still reads it, and nowhere else
                areas = areas or _areas_of(formula, self.areas)
                if not areas <= self.reduced.forgotten[variable]:
                    raise self._not_asked(variable)
        return formula

    def near(self, formula: Formula) -> Formula:
        """Where a player may walk to where a formula holds, as long as the game goes on.

        Exact where one conjunct says where the player stands, and no other asks.
        """
        parts = [p for p in parts_of(formula) if PLACE in variables_of(p)]
        tests = [t for p in parts for t in (p.parts if isinstance(p, Either) else (p,))]
        # walking to where two conditions on the place hold is not walking to where both do
        if len(parts) != 1 or not all(isinstance(t, Within) and t.variable == PLACE for t in tests):
            raise self._not_asked(PLACE)
        every = frozenset(range(self.system.variables[PLACE].size))
        folding = self.reduced.folded
        # nobody knows any more what the way there asks for
        if _areas_of(formula, every) & self.reduced.lost:
            raise self._not_asked(PLACE)
        here = either(
            folding.get(a, Within(PLACE, a, a)) for a in sorted(_areas_of(formula, every))
        )
        return self.told_roughly(both((*(p for p in parts_of(formula) if p not in parts), here)))

    @cached_property
    def areas(self) -> frozenset[int]:
        """The areas that are left."""
        every = range(self.system.variables[PLACE].size)
        return frozenset(a for a in every if a not in self.reduced.folded)

    @cached_property
    def stand_for(self) -> dict[int, set[int]]:
        """For each area that is left out: the areas that may stand for it."""
        return {area: areas_in(formula) for area, formula in self.reduced.folded.items()}

    @cached_property
    def told_apart(self) -> frozenset[int]:
        """The areas that neither are left out nor stand for others."""
        return self.areas - {a for others in self.stand_for.values() for a in others}

    def _refuse_folded(self, formula: Formula) -> None:
        """Raise `NotAsked` if a formula tells an area that is left out from what stands for it."""
        for piece in pieces_of(formula):
            if isinstance(piece, Within) and piece.variable == PLACE:
                for area, others in self.stand_for.items():
                    # the same answer for all that stand for each other, or none is known
                    inside = piece.low <= area <= piece.high
                    if any((piece.low <= other <= piece.high) != inside for other in others):
                        raise self._not_asked(PLACE)

    def _not_asked(self, variable: int) -> NotAsked:
        return NotAsked(" ".join(self.system.variables[variable].key))


def _areas_of(formula: Formula, areas: frozenset[int]) -> frozenset[int]:
    """The areas, of some, in which a formula can hold: as far as its conjuncts say."""
    for part in parts_of(formula):
        tests = part.parts if isinstance(part, Either) else (part,)
        if all(isinstance(t, Within) and t.variable == PLACE for t in tests):
            areas &= {a for t in tests if isinstance(t, Within) for a in range(t.low, t.high + 1)}
    return areas
