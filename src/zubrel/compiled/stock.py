"""Amounts through one move: a guard, changes, and what is really gained.

Everything is said about the situation before the move. What an earlier effect of the same move has
done to an amount is kept as *cases*: under a formula, the amount is the old one plus a number, or
a number. Cases split only where a loss or a waste may or may not find enough.
"""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from zubrel.checked import keys
from zubrel.checked.things import Carry, Item
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Within,
    both,
    either,
    opposite,
)
from zubrel.compiled.parts import Change, Operation, Waste
from zubrel.compiled.translate import Translator


class NewAmount(Struct, frozen=True):
    """The old amount plus `number`, or `number` alone."""

    old: bool
    number: int


class Case(Struct, frozen=True):
    """Under `when`, the amounts that are no longer what they were before the move."""

    when: Formula
    amounts: dict[str, NewAmount]


class Gain(Struct, frozen=True):
    """Under `when`, so many of an item are really gained."""

    when: Formula
    item: str
    count: int


class Stock:
    """What is held, through the effects of one outcome in their order.

    `settling`: nothing is refused, what does not fit is lost. New changes go to `changes`.
    """

    def __init__(self, translator: Translator, settling: bool, changes: list[Change]) -> None:
        self.translator = translator
        self.world = translator.world
        self.settling = settling
        self.changes = changes
        self.guards: list[Formula] = []
        self.gains: list[Gain] = []
        self.wastes: list[Waste] = []
        # one case at first: every amount is what it was
        self.cases = [Case(TRUE, {})]

    def _set(self, item: str, number: int, when: Formula) -> None:
        self._change(item, Operation.SET, number, when)

    def _change(self, item: str, operation: Operation, number: int, when: Formula) -> None:
        if when != FALSE:
            variable = self.translator.numbers[keys.held(item)]
            self.changes.append(Change(variable, operation, number, when))

    def _split(self, when: Formula) -> list[Case]:
        """The cases in which an effect with this condition happens; the others stay as they are."""
        if when == TRUE:
            # every case is inside; whoever asked adds what becomes of each
            inside, self.cases = self.cases, []
            return inside
        outside, inside = [], []
        for case in self.cases:
            inside.append(replace(case, when=both((case.when, when))))
            # an effect under a condition leaves the amounts of the others as they are
            outside.append(replace(case, when=both((case.when, opposite(when)))))
        # cases that can never be would double with each effect
        self.cases = [c for c in outside if c.when != FALSE]
        return [c for c in inside if c.when != FALSE]

    def _at_least(self, item: str, case: Case, number: int) -> Formula:
        """In a case, at least `number` of an item are held at this point."""
        amount = case.amounts.get(item, NewAmount(True, 0))
        if not amount.old:
            # a number that is known needs no test
            return TRUE if amount.number >= number else FALSE
        return self.translator.comparison(keys.held(item), ">=", number - amount.number)

    def _shifted(self, case: Case, item: str, by: int, when: Formula = TRUE) -> Case:
        amount = case.amounts.get(item, NewAmount(True, 0))
        # whether it is counted from the old amount stays as it was
        moved = NewAmount(amount.old, amount.number + by)
        return Case(both((case.when, when)), case.amounts | {item: moved})

    def _fixed(self, case: Case, item: str, number: int, when: Formula = TRUE) -> Case:
        return Case(both((case.when, when)), case.amounts | {item: NewAmount(False, number)})

    def _require(self, case: Case, formula: Formula) -> None:
        # asked for in this case alone; in others the effect may find something else
        self.guards.append(either((opposite(case.when), formula)))

    def take(self, item: str, count: int, when: Formula, wear: bool = False) -> None:
        # whoever gives a tool away gives all of its uses
        whole_tool = self.world.items[item].uses is not None and not wear
        for case in self._split(when):
            # what is taken has to be there at this point, after the effects before it
            self._require(case, self._at_least(item, case, count))
            taken = self._fixed(case, item, 0) if whole_tool else self._shifted(case, item, -count)
            self.cases.append(taken)
        if whole_tool:
            self._set(item, 0, when)
        else:
            self._change(item, Operation.ADD, -count, when)

    def refill(self, item: str, when: Formula) -> None:
        uses = self.world.items[item].uses or 0
        for case in self._split(when):
            # filling what is full would be a move that changes nothing
            lacking = opposite(self._at_least(item, case, uses))
            self._require(case, both((self._at_least(item, case, 1), lacking)))
            self.cases.append(self._fixed(case, item, uses))
        self._set(item, uses, when)

    def lose(self, item: str, count: int | None, when: Formula) -> None:
        # all of it, or a tool, which is lost whole: how much there was does not matter
        if count is None or self.world.items[item].uses is not None:
            gone = [self._fixed(case, item, 0) for case in self._split(when)]
            self.cases += gone
            self._set(item, 0, when)
            return
        # one change for all cases: it stops at nothing left by itself
        self._change(item, Operation.ADD_UP_TO_END, -count, when)
        for case in self._split(when):
            enough = self._at_least(item, case, count)
            self.cases.append(self._shifted(case, item, -count, enough))
            self.cases.append(self._fixed(case, item, 0, opposite(enough)))
        self.cases = [c for c in self.cases if c.when != FALSE]

    def give(self, item: Item, count: int, when: Formula) -> None:
        # what happens by itself cannot be refused, so it gives what there is room for
        loose = self.settling or item.wasted_when_full
        for case in self._split(when):
            if loose:
                self._give_what_fits(item, count, case)
            else:
                self._give_all(item, count, case)
        if not loose:
            if item.uses is not None:
                self._set(item.id, item.uses, when)
            else:
                self._change(item.id, Operation.ADD, count, when)
            # nothing is lost here, so the gain is the whole number in every case
            self.gains.append(Gain(when, item.id, count))
        self.cases = [c for c in self.cases if c.when != FALSE]

    def _give_all(self, item: Item, count: int, case: Case) -> None:
        self._require(case, self._room(item, count, case))
        if item.uses is not None:
            self.cases.append(self._fixed(case, item.id, item.uses))
        else:
            self.cases.append(self._shifted(case, item.id, count))

    def _give_what_fits(self, item: Item, count: int, case: Case) -> None:
        """One case for each number that really fits."""
        # where not all of it fits, something is wasted, and a finding may ask whether that ever
        # comes
        short = both((case.when, opposite(self._room(item, count, case))))
        if short != FALSE:
            self.wastes.append(Waste(item.id, short))
        more: Formula = TRUE
        # from all of it downwards: the first number that fits is what is gained
        for fitting in range(count, -1, -1):
            room = self._room(item, fitting, case) if fitting else TRUE
            when = both((more, room))
            more = both((more, opposite(room)))
            if when == FALSE or both((case.when, when)) == FALSE:
                continue
            # no room for any: the case stays, and nothing is changed
            if not fitting:
                self.cases.append(replace(case, when=both((case.when, when))))
                continue
            here = both((case.when, when))
            self.gains.append(Gain(here, item.id, fitting))
            if item.uses is not None:
                self._set(item.id, item.uses, here)
                self.cases.append(self._fixed(case, item.id, item.uses, when))
            else:
                self._change(item.id, Operation.ADD, fitting, here)
                self.cases.append(self._shifted(case, item.id, fitting, when))

    def _room(self, item: Item, count: int, case: Case) -> Formula:
        """In a case, so many more of an item fit."""
        if item.uses is not None:
            # of a tool there is one, whatever uses are left in it
            parts = [opposite(self._at_least(item.id, case, 1))]
        else:
            parts = [opposite(self._at_least(item.id, case, item.most - count + 1))]
        parts += [
            self._carried(carry, count, case)
            for carry in self.world.carries
            if item.id in carry.items
        ]
        return both(parts)

    def _carried(self, carry: Carry, count: int, case: Case) -> Formula:
        """In a case, so many more units can be carried."""
        variables: list[int] = []
        marks: list[Within] = []
        # what is known already is taken off the limit; what depends on the old amounts stays in the
        # formula
        room = carry.limit - count
        for item in carry.items:
            amount = case.amounts.get(item, NewAmount(True, 0))
            # a tool weighs one, however many uses it has
            tool = self.world.items[item].uses is not None
            if not amount.old:
                room -= min(1, amount.number) if tool else amount.number
            elif tool:
                held = self._at_least(item, case, 1)
                if isinstance(held, Within):
                    marks.append(held)
                # it was given by this very move
                elif held == TRUE:
                    room -= 1
            else:
                variables.append(self.translator.numbers[keys.held(item)])
                room -= amount.number
        return self.translator.load(tuple(variables), tuple(marks), room)
