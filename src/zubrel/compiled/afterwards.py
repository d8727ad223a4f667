"""What surely holds after changes, told from what held before them, one variable at a time."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from zubrel.compiled.facts import Rising
from zubrel.compiled.formulas import TRUE, Formula, variables_of
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.compiled.possible import ALWAYS, Among, Masks


class Afterwards:
    """Sets of values as masks, the lowest value being bit 0, as `Masks` has them."""

    def __init__(self, variables: Sequence[Variable], rising: Rising) -> None:
        self.variables = variables
        self.rising = rising
        self.masks = Masks(variables)
        self._among: dict[Formula, Among | None] = {}

    def stays(
        self,
        alternatives: Iterable[Collection[Formula]],
        known: Iterable[Formula],
        changes: Sequence[Change],
    ) -> bool:
        """Whether one of some conjunctions surely holds after the changes.

        `known` are formulas that all hold before. What is not told by single variables counts only
        where it held before and nothing touches it, or where it stays true whatever happens.
        """
        # what is told of single variables survives the changes; the rest counts as it stands
        before = frozenset(known)
        values = self._values(before)
        after = self._changed(values, changes)
        touched = {c.variable for c in changes}
        return any(
            all(self._holds(part, before, after, touched) for part in parts)
            for parts in alternatives
        )

    def _holds(
        self, part: Formula, before: frozenset[Formula], after: dict[int, int], touched: set[int]
    ) -> bool:
        test = self._single(part)
        if test is not None:
            mask = after.get(test.variable, self.masks.full[test.variable])
            if not mask & ~test.mask:
                return True
        if part not in before:
            return False
        return not variables_of(part) & touched or self.rising.for_good(part)

    def _values(self, known: Iterable[Formula]) -> dict[int, int]:
        values: dict[int, int] = {}
        for test in map(self._single, known):
            if test is not None:
                mask = values.get(test.variable, self.masks.full[test.variable])
                values[test.variable] = mask & test.mask
        return values

    def _single(self, formula: Formula) -> Among | None:
        """A formula as the values of one variable; None where it is no such test."""
        if formula not in self._among:
            possible = self.masks.of(formula)
            self._among[formula] = possible if isinstance(possible, Among) else None
        return self._among[formula]

    def _changed(self, values: dict[int, int], changes: Sequence[Change]) -> dict[int, int]:
        after = dict(values)
        for change in changes:
            full = self.masks.full[change.variable]
            old = after.get(change.variable, full)
            new = self._after(change, old, full)
            # conditions of changes are about the situation before all of them
            after[change.variable] = new if self._is_sure(change.when, values) else old | new
        return after

    def _is_sure(self, when: Formula, values: dict[int, int]) -> bool:
        if when == TRUE:
            return True
        possible = self.masks.of(when)
        if isinstance(possible, Among):
            return not values.get(possible.variable, -1) & ~possible.mask
        return possible == ALWAYS

    def _after(self, change: Change, mask: int, full: int) -> int:
        domain = self.variables[change.variable]
        last = domain.size - 1
        match change.operation:
            case Operation.SET:
                return 1 << change.number - domain.low
            case Operation.FLIP:
                return (mask & 1) << 1 | mask >> 1
            # what is pushed past an end stops there, so that nothing gets lost at either side
            case Operation.ADD_UP_TO_END:
                shifted = mask << change.number if change.number >= 0 else mask >> -change.number
                top, bottom = mask >> max(0, last + 1 - max(0, change.number)), 0
                if change.number < 0:
                    bottom = mask & ((1 << -change.number) - 1)
                return shifted & full | (1 << last if top else 0) | (1 if bottom else 0)
        shifted = mask << change.number if change.number >= 0 else mask >> -change.number
        return shifted & full
