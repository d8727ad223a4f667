"""Whether time is left for a win: days that go by for good, and an ending that comes with the last.

Sets of values keep every day that there was, so that whatever takes a day can be done over and
over. Here values are reached day by day: what takes two of them brings its values two days later
than what it asks for, and where none of a win is there when the last one is over, none is left
(costs as in h-max: Bonet, Geffner: Planning as heuristic search, 2001). Days that two ways take
side by side are counted once; so "no" is certain, and "yes" is not.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product

from msgspec import Struct

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import Within
from zubrel.compiled.operators import Domains, Gain, Operator
from zubrel.compiled.parts import ENDING, Operation, wins_of
from zubrel.compiled.possible import ALWAYS, Among, mask_of
from zubrel.compiled.relaxation import WAKE, Relaxation
from zubrel.compiled.system import System

ENDLESS = 1 << 30
AMPLE = 2
"""How many times as much time as a win ever took is enough not to ask. Chosen."""
LONGEST = 1_000
"""Hours beyond which nobody asks: a million grains of sand take as many looks."""
LATER = 6
"""Units of work for an operator that takes time, beside those of any other. Chosen."""


class Clock(Struct, frozen=True):
    """An amount that only ever goes one way, to where a bad ending waits for it.

    `last` is the place of the first value, on that way, with which the ending may come, and `rises`
    the way. `costs`: by operator how far it goes at least. `denials` are values of other variables,
    of which one keeps the ending away. `behind`: the operators of endings that give way to it.
    """

    variable: int
    last: int
    rises: bool
    costs: tuple[int, ...]
    denials: tuple[Among, ...]
    behind: frozenset[int]

    def left(self, place: int) -> int:
        """How far it is from a value to the last one."""
        return self.last - place if self.rises else place - self.last


def clocks_of(system: System, relaxation: Relaxation) -> Iterator[Clock]:
    """The clocks of a system, each with what its relaxation does to it."""
    good, operators = wins_of(system.world), relaxation.operators.all
    for position, (formula, number) in enumerate(system.endings):
        parts = parts_of(formula)
        tests = [part for part in parts if isinstance(part, Within)]
        # what else it asks for may keep it away, and only single values are asked about
        if number in good or len(tests) < len(parts):
            continue
        behind = frozenset(_of_endings(relaxation, position))
        for test, rises in product(tests, (True, False)):
            variable, domain = test.variable, system.variables[test.variable]
            one_way = system.rising.rising if rises else system.rising.falling
            to_the_end = test.high == domain.high if rises else test.low == domain.low
            costs = tuple(_cost(operator, variable, rises) for operator in operators)
            # what nothing moves tells no time
            if to_the_end and variable in one_way and any(costs):
                last = (test.low if rises else test.high) - domain.low
                others = tuple(_denial(system, other) for other in tests if other != test)
                yield Clock(variable, last, rises, costs, others, behind)


def _of_endings(relaxation: Relaxation, position: int) -> Iterator[int]:
    """The operators of the endings that stand after one, and so give way to it."""
    operators, endings = relaxation.operators, relaxation.system.endings
    before = {number for _, number in endings[:position]}
    behind = {number for _, number in endings[position:]} - before
    of_settlers = {n for some in operators.of_settler for n in some}
    for number, operator in enumerate(operators.all):
        if operator.step is None and number not in of_settlers:
            ends = {c.number for e in operator.effects for c, _ in e.changes}
            if ends <= behind:
                yield number


def _denial(system: System, test: Within) -> Among:
    variable = system.variables[test.variable]
    asked = mask_of(variable, test.low, test.high)
    return Among(test.variable, mask_of(variable, variable.low, variable.high) & ~asked)


def _cost(operator: Operator, variable: int, rises: bool) -> int:
    """How far an operator takes a clock at least."""
    cost = 0
    for effect in operator.effects:
        for change, when in effect.changes:
            # what may be left out takes no time for sure
            if effect.variable == variable and when == ALWAYS:
                forth = change.number if rises else -change.number
                cost += ENDLESS if change.operation is Operation.SET else forth
    return cost


class Timing:
    """Asks the clocks of a relaxation."""

    def __init__(self, system: System, relaxation: Relaxation) -> None:
        self.relaxation = relaxation
        self.clocks = list(clocks_of(system, relaxation))
        self.longest = [0] * len(self.clocks)
        """By clock how long a win took at most, as far as was asked."""

    def may_win(self, start: Sequence[int]) -> bool:
        """Whether a situation, as sets of one value each, leaves time for a win. False is
        certain."""
        for number, clock in enumerate(self.clocks):
            left = clock.left(start[clock.variable].bit_length() - 1)
            # past the last value the ending was kept away; and where there is plenty of time, to
            # ask takes longer than it is worth
            if left <= 0 or left > LONGEST or left > AMPLE * self.longest[number] > 0:
                continue
            taken = self._taken(clock, start, left)
            if taken is None:
                return False
            self.longest[number] = max(taken, self.longest[number])
        return True

    def _taken(self, clock: Clock, start: Sequence[int], left: int) -> int | None:
        """How long it takes at least to a win, or to what keeps the ending away; None: longer
        than what is `left`."""
        operators = self.relaxation.operators
        domains = list(start)
        due = operators.due_at(domains)
        later: list[list[Gain]] = [[] for _ in range(left + 1)]
        # what two hours ago brought is there now
        for hour in range(left + 1):
            for variable, mask, _ in later[hour]:
                new = mask & ~domains[variable]
                if new:
                    domains[variable] |= new
                    due += operators.woken_by(variable, new)
            # when the last is over, only what happens by itself comes before the end
            if self._go_on(clock, domains, due, later, hour):
                return hour
            if any(domains[d.variable] & d.mask for d in clock.denials):
                return hour
            due = []
        return None

    def _go_on(
        self,
        clock: Clock,
        domains: Domains,
        due: Sequence[int],
        later: list[list[Gain]],
        hour: int,
    ) -> bool:
        """All that takes no time, and what takes some for later; whether that holds a win."""
        operators, budget = self.relaxation.operators, self.relaxation.budget
        last = len(later) - 1
        while due:
            following: list[int] = []
            once = dict.fromkeys(due)
            budget.spend(self.relaxation.apply * len(once))
            for number in once:
                # a game that is over waits for no move, and for no ending that comes after this one
                over = number in clock.behind or operators.all[number].step is not None
                if hour == last and over:
                    continue
                cost = clock.costs[number] if hour < last else 0
                gained: list[Gain] = []
                operators.run[number](domains, [0] * len(domains) if cost else domains, gained)
                for gain in gained:
                    variable, new, _ = gain
                    # what wins may take its time, and the ending comes too late
                    if variable == ENDING and new & self.relaxation.good:
                        return True
                    if cost:
                        later[min(last, hour + cost)].append(gain)
                        budget.spend(LATER)
                    else:
                        following += operators.woken_by(variable, new)
            budget.spend(WAKE * len(following))
            due = following
        return False
