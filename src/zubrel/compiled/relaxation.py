"""Whether a win may still be reached, told from sets of values; "no" is certain.

Operators are applied until nothing is new. Two things make "no" more frequent, and keep it certain:
what is surely possible only so often counts so often in an amount (`adding`), and what is added
must leave room for the least that the rest of a load weighs (`operators`).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from zubrel.base.budget import Budget, WorkSpent
from zubrel.compiled.adding import Additions, Sums
from zubrel.compiled.operators import Compiled, Domains, Gain, Operators
from zubrel.compiled.parts import ENDING
from zubrel.policy import OF_VALUES

APPLY, LARGER = 1.5, 0.05
"""Units of work to apply an operator, and more for every 1,000 values of the largest variable."""
WAKE, SPREAD_OUT = 1, 0.6
"""Units of work to wake one by what another has brought, and for a variable of a situation."""


class Relaxation:
    """Fixpoints of the operators of a system, over sets of values."""

    def __init__(
        self, system: Compiled, budget: Budget, operators: Operators | None = None
    ) -> None:
        """`operators` are those of the system, perhaps without some that are never possible."""
        self.system = system
        self.budget = budget
        self.operators = operators or Operators(system)
        self.good = self.operators.good
        self.additions = Additions(system, self.operators)
        largest = max(v.size for v in system.variables)
        self.apply = APPLY + LARGER * (largest // 1_000)

    def domains(self, values: Sequence[int]) -> Domains:
        """A situation as sets with one value each."""
        self.budget.spend(SPREAD_OUT * len(values))
        pairs = zip(values, self.system.variables, strict=True)
        return [1 << value - variable.low for value, variable in pairs]

    def may_win(self, start: Sequence[int]) -> bool:
        """Whether a win may be reached from some sets of values. False is certain."""
        return bool(self.fixpoint(start, to_win=True)[ENDING] & self.good)

    def plan_holds(self, start: Sequence[int], plan: Iterable[int]) -> bool:
        """Whether operators in their order may win; true only where `may_win` is."""
        domains, gained = list(start), list[Gain]()
        for number in plan:
            self.operators.run[number](domains, domains, gained)
        self.budget.spend(self.apply * len(gained))
        return bool(domains[ENDING] & self.good)

    def future(self, start: Sequence[int]) -> Domains:
        """All values that may be reached, or all that there are where that is too much work."""
        try:
            with self.budget.within(OF_VALUES):
                return self.fixpoint(start)
        except WorkSpent:
            return list(self.operators.masks.full)

    def fixpoint(self, start: Sequence[int], to_win: bool = False) -> Domains:
        """All values that may be reached; with `to_win` no more than are needed for a win."""
        domains = list(start)
        run, woken_by = self.operators.run, self.operators.woken_by
        sums = Sums(self.additions, domains)
        by_operator = self.additions.by_operator
        due = self.operators.due_at(domains)
        waiting = bytearray(len(run))
        for number in due:
            waiting[number] = 1
        gained: list[Gain] = []
        while due:
            # rounds, not a queue: an operator that several gains wake is applied once
            self.budget.spend(self.apply * len(due))
            following: list[int] = []
            for number in due:
                waiting[number] = 0
                adding = by_operator.get(number)
                if adding is None:
                    run[number](domains, domains, gained)
                    # most bring nothing most of the time
                    if not gained:
                        continue
                    woken: list[int] = []
                else:
                    woken = sums.apply(number, adding, domains, domains, gained)
                for variable, new, _ in gained:
                    if domains[variable] & new:  # not all of it is more than can be added up
                        # its readers may become possible by what is new
                        woken += woken_by(variable, new)
                for other in woken:
                    if not waiting[other]:
                        waiting[other] = 1
                        following.append(other)
                gained.clear()
                self.budget.spend(WAKE * len(woken))
                # one win is enough to know that there may be one
                if to_win and domains[ENDING] & self.good:
                    return domains
            due = following
        return domains
