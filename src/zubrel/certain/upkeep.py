"""What a relaxed plan uses up, and what makes it again.

The relaxation takes nothing away: one turnip can be sold for ever, and one night's sleep does for a
year of work. A plan read as a number of uses of each operator tells better how far a win is: where
more of something is used up than there is and than the plan makes, whatever makes it is made so
often that it suffices, and so is what that uses up (the balance of each value is what the state
equation asks of a plan: Bonet, An admissible heuristic for SAS+ planning obtained from the state
equation, 2013; here a plan is mended by it, and nothing is proved).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from math import inf

from zubrel.certain.circles import on_circles
from zubrel.certain.turnover import (
    AMOUNT,
    ROOM,
    UNBOUND,
    Bounds,
    Supply,
    is_nominal,
    turnover_of,
)
from zubrel.compiled.adding import ENDLESS
from zubrel.compiled.operators import Operators
from zubrel.compiled.parts import ENDING, PLACE, Variable
from zubrel.compiled.possible import places_of
from zubrel.compiled.relaxation import Relaxation

ROUNDS, MOST = 60, 400
"""How often what is used up is added up, and operators of a plan, before it is left as it is: to
make something again may take more of it than it makes."""
LONGEST = 8
"""Makings one after the other, of which the price of the last is told."""
NOTHING = 1e-9
"""A price that is less is none."""
BALANCE = 3
"""Units of work to add up what one operator of a plan uses up and makes."""


class Upkeep:
    """Adds to plans what makes again what they use up."""

    def __init__(self, relaxation: Relaxation, bounds: Bounds = UNBOUND) -> None:
        """`bounds` are kept by the plans that it adds to."""
        self.variables: Sequence[Variable] = relaxation.system.variables
        self.budget = relaxation.budget
        # how often each operator takes place at the most, where that is known
        self.times = relaxation.additions.times
        self.family = relaxation.additions.family
        self.members: dict[int, list[int]] = {}
        """By family the operators that can stand for each other."""
        for number, family in enumerate(self.family):
            self.members.setdefault(family, []).append(number)
        self.bounds = bounds
        operators = relaxation.operators
        self.turnover = [
            turnover_of(o, self.variables, self.bounds.ceilings) for o in operators.all
        ]
        self.makers: dict[Supply, list[int]] = {}
        """By supply what makes it, and can be made again and again."""
        self.limited: dict[Supply, list[int]] = {}
        """By supply what makes it only so often."""
        # what can be made only so often is asked last: it may be needed elsewhere
        for number, turnover in enumerate(self.turnover):
            makes = self.limited if self.times[number] < ENDLESS else self.makers
            for supply in turnover.makes:
                makes.setdefault(supply, []).append(number)
        # before the prices: what lasts is free, all else has to be made
        self.renewed = self._renewed()
        """Supplies that something makes again, of others that something makes again: who has too
        few coins sells what he buys with coins."""
        self.gaining = self._gaining()
        """What makes the supplies of which there is never an end: of nothing, of others of which
        there is none, or of less of the same."""
        self.lasting = self.gaining.keys()
        for makers in self.makers.values():
            makers.sort(key=self._price)
        self.closing = frozenset(n for n in range(len(operators.all)) if self._closes(n, operators))
        """Operators that take away for good what others ask for: they are better made late."""

    def _renewed(self) -> frozenset[Supply]:
        renewed = frozenset(self.makers)
        while True:
            # a lantern that is bought again lasts no longer than the stock of the shop
            kept = frozenset(s for s in renewed if self._is_made(s, renewed))
            if kept == renewed:
                return kept
            renewed = kept

    def _is_made(self, supply: Supply, renewed: frozenset[Supply]) -> bool:
        makers = (self.turnover[number] for number in self.makers[supply])
        return any(not m.passes and m.uses.keys() <= renewed for m in makers)

    def _gaining(self) -> dict[Supply, frozenset[int]]:
        gaining = dict[Supply, frozenset[int]]()
        links = [(u, s) for s, m in self.makers.items() for n in m for u in self.turnover[n].uses]
        # the price of any other is the same whether or not one of it is there
        circling = self.renewed & on_circles(links)
        while True:
            free = dict.fromkeys(gaining, 0.0)
            prices = self._prices(free)
            more = {s: self._below(s, NOTHING, prices) for s, p in prices.items() if p < NOTHING}
            # what is sold for less than it was bought for lasts no longer than the purse
            for supply in circling - more.keys():
                makers = self._below(supply, 1.0, self._prices({**free, supply: 1.0}))
                if makers:
                    more[supply] = makers
            # how it was found stays: once the coins last, what is bought with them does too
            if more.keys() <= gaining.keys():
                break
            gaining = more | gaining
        # once salt is sold for coins without end, silk costs nothing; to sell silk that was bought
        # makes no coins all the same. (Plans that endure are left as they are: a year of a kiln is
        # won with 0.9 million units so, and otherwise not with 12; each kind wins worlds that the
        # other does not.)
        for supply in circling & gaining.keys() if self.bounds is UNBOUND else ():
            makers = self._below(supply, 1.0, self._prices({supply: 1.0}))
            gaining[supply] = makers or gaining[supply]
        return gaining

    def _below(
        self, supply: Supply, price: float, prices: Mapping[Supply, float]
    ) -> frozenset[int]:
        """What makes a supply for less than a price, in terms of those that are given."""
        return frozenset(n for n in self.makers[supply] if self._cost(n, supply, prices) < price)

    def _prices(self, given: Mapping[Supply, float]) -> dict[Supply, float]:
        """What each supply costs that can be made again and again of those that are given, each
        for so much; what comes of no such is left out."""
        prices = dict(given)
        for _ in range(LONGEST):
            changed = False
            for supply, makers in self.makers.items():
                if supply in given:
                    continue
                price = min(self._cost(n, supply, prices) for n in makers)
                if price < prices.get(supply, inf):
                    prices[supply], changed = price, True
            if not changed:
                break
        return prices

    def _cost(self, number: int, supply: Supply, prices: Mapping[Supply, float]) -> float:
        """What one of a supply costs that an operator makes."""
        turnover = self.turnover[number]
        if turnover.passes:
            return inf
        used = sum(prices.get(s, inf) * count for s, count in turnover.uses.items())
        return used / turnover.makes[supply]

    def _price(self, number: int) -> tuple[bool, int, int]:
        """What is rather not made: what uses up what nothing makes again, or uses up much."""
        return self._for_good(number), len(self.turnover[number].uses), number

    def _for_good(self, number: int) -> bool:
        turnover = self.turnover[number]
        return turnover.passes or not turnover.uses.keys() <= self.lasting

    def _closes(self, number: int, operators: Operators) -> bool:
        """Whether an operator takes away for good what others ask for."""
        own, turnover = operators.all[number], self.turnover[number]
        # the place is left and come back to all the time, and an end closes everything
        for effect in own.effects:
            variable = effect.variable
            if variable in (PLACE, ENDING):
                continue
            if is_nominal(self.variables[variable]):
                allowed = own.allowed.get(variable, (1 << self.variables[variable].size) - 1)
                lost = sum(1 << p for p in places_of(allowed) if (variable, p) not in self.renewed)
            else:
                amount = (variable, AMOUNT)
                gone = amount in turnover.uses and amount not in self.renewed
                # all values above the lowest: whoever asks for any of some stock finds none
                lost = -2 if gone else 0
            for other in operators.watching[variable] if lost else ():
                asking = operators.all[other]
                if asking.group != own.group and asking.allowed.get(variable, 0) & lost:
                    return True
        return False

    def added(
        self,
        plan: Counter[int],
        levels: Mapping[int, int],
        now: Sequence[int],
        use: Callable[[int], Counter[int] | None],
    ) -> Counter[int]:
        """How often each operator of a plan is made, where what it uses up is made again.

        `levels` are the highest places that are asked for of variables, `now` those of their
        values. `use` adds an operator that was not asked for, with what it asks for itself, and
        gives the plan then; None: it is not possible.
        """
        # plans ask for some operators more often than they can take place: cut to what is possible
        often = self.possible(plan)
        turned: dict[Supply, set[Supply]] = {}
        for _ in range(ROUNDS):
            lacking = self.lacking(often, levels, now)
            changed = False
            for supply, count in lacking:
                # what makes it may use up other things, which the next round looks after
                maker = self._maker(supply, often, use, turned)
                if maker is not None:
                    more = -(-count // self.turnover[maker].makes[supply])
                    often[maker] += min(more, self._left(maker, often))
                    changed = True
            # a plan of so many moves is no guide any more
            if not changed or often.total() > MOST:
                break
        return often

    def possible(self, plan: Mapping[int, int]) -> Counter[int]:
        """A plan without what cannot be done again."""
        often = Counter[int]()
        for number, times in plan.items():
            often[number] = min(times, self._left(number, often))
        return often

    def _left(self, number: int, often: Counter[int]) -> int:
        """How many times more an operator may be made."""
        if self.times[number] == ENDLESS:
            return ENDLESS
        made = sum(often.get(other, 0) for other in self.members[self.family[number]])
        return max(0, self.times[number] - made)

    def lacking(
        self, often: Counter[int], levels: Mapping[int, int], now: Sequence[int]
    ) -> list[tuple[Supply, int]]:
        """What is used up or asked for beyond what there is and is made, by how much."""
        made = Counter[Supply]()
        balance = Counter[Supply]()
        # paid by the length of the plan, which is what it takes
        self.budget.spend(BALANCE * len(often))
        for number, times in often.items():
            turnover = self.turnover[number]
            for supply, count in turnover.uses.items():
                balance[supply] -= count * times
            for supply, count in turnover.makes.items():
                made[supply] += count * times
                balance[supply] += count * times
        lacking = list[tuple[Supply, int]]()
        for supply, count in balance.items():
            variable, place = supply
            # an amount is there as much as it is; a state is there or it is not
            if place == ROOM:
                here = self.bounds.ceilings[variable] - 1 - now[variable]
            elif place == AMOUNT:
                here = now[variable] - self.bounds.floors.get(variable, 0)
            else:
                here = int(now[variable] == place)
            missing = -count - here
            if place == AMOUNT and variable in levels:
                # a level may be asked for without being used up: a door that counts feathers
                missing = max(missing, levels[variable] - here - made[supply])
            if missing > 0 and (supply in self.makers or supply in self.limited):
                lacking.append((supply, missing))
        return lacking

    def _maker(
        self,
        supply: Supply,
        often: Counter[int],
        use: Callable[[int], Counter[int] | None],
        turned: dict[Supply, set[Supply]],
    ) -> int | None:
        """What makes a supply: of what the plan makes already, or else of all that is possible,
        which the plan then prepares once.

        `turned` tells of each supply what others are made of it; one of a circle that gains
        nothing is not made.
        """
        makers, gaining = self.makers.get(supply, []), self.gaining.get(supply, frozenset())
        # of what gains, what is made anyway needs no preparing; what can be made only so often
        # comes before what is made at a loss
        order = (
            *sorted((n for n in makers if n in gaining), key=lambda n: n not in often),
            *(n for n in self.limited.get(supply, ()) if self._left(n, often)),
            *(n for n in makers if n not in gaining),
        )
        for number in order:
            spent = self.turnover[number].uses.keys() - self.lasting
            if any(_leads(turned, supply, used) for used in spent):
                continue
            if number not in often:
                grown = use(number)
                if grown is None:
                    continue
                for other, times in grown.items():
                    missing = max(0, times - often[other])
                    often[other] += min(missing, self._left(other, often))
                often[number] -= 1  # it is counted by who asks for it
            for used in spent:
                turned.setdefault(used, set()).add(supply)
            return number
        return None


def _leads(turned: Mapping[Supply, set[Supply]], one: Supply, other: Supply) -> bool:
    """Whether one supply is turned into another, be it by way of others."""
    met, left = {one}, [one]
    while left:
        here = left.pop()
        if here == other:
            return True
        new = turned.get(here, set()) - met
        met |= new
        left += new
    return False
