"""Relaxed plans: operators that may lead to a win, the earliest of each that is needed.

Values are reached in layers; going back from the win, each value asks for the operator that brought
it first, and that for the values that it allows (Hoffmann, Nebel: The FF planning system, 2001).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from zubrel.certain.turnover import UNBOUND, Bounds
from zubrel.certain.upkeep import Upkeep
from zubrel.compiled.adding import Sums
from zubrel.compiled.operators import Domains, Effect, Gain, Operator
from zubrel.compiled.parts import ENDING, Change, Operation, Variable
from zubrel.compiled.possible import (
    ALWAYS,
    Among,
    AnyPossible,
    Count,
    Every,
    Possible,
    Weight,
    places_of,
)
from zubrel.compiled.relaxation import SPREAD_OUT, Relaxation

LAYER, BROUGHT, USED = 10, 2, 10
"""Units of work for a layer, for what an operator brings in it, and for an operator of a plan:
chosen so that the work of depths of size L follows what the processor takes."""
SPREAD = 100
"""Units of work for every 1,000 values from the least to the largest of a set of values."""

Value = tuple[int, int]
"""A variable, and the place of one of its values."""


class Planner:
    """Makes relaxed plans from single situations."""

    def __init__(self, relaxation: Relaxation, bounds: Bounds = UNBOUND) -> None:
        """`bounds`: plans have what it takes to keep within them."""
        self.relaxation = relaxation
        self.operators = relaxation.operators
        self.walks = [operator.walks for operator in self.operators.all]
        self.upkeep = Upkeep(relaxation, bounds)

    def plan(self, start: Sequence[int], goal: int | Among | None = None) -> list[int] | None:
        """Numbers of operators in the order of their layers; None: nothing leads there for sure.

        The goal is a win, or that the step with number `goal` is made, or some values of a variable
        of which it has none at the start.
        """
        layers = _Layers(self.relaxation, start)
        among = Among(ENDING, self.relaxation.good) if goal is None else goal
        while True:
            # a win is one value of one variable, a step what it asks for
            if isinstance(among, Among):
                there = layers.domains[among.variable] & among.mask
                if there:
                    extraction = _Extraction(layers)
                    extraction.to_value((among.variable, there.bit_length() - 1))
                    return self._kept_up(extraction, start)
            else:
                for number in self.operators.of_step.get(among, []):
                    if self.operators.is_possible(number, layers.domains):
                        extraction = _Extraction(layers)
                        extraction.to_operator(number)
                        return self._kept_up(extraction, start)
            if not layers.grow():
                return None

    def _kept_up(self, extraction: _Extraction, start: Sequence[int]) -> list[int]:
        """The operators of a plan by their layers, each as often as what it uses up asks for."""

        def use(number: int) -> Counter[int] | None:
            # the layers stopped early: what makes more of something may come in a later one
            if not self.operators.is_possible(number, extraction.layers.domains):
                return None
            extraction.to_operator(number)
            return extraction.often

        # each set has one value
        now = [mask.bit_length() - 1 for mask in start]
        often = self.upkeep.added(extraction.often, extraction.levels, now, use)
        # in the order in which they were found, which is that of the layers
        plan: list[int] = []
        for number in extraction.often:
            plan += [number] * often[number]
        return plan

    def wanted(self, start: Sequence[int]) -> list[Value] | None:
        """The values that a plan for a win asks for, in no order; None: nothing leads there."""
        layers = _Layers(self.relaxation, start)
        while not (won := layers.domains[ENDING] & self.relaxation.good):
            if not layers.grow():
                return None
        extraction = _Extraction(layers)
        extraction.to_value((ENDING, won.bit_length() - 1))
        return sorted(extraction.marked)

    def cost(self, plan: Sequence[int]) -> int:
        """How many operators of a plan do more than walk."""
        return sum(not self.walks[number] for number in plan)


class _Layers:
    """In which layer each value is reached first, and by which operator."""

    def __init__(self, relaxation: Relaxation, start: Sequence[int]) -> None:
        self.relaxation = relaxation
        self.operators = relaxation.operators
        self.domains: Domains = list(start)
        relaxation.budget.spend(SPREAD_OUT * len(start))
        self.sums = Sums(relaxation.additions, self.domains)
        # by variable and value: in which layer it came first, and by which operator
        self.first: list[dict[int, tuple[int, int | None]]] = [
            dict.fromkeys(self._placed(mask), (0, None)) for mask in start
        ]
        self.layer = 0
        # only what asks for a value that is new can be possible for the first time
        self.due = self.operators.due_at(self.domains)

    def _placed(self, mask: int) -> list[int]:
        places = places_of(mask)
        if places:
            self.relaxation.budget.spend(SPREAD * ((places[-1] - places[0]) // 1_000))
        return places

    def spend_on_tests(self, tests: int) -> None:
        """Accounts for asking of so many values whether they are in a set."""
        self.relaxation.budget.spend(tests // 100 * 20 * self.relaxation.apply)

    def grow(self) -> bool:
        """One more layer; whether it holds anything new."""
        self.layer += 1
        after, gained = list(self.domains), list[Gain]()
        self.relaxation.budget.spend(self.relaxation.apply * len(self.due))
        following: set[int] = set()
        by_operator = self.relaxation.additions.by_operator
        run = self.operators.run
        for number in self.due:
            adding = by_operator.get(number)
            if adding is None:
                run[number](self.domains, after, gained)
                continue
            # six wardens with a feather each are six feathers, and no warden is met twice
            following.update(self.sums.apply(number, adding, self.domains, after, gained))
        self.relaxation.budget.spend(LAYER + BROUGHT * len(gained))
        for variable, mask, number in gained:
            new = mask & after[variable]
            if not new:
                continue  # more than can be added up
            known = self.first[variable]
            for place in self._placed(new):
                known.setdefault(place, (self.layer, number))
            following.update(self.operators.woken_by(variable, new))
        # sorted, so that the same operator brings a value first each time
        self.domains, self.due = after, sorted(following)
        return bool(following)


class _Extraction:
    """Goes back from what is wanted, a layer at a time."""

    def __init__(self, layers: _Layers) -> None:
        self.layers = layers
        self.first = layers.first
        self.goals: list[list[Value]] = [[] for _ in range(layers.layer + 2)]
        self.marked: set[Value] = set()
        self.used: set[tuple[int, int]] = set()
        """Layers and operators that are applied in them: what adds up is done again and again."""

    def to_value(self, value: Value) -> None:
        self._want([value])
        self._go_back()

    def to_operator(self, number: int) -> None:
        self._use(number, self.layers.layer + 1)
        self._go_back()

    @property
    def often(self) -> Counter[int]:
        """How often each operator is applied, in the order in which they are first."""
        return Counter(number for _, number in sorted(self.used))

    @property
    def levels(self) -> dict[int, int]:
        """Of each variable the highest place of those of its values that are asked for."""
        levels: dict[int, int] = {}
        for variable, place in self.marked:
            levels[variable] = max(place, levels.get(variable, 0))
        return levels

    def _go_back(self) -> None:
        # what a layer asks for was reached in earlier ones, so that one pass suffices
        for layer in range(len(self.goals) - 1, 0, -1):
            for variable, place in self.goals[layer]:
                _, number = self.first[variable][place]
                assert number is not None, "values of the start are never wanted"
                before = self._source(self.layers.operators.all[number], variable, place, layer)
                self._use(number, layer, variable if before is not None else None)
                self._want([] if before is None else [(variable, before)])

    def _use(self, number: int, layer: int, but: int | None = None) -> None:
        """An operator in a layer, and what it asks for, `but` for one variable."""
        # once a layer: used again in another one it adds up
        if (layer, number) in self.used:
            return
        self.used.add((layer, number))
        self.layers.relaxation.budget.spend(USED)
        operator = self.layers.operators.all[number]
        parts = [Among(v, m) for v, m in operator.allowed.items() if v != but]
        for part in (*parts, *operator.others):
            cheapest = self._cheapest(part, layer)
            self._want(cheapest[1] if cheapest else [])

    def _want(self, values: Sequence[Value]) -> None:
        for value in values:
            layer = self.first[value[0]][value[1]][0]
            # what holds from the first asks for nothing
            if value not in self.marked and layer:
                self.marked.add(value)
                self.goals[layer].append(value)

    def _cheapest(self, possible: Possible, limit: int) -> tuple[int, list[Value]] | None:
        """The values, reached before layer `limit`, that make it possible first, and when."""
        match possible:
            case Among(variable, mask):
                best = self._reached_first(variable, mask, limit)
                return None if best is None else (best[0], [(variable, best[1])])
            # which values are picked does not change what is possible: only how long the plan
            # becomes
            case Every(parts):
                # all of them are needed, so that the dearest decides
                costs = [self._cheapest(p, limit) for p in parts]
                return _dearest([c for c in costs if c is not None], len(parts))
            case AnyPossible(parts):
                known = (self._cheapest(p, limit) for p in parts)
                return min((c for c in known if c is not None), key=lambda c: c[0], default=None)
            case Count(count, parts):
                known = (self._cheapest(p, limit) for p in parts)
                cheapest = sorted((c for c in known if c is not None), key=lambda c: c[0])
                return _dearest(cheapest[:count], count)
            # plans do not ask whether it all can be carried: a search that follows them does
            case Weight():
                return 0, []

    def _reached_first(self, variable: int, mask: int, limit: int) -> tuple[int, int] | None:
        """The first layer before `limit` with a value of a mask, and the lowest of those there."""
        known = self.first[variable]
        # most ask for one value of many
        places = places_of(mask) if mask.bit_count() < len(known) else list(known)
        self.layers.spend_on_tests(len(places))
        reached = [
            (known[place][0], place)
            for place in places
            if place in known and mask >> place & 1 and known[place][0] < limit
        ]
        return min(reached, default=None)

    def _source(self, operator: Operator, variable: int, place: int, layer: int) -> int | None:
        """The value before, where an operator makes one value of a variable out of another."""
        effect = next(e for e in operator.effects if e.variable == variable)
        # whatever it was before, what sets it needs no value to begin with
        if all(c.operation is Operation.SET for c, _ in effect.changes):
            return None
        known = self.first[variable]  # in the order of their layers, as they were reached
        self.layers.spend_on_tests(len(known))
        for before, (reached, _) in known.items():
            allowed = operator.allowed.get(variable, -1) >> before & 1
            if reached < layer and allowed and _leads(self.layers, effect, before, place):
                return before
        return None


def _leads(layers: _Layers, effect: Effect, before: int, after: int) -> bool:
    """Whether all changes of an effect together make one value out of another."""
    domain = layers.relaxation.system.variables[effect.variable]
    # changes of one effect come one after the other, each from what the one before has made
    place = before
    for change, when in effect.changes:
        moved = place_after(change, place, domain)
        # a change under a condition is made where that leads to the value, and left out elsewhere
        if when == ALWAYS or moved == after:
            place = moved
    return place == after


def place_after(change: Change, place: int, domain: Variable) -> int:
    """The place among the values of a variable to which a change moves it; of a sum that does not
    fit it may be beyond them."""
    match change.operation:
        case Operation.SET:
            return change.number - domain.low
        case Operation.FLIP:
            return domain.size - 1 - place
        case Operation.ADD:
            return place + change.number
        case Operation.ADD_UP_TO_END:
            return min(domain.size - 1, max(0, place + change.number))


def _dearest(
    costs: Sequence[tuple[int, list[Value]]], count: int
) -> tuple[int, list[Value]] | None:
    if len(costs) < count:
        return None
    return max((c[0] for c in costs), default=0), [value for c in costs for value in c[1]]
