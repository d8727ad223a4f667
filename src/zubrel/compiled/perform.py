"""Effects in order -> a guard and changes of variables.

Everything is said about the situation before the move. What an earlier effect of the same move has
done to an amount is kept as *cases*: under a formula, the amount is the old one plus a number, or
a number. Cases split only where a loss or a waste that may or may not find enough is followed by
something that asks.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE, DONE, FAILED, WAITING
from zubrel.checked.effects import (
    AddMeter,
    Beat,
    Effect,
    EndGame,
    FailQuest,
    FetchFrom,
    FinishQuest,
    Give,
    Lose,
    MeetGoal,
    MoveTo,
    OpenLock,
    PickUp,
    PutDown,
    PutIn,
    SellOut,
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    StartQuest,
    Take,
    Toggle,
    Wear,
)
from zubrel.checked.keys import Key
from zubrel.checked.world import Carry, Goal, Item, Rule
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Within,
    both,
    either,
    opposite,
)
from zubrel.compiled.system import ENDING, PLACE, Change, Operation
from zubrel.compiled.translate import Translator, whole

# what only moves from one place to another is not gained
UNCOUNTED = ("fetch", "pick_up")


class Amount(Struct, frozen=True):
    """The old amount plus `number`, or `number` alone."""

    old: bool
    number: int


class Case(Struct, frozen=True):
    """Under `when`, the amounts that are no longer what they were before the move."""

    when: Formula
    amounts: dict[str, Amount]


class Gain(Struct, frozen=True):
    """Under `when`, so many of an item are really gained."""

    when: Formula
    item: str
    count: int


class Performer:
    """Performs the effects of one outcome, or of one thing that happens by itself.

    `areas` is where it can happen (None: anywhere), `rule` what is done (None while settling, where
    nothing is refused), `active` the quests that are known to be active before.
    """

    def __init__(
        self, translator: Translator, areas: Sequence[str] | None, rule: Rule | None,
        active: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        self.translator = translator
        self.world = translator.world
        self.areas = areas
        self.rule = rule
        self.active = active
        self.guards: list[Formula] = []
        self.changes: list[Change] = []
        self.cases = [Case(TRUE, {})]
        self.gains: list[Gain] = []
        self.beaten: list[tuple[Formula, str]] = []
        self.ended: dict[str, Formula] = {}
        self.finishing: list[str] = []
        self.places: list[tuple[Formula, str | None]] = [(TRUE, None)]

    def perform(self, effects: Iterable[Effect]) -> None:
        """All of it: the effects, what they count for, and what is gone at the end."""
        self._all(tuple(effects), TRUE)
        self._count()
        self._drop_progress()
        self._let_go()

    def guard(self) -> Formula:
        """What must hold for everything to be there that is taken, and to fit that is given."""
        return both(self.guards)

    def _all(self, effects: tuple[Effect, ...], when: Formula) -> None:
        for place, effect in enumerate(effects):
            self._one(effect, when, effects[place + 1 :])

    def _one(self, effect: Effect, when: Formula, later: tuple[Effect, ...]) -> None:
        match effect:
            case Take(item, count):
                self._take(item, count, when)
            case Wear(item):
                self._take(item, 1, when, wear=True)
            case Lose(item, count):
                self._lose(item, count, when, later)
            case Give(item, count):
                self._give(self.world.items[item], count, when)
            case StartQuest(quest):
                self._quest(quest, ACTIVE, when, self._waiting(quest))
            case FinishQuest(quest):
                self._finish(quest, when)
            case FailQuest(quest):
                self._end_quest(quest, FAILED, when)
            case MoveTo(area):
                self._move(area, when)
            case Beat(foe):
                self.beaten.append((when, foe))
                returns = self.world.foes[foe].returns
                operation = Operation.SET if returns else Operation.ADD
                self._change(keys.beaten(foe), operation, 1, when)
            case PutDown(item):
                self._put_down(item, when)
            case _:
                self._plain(effect, when)

    def _plain(self, effect: Effect, when: Formula) -> None:
        """The effects that change one variable and depend on nothing."""
        match effect:
            case SetFact(fact, value):
                self._set(keys.fact(fact), value, when)
            case SetMeter(meter, value):
                limits = self.world.meters[meter]
                self._set(keys.meter(meter), min(limits.high, max(limits.low, value)), when)
            case Toggle(fact):
                self._change(keys.fact(fact), Operation.FLIP, 0, when)
            case AddMeter(meter, amount):
                self._change(keys.meter(meter), Operation.ADD_UP_TO_END, amount, when)
            case OpenLock(lock):
                self._set(keys.lock_open(lock), 1, when)
            case ShutLock(lock):
                self._set(keys.lock_open(lock), 0, when)
            case SetMark(kind, subject):
                if keys.mark(kind, subject) in self.translator.numbers:
                    self._set(keys.mark(kind, subject), 1, when)
            case EndGame(ending):
                names = self.translator.variables[ENDING].names
                self.changes.append(Change(ENDING, Operation.SET, names.index(ending), when))
            case MeetGoal(quest, number):
                self._set(keys.goal(quest, number), 1, when)
            case SellOut(shop, item):
                self._change(keys.stock(shop, item), Operation.ADD, -1, when)
            case PutIn(item, store):
                self._change(keys.stored(store, item), Operation.ADD, 1, when)
            case FetchFrom(item, store):
                self._change(keys.stored(store, item), Operation.ADD, -1, when)
            case PickUp(item):
                self._set(keys.lies(item), 0, when)
            case _:
                raise AssertionError(effect)

    def _set(self, key: Key, value: int, when: Formula) -> None:
        self._change(key, Operation.SET, value, when)

    def _change(self, key: Key, operation: Operation, number: int, when: Formula) -> None:
        if when != FALSE:
            self.changes.append(Change(self.translator.numbers[key], operation, number, when))

    # amounts

    def _split(self, when: Formula) -> list[Case]:
        """The cases in which an effect with this condition happens; the others stay as they are."""
        if when == TRUE:
            inside, self.cases = self.cases, []
            return inside
        outside, inside = [], []
        for case in self.cases:
            inside.append(replace(case, when=both((case.when, when))))
            outside.append(replace(case, when=both((case.when, opposite(when)))))
        self.cases = [c for c in outside if c.when != FALSE]
        return [c for c in inside if c.when != FALSE]

    def _at_least(self, item: str, case: Case, number: int) -> Formula:
        """In a case, at least `number` of an item are held at this point."""
        amount = case.amounts.get(item, Amount(True, 0))
        if not amount.old:
            return TRUE if amount.number >= number else FALSE
        return self.translator.comparison(keys.held(item), ">=", number - amount.number)

    def _shifted(self, case: Case, item: str, by: int, when: Formula = TRUE) -> Case:
        amount = case.amounts.get(item, Amount(True, 0))
        moved = Amount(amount.old, amount.number + by)
        return Case(both((case.when, when)), case.amounts | {item: moved})

    def _fixed(self, case: Case, item: str, number: int, when: Formula = TRUE) -> Case:
        return Case(both((case.when, when)), case.amounts | {item: Amount(False, number)})

    def _require(self, case: Case, formula: Formula) -> None:
        self.guards.append(either((opposite(case.when), formula)))

    def _take(self, item: str, count: int, when: Formula, wear: bool = False) -> None:
        whole_tool = self.world.items[item].uses is not None and not wear
        for case in self._split(when):
            self._require(case, self._at_least(item, case, count))
            taken = self._fixed(case, item, 0) if whole_tool else self._shifted(case, item, -count)
            self.cases.append(taken)
        if whole_tool:
            self._set(keys.held(item), 0, when)
        else:
            self._change(keys.held(item), Operation.ADD, -count, when)

    def _lose(self, item: str, count: int | None, when: Formula, later: tuple[Effect, ...]) -> None:
        if count is None or self.world.items[item].uses is not None:
            gone = [self._fixed(case, item, 0) for case in self._split(when)]
            self.cases += gone
            self._set(keys.held(item), 0, when)
            return
        self._change(keys.held(item), Operation.ADD_UP_TO_END, -count, when)
        for case in self._split(when):
            enough = self._at_least(item, case, count)
            self.cases.append(self._shifted(case, item, -count, enough))
            self.cases.append(self._fixed(case, item, 0, opposite(enough)))
        self.cases = [c for c in self.cases if c.when != FALSE]

    def _give(self, item: Item, count: int, when: Formula) -> None:
        loose = self.rule is None or item.wasted_when_full
        for case in self._split(when):
            if loose:
                self._give_what_fits(item, count, case)
            else:
                self._give_all(item, count, case)
        if not loose:
            if item.uses is not None:
                self._set(keys.held(item.id), item.uses, when)
            else:
                self._change(keys.held(item.id), Operation.ADD, count, when)
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
        more: Formula = TRUE
        for fitting in range(count, -1, -1):
            room = self._room(item, fitting, case) if fitting else TRUE
            when = both((more, room))
            more = both((more, opposite(room)))
            if when == FALSE or both((case.when, when)) == FALSE:
                continue
            if not fitting:
                self.cases.append(replace(case, when=both((case.when, when))))
                continue
            here = both((case.when, when))
            self.gains.append(Gain(here, item.id, fitting))
            if item.uses is not None:
                self._set(keys.held(item.id), item.uses, here)
                self.cases.append(self._fixed(case, item.id, item.uses, when))
            else:
                self._change(keys.held(item.id), Operation.ADD, fitting, here)
                self.cases.append(self._shifted(case, item.id, fitting, when))

    def _room(self, item: Item, count: int, case: Case) -> Formula:
        """In a case, so many more of an item fit."""
        if item.uses is not None:
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
        room = carry.limit - count
        for item in carry.items:
            amount = case.amounts.get(item, Amount(True, 0))
            tool = self.world.items[item].uses is not None
            if not amount.old:
                room -= min(1, amount.number) if tool else amount.number
            elif tool:
                held = self._at_least(item, case, 1)
                if isinstance(held, Within):
                    marks.append(held)
                elif held == TRUE:
                    room -= 1
            else:
                variables.append(self.translator.numbers[keys.held(item)])
                room -= amount.number
        return self.translator.load(tuple(variables), tuple(marks), room)

    # quests

    def _waiting(self, quest: str) -> Formula:
        return self.translator.equals(keys.quest(quest), WAITING)

    def _unended(self, quest: str) -> Formula:
        """The quest has not ended, neither before the move nor by it so far."""
        before = TRUE if quest in self.active else self.translator.unended(quest)
        return both((before, opposite(self.ended.get(quest, FALSE))))

    def _quest(self, quest: str, state: int, when: Formula, only: Formula) -> None:
        still = opposite(self.ended.get(quest, FALSE))
        self._set(keys.quest(quest), state, both((when, only, still)))

    def _finish(self, quest: str, when: Formula) -> None:
        if quest in self.finishing:
            return
        ends = both((when, self._unended(quest)))
        self._end_quest(quest, DONE, when)
        if ends != FALSE:
            self.finishing.append(quest)
            self._all(self.world.quests[quest].reward, ends)
            self.finishing.pop()

    def _end_quest(self, quest: str, state: int, when: Formula) -> None:
        ends = both((when, self._unended(quest)))
        self._set(keys.quest(quest), state, ends)
        self.ended[quest] = either((self.ended.get(quest, FALSE), ends))

    def _count(self) -> None:
        """What the move counts for, among the goals that counted before it."""
        for quest in self.world.quests.values():
            for goal in quest.goals:
                if not goal.remembered:
                    continue
                for when, amount in self._events(goal):
                    counts = both((self.translator.counts(quest, goal), when))
                    number = min(amount, whole(goal))
                    key = keys.goal(quest.id, goal.number)
                    self._change(key, Operation.ADD_UP_TO_END, number, counts)

    def _events(self, goal: Goal) -> list[tuple[Formula, int]]:
        rule = self.rule
        match goal.kind:
            case "gain" if rule is None or rule.kind not in UNCOUNTED:
                return [(g.when, g.count) for g in self.gains if g.item == goal.subject]
            case "defeat":
                return [(when, 1) for when, foe in self.beaten if foe == goal.subject]
            case "talk" if rule is not None and rule.kind == "talk":
                return [(TRUE, 1)] if rule.owner == goal.subject else []
            case "do" if rule is not None and goal.subject in (rule.id, rule.common):
                return [(TRUE, 1)]
        return []

    def _drop_progress(self) -> None:
        for quest, ends in self.ended.items():
            for goal in self.world.quests[quest].goals:
                if goal.remembered:
                    self._set(keys.goal(quest, goal.number), 0, ends)

    # places

    def _at(self, area: str) -> Formula:
        """The player stands in an area before the move, as far as the rule leaves it open."""
        if self.areas is not None and area not in self.areas:
            return FALSE
        return TRUE if self.areas == (area,) else self.translator.at(area)

    def _move(self, there: str, when: Formula) -> None:
        visited = self.world.visits_asked
        moved: list[tuple[Formula, str | None]] = []
        for holds, place in self.places:
            leaves = both((holds, when))
            for area in visited:
                if area != there and place in (None, area):
                    here = self._at(area) if place is None else TRUE
                    self._set(keys.mark("visited", area), 1, both((leaves, here)))
            moved.append((both((holds, opposite(when))), place))
        self.places = [(w, p) for w, p in moved if w != FALSE] + [(when, there)]
        number = self.translator.area_numbers[there]
        self.changes.append(Change(PLACE, Operation.SET, number, when))

    def _put_down(self, item: str, when: Formula) -> None:
        names = self.translator.variables[self.translator.numbers[keys.lies(item)]].names
        for area in self.areas or self.world.areas:
            if area in names:
                here = both((when, self._at(area)))
                self._set(keys.lies(item), names.index(area), here)

    def _let_go(self) -> None:
        """What stays in some areas is gone when the player ends anywhere else."""
        moves = any(place is not None for _, place in self.places)
        gained = {gain.item for gain in self.gains}
        for item in self.world.items.values():
            if item.stays_in and (moves or item.id in gained):
                outside = either(
                    both((when, self._outside(item, place))) for when, place in self.places
                )
                self._set(keys.held(item.id), 0, outside)

    def _outside(self, item: Item, place: str | None) -> Formula:
        if place is not None:
            return FALSE if place in item.stays_in else TRUE
        return opposite(either(self._at(area) for area in item.stays_in))
