"""Whether a win may still be reached, told from sets of values; "no" is certain.

Operators are applied until nothing is new. Two things make "no" more frequent, and keep it certain:
what is surely possible only once counts once in an amount, however many values it seems to have,
and what is added must leave room for the least that the rest of a load weighs (`operators`).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cached_property

from msgspec import Struct

from zubrel.base.budget import Budget, WorkSpent
from zubrel.compiled.operators import Compiled, Domains, Gain, Operator, Operators
from zubrel.compiled.parts import ENDING, PLACE, Change, Operation
from zubrel.compiled.possible import ALWAYS
from zubrel.policy import OF_VALUES

APPLY, LARGER = 1.5, 0.05
"""Units of work to apply an operator, and more for every 1,000 values of the largest variable."""
MOST_FOLLOWED = 128
"""Values of a variable up to which it is found out from which of them none leads back."""
ENDLESS = 1 << 30


class Adding(Struct, frozen=True):
    """An operator adds so many to a variable, at most `once` in a play."""

    variable: int
    count: int
    once: bool


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
        largest = max(v.size for v in system.variables)
        self.apply = APPLY + LARGER * (largest // 1_000)

    def domains(self, values: Sequence[int]) -> Domains:
        """A situation as sets with one value each."""
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
        run, watching = self.operators.run, self.operators.watching
        # what is there at first counts in full
        most = {v: domains[v].bit_length() - 1 for v in self._capped}
        counted: set[tuple[int, int]] = set()
        due: list[int] = list(range(len(run)))
        waiting = bytearray(b"\1" * len(run))
        gained: list[Gain] = []
        while due:
            # rounds, not a queue: an operator that several gains wake is applied once
            self.budget.spend(self.apply * len(due))
            following: list[int] = []
            for number in due:
                waiting[number] = 0
                adding = self._adding.get(number, ())
                # kept, so that what cannot be added up can be taken out again
                before = [domains[a.variable] for a in adding]
                run[number](domains, domains, gained)
                woken: list[int] = []
                if adding:
                    possible = bool(gained) or self._is_possible(number, domains)
                    woken = self._count(number, adding, before, domains, most, counted, possible)
                for variable, new, _ in gained:
                    if domains[variable] & new:  # not all of it is more than can be added up
                        # its readers may become possible by what is new
                        woken += watching[variable]
                for other in woken:
                    if not waiting[other]:
                        waiting[other] = 1
                        following.append(other)
                gained.clear()
                # one win is enough to know that there may be one
                if to_win and domains[ENDING] & self.good:
                    return domains
            due = following
        return domains

    def _is_possible(self, number: int, domains: Domains) -> bool:
        gained: list[Gain] = []
        self.operators.run[number](domains, [0] * len(domains), gained)
        return bool(gained)

    def _count(
        self,
        number: int,
        adding: Sequence[Adding],
        before: Sequence[int],
        domains: Domains,
        most: dict[int, int],
        counted: set[tuple[int, int]],
        possible: bool,
    ) -> list[int]:
        """Keep amounts to what can be added up; the operators that may now add more."""
        woken: list[int] = []
        group = self.operators.all[number].group
        for one, known in zip(adding, before, strict=True):
            variable = one.variable
            if possible and (group, variable) not in counted:
                counted.add((group, variable))
                most[variable] = most[variable] + one.count if one.once else ENDLESS
                woken += self._adders[variable]
            if most[variable] < ENDLESS:
                # what an adder gives once cannot be given twice, whatever the sets say
                fitting = (1 << most[variable] + 1) - 1
                domains[variable] = known | (domains[variable] & fitting)
        return woken

    # what can be added up

    @cached_property
    def _adding(self) -> dict[int, list[Adding]]:
        """By operator what it adds to variables that something adds to once only."""
        every: dict[int, list[Adding]] = {}
        for number, operator in enumerate(self.operators.all):
            once = self.once[number]
            for effect in operator.effects:
                domain = self.system.variables[effect.variable]
                if domain.size <= 2 or effect.variable in (PLACE, ENDING):
                    continue
                changes = [change for change, _ in effect.changes]
                sums = (Operation.ADD, Operation.ADD_UP_TO_END)
                count = sum(max(0, c.number) for c in changes if c.operation in sums)
                # what sets an amount is not added up: it may set it anew
                plain = all(c.operation in sums for c in changes)
                sets = any(c.operation is Operation.SET and c.number > domain.low for c in changes)
                if count or sets:
                    adding = Adding(effect.variable, count, once and plain)
                    every.setdefault(number, []).append(adding)
        capped = {a.variable for adding in every.values() for a in adding if a.once}
        kept = {n: [a for a in adding if a.variable in capped] for n, adding in every.items()}
        return {n: adding for n, adding in kept.items() if adding}

    @cached_property
    def _capped(self) -> frozenset[int]:
        return frozenset(a.variable for adding in self._adding.values() for a in adding)

    @cached_property
    def _adders(self) -> dict[int, list[int]]:
        adders: dict[int, list[int]] = {}
        for number, adding in self._adding.items():
            for one in adding:
                adders.setdefault(one.variable, []).append(number)
        return adders

    @cached_property
    def once(self) -> list[bool]:
        """Of each operator whether it, and all alternatives to it, take place once at most.

        Each sets a variable to a value that it does not allow itself, and from which nothing leads
        back to one that it allows. All alternatives make the same changes, so that after any of
        them none is possible.
        """
        closures: dict[int, dict[int, int]] = {}
        repeated = {
            o.group
            for o in self.operators.all
            if not any(self._for_good(o, e.variable, closures) for e in o.effects)
        }
        # what one alternative can do again counts for all of them
        return [o.group not in repeated for o in self.operators.all]

    def _for_good(
        self, operator: Operator, variable: int, closures: dict[int, dict[int, int]]
    ) -> bool:
        domain = self.system.variables[variable]
        allowed = operator.allowed.get(variable)
        effect = next(e for e in operator.effects if e.variable == variable)
        # what asks for nothing of its own variable can be done again
        if allowed is None or variable == PLACE or len(effect.changes) != 1:
            return False
        if domain.size > MOST_FOLLOWED:
            return False
        change, when = effect.changes[0]
        if change.operation is not Operation.SET or when != ALWAYS:
            return False
        if variable not in closures:
            closures[variable] = self._closures(variable)
        return not allowed & closures[variable][change.number - domain.low]

    def _closures(self, variable: int) -> dict[int, int]:
        """For each value of a variable, by its place: the values that it may come to have."""
        size = self.system.variables[variable].size
        leads = {place: 1 << place for place in range(size)}
        for operator in self.operators.all:
            allowed = operator.allowed.get(variable, -1)
            for effect in operator.effects:
                if effect.variable == variable:
                    for place in range(size):
                        if allowed >> place & 1:
                            leads[place] |= self._results([c for c, _ in effect.changes], place)
        # transitive closure; domains are small here (`MOST_FOLLOWED`)
        while True:
            grown = dict(leads)
            for place, reached in leads.items():
                for other in range(size):
                    if reached >> other & 1:
                        grown[place] |= leads[other]
            if grown == leads:
                return leads
            leads = grown

    def _results(self, changes: Sequence[Change], place: int) -> int:
        """The values to which changes may lead from one value, some of them not made."""
        domain = self.system.variables[changes[0].variable]
        places = {place}
        for change in changes:
            moved = set()
            for old in places:
                match change.operation:
                    case Operation.SET:
                        moved.add(change.number - domain.low)
                    case Operation.FLIP:
                        moved.add(domain.size - 1 - old)
                    case _:
                        moved.add(min(domain.size - 1, max(0, old + change.number)))
            places |= moved
        return sum(1 << p for p in places)
