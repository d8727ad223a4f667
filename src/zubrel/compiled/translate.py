"""Conditions of the world -> formulas over variables."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.checked import keys
from zubrel.checked.conditions import (
    ACTIVE,
    WAITING,
    All,
    Any,
    At,
    Beaten,
    Cond,
    CountOf,
    DealtAt,
    FactIs,
    GoalMet,
    HitOff,
    Holds,
    InStock,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    StoreRoom,
    Total,
)
from zubrel.checked.keys import Key
from zubrel.checked.things import Carry, Goal, GoalGroup, Quest, Store
from zubrel.checked.world import World
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Load,
    Within,
    at_least,
    both,
    either,
    opposite,
)
from zubrel.compiled.parts import PLACE, Variable

MOST_COMPARED = 1_000
"""Values of a sum that are gone through where amounts are compared with amounts."""


class Translator:
    """Knows the variables by their keys."""

    def __init__(
        self, world: World, variables: Sequence[Variable], numbers: dict[Key, int]
    ) -> None:
        self.world = world
        self.variables = variables
        self.numbers = numbers
        names = variables[PLACE].names
        self.area_numbers = {area: n for n, area in enumerate(names) if area != keys.UNDEALT}

    def formula(self, condition: Cond) -> Formula:
        """The formula that holds exactly where `condition` does."""
        # each smallest condition has one variable that tells it; only totals and room need several
        match condition:
            case All(parts):
                return both(self.formula(p) for p in parts)
            case Any(parts):
                return either(self.formula(p) for p in parts)
            case Not(part):
                return opposite(self.formula(part))
            case CountOf(count, parts):
                return at_least(count, [self.formula(p) for p in parts])
            case Holds(item, operator, number):
                return self.comparison(keys.held(item), operator, number)
            case Level(meter, operator, number):
                return self.comparison(keys.meter(meter), operator, number)
            case Total():
                return self._total(condition)
            case FactIs(fact, value):
                return self.equals(keys.fact(fact), value)
            case At(area):
                return self.at(area)
            case LockOpen(lock):
                return self.equals(keys.lock_open(lock), 1)
            case Marked(kind, subject):
                return self.equals(keys.mark(kind, subject), 1)
            case QuestIs(quest, state):
                return self.equals(keys.quest(quest), state)
            case Stored(store, item, operator, number):
                return self.comparison(keys.stored(store, item), operator, number)
            case InStock(shop, item):
                return self.comparison(keys.stock(shop, item), ">=", 1)
            case LiesAt(item, area):
                return self.lies_at(keys.lies(item), area)
            case DealtAt(item, area):
                return self.lies_at(keys.dealt(item), area)
            case Beaten(foe, count):
                return self.comparison(keys.beaten(foe), ">=", count)
            case HitOff(foe, count):
                return self.comparison(keys.hit(foe), ">=", count)
            case StoreRoom(store, item):
                return self._store_room(self.world.stores[store], item)
            case GoalMet(quest, number, least):
                return self._come_far(self.world.quests[quest], number, least)

    def lies_at(self, key: Key, area: str) -> Formula:
        """What the variable of a key stands for lies in an area."""
        variable = self.numbers[key]
        names = self.variables[variable].names
        # it is never put down there
        if area not in names:
            return FALSE
        return self.within(variable, names.index(area), names.index(area))

    def _store_room(self, store: Store, item: str) -> Formula:
        # without a limit of its own a store holds of each item what can be carried of it
        if store.limit is None:
            return self.comparison(keys.stored(store.id, item), "<", self.world.items[item].most)
        return self.stored(store, store.limit - 1)

    def stored(self, store: Store, most: int) -> Formula:
        """So many things at most are in a store."""
        kept = tuple(self.numbers[keys.stored(store.id, i)] for i in store.keeps)
        return self.load(kept, (), most)

    def carried(self, carry: Carry, most: int) -> Formula:
        """So much at most is carried of what a limit counts; a tool weighs one."""
        # uses are no pieces: whether the tool is held is what weighs
        tools = {i for i in carry.items if self.world.items[i].uses is not None}
        held = tuple(self.numbers[keys.held(i)] for i in carry.items if i not in tools)
        marks = [self.comparison(keys.held(i), ">=", 1) for i in carry.items if i in tools]
        return self.load(held, tuple(m for m in marks if isinstance(m, Within)), most)

    def load(self, variables: tuple[int, ...], marks: tuple[Within, ...], high: int) -> Formula:
        """The values and marks are at most `high` together; decided where their domains do."""
        if high < 0:
            return FALSE
        # a limit that never binds would keep all that it weighs
        if sum(self.variables[v].high for v in variables) + len(marks) <= high:
            return TRUE
        return Load(variables, marks, high)

    def _total(self, total: Total) -> Formula:
        match total.operator:
            case ">=":
                return self._at_least(total, total.number)
            case ">":
                return self._at_least(total, total.number + 1)
            case "<":
                return opposite(self._at_least(total, total.number))
            case "<=":
                return opposite(self._at_least(total, total.number + 1))
        # an equality is two bounds; loads know one direction only
        least = self._at_least(total, total.number)
        exactly = both((least, opposite(self._at_least(total, total.number + 1))))
        return exactly if total.operator == "=" else opposite(exactly)

    def _at_least(self, total: Total, number: int) -> Formula:
        """What is added exceeds what is taken off by so much at least.

        Both sides are loads above their lowest values: one of the values that the side with fewer
        of them can come to lies between.
        """
        added = [self.numbers[t.kind, t.subject] for t in total.terms if t.sign > 0]
        taken = [self.numbers[t.kind, t.subject] for t in total.terms if t.sign < 0]
        # loads count from nothing: what meters have at least is moved to the other side
        number += sum(self.variables[v].low for v in taken)
        number -= sum(self.variables[v].low for v in added)
        # with one side only a single load will do
        if not taken:
            return opposite(self._at_most(added, number - 1))
        most_added, most_taken = (
            sum(self.variables[v].size - 1 for v in side) for side in (added, taken)
        )
        if min(most_added, most_taken) > MOST_COMPARED:
            message = f"these amounts are too large to be compared: {MOST_COMPARED:,} at most"
            raise InvalidInput([Diagnostic("too-large", message, total.span)])
        if most_taken <= most_added:
            # through the side with fewer values: for each of them the other side has one bound
            values = ((j + number, j) for j in range(most_taken + 1))
        else:
            values = ((i, i - number) for i in range(most_added + 1))
        return either(
            both((opposite(self._at_most(added, low - 1)), self._at_most(taken, high)))
            for low, high in values
        )

    def _at_most(self, variables: Sequence[int], high: int) -> Formula:
        """Variables are above their lowest values by at most so much together."""
        # a load adds up values from zero on; a meter that begins lower weighs one for each value
        # above its lowest
        plain = tuple(v for v in variables if self.variables[v].low == 0)
        marks = tuple(
            Within(v, value, self.variables[v].high)
            for v in variables
            if v not in plain
            for value in range(self.variables[v].low + 1, self.variables[v].high + 1)
        )
        if len(variables) == 1 and plain:
            return self.within(plain[0], None, high)
        return self.load(plain, marks, high)

    # quests

    def met(self, quest: Quest, number: int) -> Formula:
        """A goal of an unended quest is met."""
        goal = quest.goals[number - 1]
        # it is met as long as it holds, and may be lost again
        if not goal.remembered:
            return self.formula(goal.condition)
        return self.comparison(keys.goal(quest.id, number), ">=", whole(goal))

    def _come_far(self, quest: Quest, number: int, least: int | None) -> Formula:
        """A goal of an unended quest is met, or has made so much progress."""
        met, goal = self.met(quest, number), quest.goals[number - 1]
        if least is None:
            return met
        # what is collected is what is held: no counter of its own
        if goal.kind == "collect":
            return either((met, self.comparison(keys.held(goal.subject), ">=", least)))
        return self.comparison(keys.goal(quest.id, number), ">=", least)

    def all_met(self, quest: Quest, groups: Sequence[GoalGroup]) -> Formula:
        """Of each of some groups of goals of an unended quest, enough are met."""
        return both(at_least(g.count, [self.met(quest, n) for n in g.numbers]) for g in groups)

    def unended(self, quest: str) -> Formula:
        return self.within(self.numbers[keys.quest(quest)], WAITING, ACTIVE)

    def counts(self, quest: Quest, goal: Goal) -> Formula:
        """A goal that remembers its progress would make some now."""
        # what is met makes no more progress, or it would go on for ever
        parts = [opposite(self.met(quest, goal.number)), self.formula(goal.needs)]
        if goal.early:
            return both((self.unended(quest.id), *parts))
        # met in turn: what comes later does not count yet
        active = self.equals(keys.quest(quest.id), ACTIVE)
        return both((active, self.all_met(quest, quest.earlier(goal)), *parts))

    def at(self, area: str) -> Formula:
        return self.within(PLACE, self.area_numbers[area], self.area_numbers[area])

    def equals(self, key: Key, number: int) -> Formula:
        return self.comparison(key, "=", number)

    def comparison(self, key: Key, operator: str, number: int) -> Formula:
        """A comparison of one variable with a number."""
        variable = self.numbers[key]
        match operator:
            case "<":
                return self.within(variable, None, number - 1)
            case "<=":
                return self.within(variable, None, number)
            case ">":
                return self.within(variable, number + 1, None)
            case ">=":
                return self.within(variable, number, None)
            # whole numbers have neighbours, so that all comparisons are ranges
            case "=":
                return self.within(variable, number, number)
        return opposite(self.within(variable, number, number))

    def within(self, variable: int, low: int | None, high: int | None) -> Formula:
        """The interval test, cut to the domain; decided where the domain decides it."""
        domain = self.variables[variable]
        lowest = domain.low if low is None else max(low, domain.low)
        highest = domain.high if high is None else min(high, domain.high)
        # a test that no value passes, or that all do, would keep a variable for nothing
        if lowest > highest:
            return FALSE
        if (lowest, highest) == (domain.low, domain.high):
            return TRUE
        return Within(variable, lowest, highest)


def whole(goal: Goal) -> int:
    """The progress at which a goal that remembers it is met."""
    return goal.count if goal.kind in ("gain", "defeat") else 1
