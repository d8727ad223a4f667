"""What a tree ends in: moves of the evidence, and how much there can be of an amount."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from msgspec import Struct

from zubrel.compiled.formulas import FALSE, TRUE, Both, Formula, Within, both, holds, variables_of
from zubrel.compiled.parts import ENDING
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked
from zubrel.reasoned.claims import AtMost, Done, Node, Took
from zubrel.reasoned.counting import most_carried, single_gains
from zubrel.reasoned.formulas import literals_of
from zubrel.reasoned.sources import Maker, makers_of

AMOUNTS = ("held", "meter", "stored", "beaten")
"""Kinds of variables that are counted."""
GOING_ON = Within(ENDING, 0, 0)


class View(Protocol):
    """What can still come, behind one question. A `no` is certain; `exact`: so is a `yes`."""

    exact: bool

    def allows(self, formula: Formula) -> bool:
        """Whether a formula holds in some situation from here on. Raises `NotAsked`."""
        ...

    def wins_from(self, values: Sequence[int]) -> bool | None:
        """Whether a situation occurs in the world and a win is left in it; None: not known."""
        ...


class Past(Struct, frozen=True):
    """A move of the evidence: its rule, and the values of all variables before and after it."""

    rule: str
    before: tuple[int, ...]
    after: tuple[int, ...]


class Leaves:
    """Answers for one future. `past` are the moves of the evidence that lead into it, to `here`.

    `unasked` are formulas that the view cannot answer: with any of them nothing built on it is
    worth anything.
    """

    def __init__(
        self, system: System, view: View, here: Sequence[int], past: Sequence[Past] = ()
    ) -> None:
        self.system = system
        self.view = view
        self.here = here
        self.past = past
        self.unasked: dict[Formula, None] = {}
        self.known: dict[Formula, bool] = {}
        self.origin = past[0].before if past else here
        """The situation in which the player made the first move."""
        # what is dealt lies where it lay when the first move was made
        self.makers = makers_of(system, self.origin)

    def is_never(self, formula: Formula) -> bool:
        """Whether it is certain that a formula holds in no situation from here on."""
        if formula not in self.known:
            # no view need be asked, and lenses could not translate it
            if formula in (TRUE, FALSE):
                return formula == FALSE
            if self._is_beyond(formula):
                return True
            try:
                self.known[formula] = not self.view.allows(formula)
            except NotAsked:
                self.unasked[formula] = None
                return False
        return self.known[formula]

    def _is_beyond(self, formula: Formula) -> bool:
        """Whether a test asks for more than its variable can ever be."""
        if isinstance(formula, Both):
            return any(self._is_beyond(p) for p in formula.parts)
        if not isinstance(formula, Within):
            return False
        return formula.low > self.system.variables[formula.variable].high

    def taken(self, formula: Formula) -> list[Node]:
        """The last move of the evidence after which a formula did not hold any more."""
        for number in range(len(self.past), 0, -1):
            move = self.past[number - 1]
            # the last such move: what an earlier one took had come back since
            if holds(formula, move.before) and not holds(formula, move.after):
                changed = [v for v, old in enumerate(move.before) if old != move.after[v]]
                return [self._took(number, v) for v in changed if asks(formula, v)]
        return []

    def at_most(self, test: Within) -> AtMost | None:
        """How much there is of an amount of which there is never enough."""
        variable = self.system.variables[test.variable]
        if variable.key[0] not in AMOUNTS or test.low <= variable.low:
            return None
        if test.low > variable.high > variable.low:
            return AtMost(test.variable, variable.high, False)  # more there cannot be
        if not self.is_never(Within(test.variable, test.low, max(test.high, variable.high))):
            return None  # there is more, but never just so many
        possible = [
            m
            for m in self.makers
            if any(c.variable == test.variable for c in m.changes) and self._may_be(m)
        ]
        # only what can still be made gives anything
        gains = single_gains(self.system, test.variable, possible)
        counted = variable.high
        if gains is not None:
            # each source gives once at most: what is there and all of them together is a bound
            counted = min(counted, self.here[test.variable] + sum(gains.values()))
        # a limit on what is carried bounds it too, whatever gives more
        carried = most_carried(self.system, test.variable)
        sources = tuple(gains) if gains is not None and counted < test.low else ()
        if carried is not None and carried >= test.low:
            carried = None
        if (
            not sources
            and carried is None
            and not (self.view.exact and test.low > variable.low + 1)
        ):
            return None
        # never more than one less than what is asked for, which is known never to be
        most = min(counted, test.low - 1, carried if carried is not None else test.low)
        while most > variable.low and self.is_never(Within(test.variable, most, variable.high)):
            most -= 1
        return AtMost(test.variable, most, self.view.exact, sources, carried)

    def _may_be(self, maker: Maker) -> bool:
        """Whether a maker may still do what it does; of what happens by itself nobody can tell."""
        if maker.step is None:
            return True
        asked = literals_of(maker.guard)
        return self.done(maker) is None and not self.is_never(both((*asked, GOING_ON)))

    def last_spent(self, variable: int) -> list[Node]:
        """The last move of the evidence that lowered an amount."""
        for number in range(len(self.past), 0, -1):
            move = self.past[number - 1]
            old, new = move.before[variable], move.after[variable]
            if new < old:
                return [self._took(number, variable)]
        return []

    def _took(self, number: int, variable: int) -> Node:
        """That a move of the evidence changed a variable; of the last, whether that mattered."""
        move = self.past[number - 1]
        old, new = move.before[variable], move.after[variable]
        # of earlier moves it could not be said what would have come of it: other moves followed
        spared = None
        if number == len(self.past):
            spared = self.view.wins_from(
                [old if v == variable else value for v, value in enumerate(move.after)]
            )
        return Node(Took(number, move.rule, variable, old, new, spared))

    def done(self, maker: Maker) -> Node | None:
        """A once-only rule that the evidence has made."""
        # of what can be made again it is no reason that it was made
        if maker.step is None or not self.system.once_only(self.system.move_of[maker.step.number]):
            return None
        for number, past in enumerate(self.past, 1):
            if past.rule == maker.id:
                return Node(Done(maker.id, number))
        return None


def asks(formula: Formula, variable: int) -> bool:
    """Whether a formula asks about a variable."""
    return variable in variables_of(formula)
