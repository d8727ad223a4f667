"""Effects in order -> a guard and changes of variables.

Everything is said about the situation before the move. Amounts are followed by `stock.py`; here are
the rest: quests and their rewards, places, what a move counts for, and what is gone at its end.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

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
    Hit,
    Lose,
    MeetGoal,
    MoveTo,
    OpenLock,
    PickUp,
    PutDown,
    PutIn,
    Refill,
    SellOut,
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    StartQuest,
    StepFact,
    Take,
    TakeDealt,
    Toggle,
    Wear,
)
from zubrel.checked.keys import Key
from zubrel.checked.things import Fact, Goal, Item
from zubrel.checked.world import Rule
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    both,
    either,
    opposite,
)
from zubrel.compiled.parts import ENDING, PLACE, Change, Event, Operation
from zubrel.compiled.stock import Stock
from zubrel.compiled.translate import Translator, whole


class Performer:
    """Performs the effects of one outcome, or of one thing that happens by itself.

    `areas` is where it can happen (None: anywhere), `rule` what is done (None while settling, where
    nothing is refused), `active` the quests that are known to be active before.
    """

    def __init__(
        self,
        translator: Translator,
        areas: Sequence[str] | None,
        rule: Rule | None,
        active: frozenset[str] = frozenset(),
    ) -> None:
        self.translator = translator
        self.world = translator.world
        self.areas = areas
        self.rule = rule
        self.active = active
        # changes apply one after the other, so that their order is that of the effects
        self.changes: list[Change] = []
        self.events: list[Event] = []
        self.stock = Stock(translator, rule is None, self.changes)
        self.beaten: list[tuple[Formula, str]] = []
        self.ended: dict[str, Formula] = {}
        self.finishing: list[str] = []
        # where the player stands so far, by condition: None while nobody has been moved
        self.places: list[tuple[Formula, str | None]] = [(TRUE, None)]

    def perform(self, effects: Iterable[Effect]) -> None:
        """All of it: the effects, what they count for, and what is gone at the end."""
        self._all(tuple(effects), TRUE)
        # only now is it known what was gained, beaten and ended on the whole way
        self._count()
        self._drop_progress()
        self._let_go()

    def guard(self) -> Formula:
        """What must hold for everything to be there that is taken, and to fit that is given."""
        return both(self.stock.guards)

    def _all(self, effects: tuple[Effect, ...], when: Formula) -> None:
        for effect in effects:
            self._one(effect, when)

    def _one(self, effect: Effect, when: Formula) -> None:
        match effect:
            # effects that touch what is carried go through `stock`, which follows amounts within
            # one move
            case Take(item, count):
                self.stock.take(item, count, when)
            case Wear(item):
                self.stock.take(item, 1, when, wear=True)
            case Refill(item):
                self.stock.refill(item, when)
            case Lose(item, count):
                self.stock.lose(item, count, when)
            case Give(item, count):
                self.stock.give(self.world.items[item], count, when)
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
                # of those that come back it is only known that one was ever beaten
                self._change(keys.beaten(foe), operation, 1, when)
                if self.world.foes[foe].health > 1:
                    # the next of its kind is unhurt
                    self._set(keys.hit(foe), 0, when)
            case PutDown(item):
                self._put_down(item, when)
            case StepFact(fact, up):
                self._step(self.world.facts[fact], up, when)
            case _:
                self._plain(effect, when)

    def _step(self, fact: Fact, up: bool, when: Formula) -> None:
        """To the value after or before the one that the fact has by now."""
        key = keys.fact(fact.id)
        for here, value in self._values_so_far(key, len(fact.values)):
            # one case a value: a change cannot name a value that depends on another
            # at the end of the list a step leads nowhere, unless it goes round
            if (after := fact.after(value, up)) != value:
                self._set(key, after, both((when, here)))

    def _values_so_far(self, key: Key, count: int) -> list[tuple[Formula, int]]:
        """What a fact is by now, in cases of the situation before the move."""
        variable = self.translator.numbers[key]
        cases = [(self.translator.equals(key, value), value) for value in range(count)]
        for change in self.changes:
            if change.variable == variable:  # facts of several values are only ever set
                # what an earlier effect has set under a condition splits the cases once more
                left = [(both((here, opposite(change.when))), value) for here, value in cases]
                cases = [*left, (change.when, change.number)]
        return [(here, value) for here, value in cases if here != FALSE]

    def _plain(self, effect: Effect, when: Formula) -> None:
        """The effects that change one variable and depend on nothing."""
        match effect:
            # what the effect sets does not depend on what the effects before it have done
            case SetFact(fact, value):
                self._set(keys.fact(fact), value, when)
            case SetMeter(meter, value):
                limits = self.world.meters[meter]
                # meters stop at their ends, however they come there
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
                # a mark that no condition asks for is no part of the situation
                if keys.mark(kind, subject) in self.translator.numbers:
                    self._set(keys.mark(kind, subject), 1, when)
            case EndGame(ending):
                names = self.translator.variables[ENDING].names
                self.changes.append(Change(ENDING, Operation.SET, names.index(ending), when))
            case MeetGoal(quest, number):
                self._set(keys.goal(quest, number), 1, when)
            # blows are counted up, and beating the foe is a rule of its own
            case Hit(foe, count):
                self._change(keys.hit(foe), Operation.ADD, count, when)
            # whether there is any left is asked by the rule itself
            case SellOut(shop, item):
                self._change(keys.stock(shop, item), Operation.ADD, -1, when)
            # room and load are asked for where the rule is made
            case PutIn(item, store):
                self._change(keys.stored(store, item), Operation.ADD, 1, when)
            case FetchFrom(item, store):
                self._change(keys.stored(store, item), Operation.ADD, -1, when)
            case PickUp(item):
                self._set(keys.lies(item), 0, when)
            case TakeDealt(item):
                self._set(keys.dealt(item), 0, when)
            case _:
                raise AssertionError(effect)

    def _set(self, key: Key, value: int, when: Formula) -> None:
        self._change(key, Operation.SET, value, when)

    def _change(self, key: Key, operation: Operation, number: int, when: Formula) -> None:
        if when != FALSE:
            self.changes.append(Change(self.translator.numbers[key], operation, number, when))

    # quests

    def _waiting(self, quest: str) -> Formula:
        return self.translator.equals(keys.quest(quest), WAITING)

    def _unended(self, quest: str) -> Formula:
        """The quest has not ended, neither before the move nor by it so far."""
        # where the rule is only offered for an active quest its guard has asked already
        before = TRUE if quest in self.active else self.translator.unended(quest)
        return both((before, opposite(self.ended.get(quest, FALSE))))

    def _quest(self, quest: str, state: int, when: Formula, only: Formula) -> None:
        # a quest that an earlier effect has ended does not begin again
        still = opposite(self.ended.get(quest, FALSE))
        self._set(keys.quest(quest), state, both((when, only, still)))

    def _finish(self, quest: str, when: Formula) -> None:
        if quest in self.finishing:
            return  # a reward that finishes its own quest gives nothing again
        # before the quest is noted as ended, or nothing would be left of it
        ends = both((when, self._unended(quest)))
        self._end_quest(quest, DONE, when)
        # the reward is given where the quest really ends here, and nowhere else
        if ends != FALSE:
            self.finishing.append(quest)
            self._all(self.world.quests[quest].reward, ends)
            self.finishing.pop()

    def _end_quest(self, quest: str, state: int, when: Formula) -> None:
        ends = both((when, self._unended(quest)))
        self._set(keys.quest(quest), state, ends)
        # of two effects that end a quest the first counts
        self.ended[quest] = either((self.ended.get(quest, FALSE), ends))

    def _count(self) -> None:
        """What the move counts for, among the goals that counted before it."""
        for quest in self.world.quests.values():
            for goal in quest.goals:
                if not goal.remembered:
                    continue  # what it asks for is read off the situation
                for when, amount in self._events(goal):
                    self.events.append(Event(quest.id, goal.number, when))
                    # by the situation before: a goal that a move uncovers has no part in it
                    counts = both((self.translator.counts(quest, goal), when))
                    # progress beyond the goal would only tell situations apart
                    number = min(amount, whole(goal))
                    key = keys.goal(quest.id, goal.number)
                    self._change(key, Operation.ADD_UP_TO_END, number, counts)

    def _events(self, goal: Goal) -> list[tuple[Formula, int]]:
        rule = self.rule
        match goal.kind:
            # what is fetched or picked up again only changes its place
            case "gain" if rule is None or not rule.kind.regains:
                return [(g.when, g.count) for g in self.stock.gains if g.item == goal.subject]
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
                    # nobody can ask for it any more: kept, it would only tell situations apart
                    self._set(keys.goal(quest, goal.number), 0, ends)

    # places

    def _at(self, area: str) -> Formula:
        """The player stands in an area before the move, as far as the rule leaves it open."""
        if self.areas is not None and area not in self.areas:
            return FALSE
        return TRUE if self.areas == (area,) else self.translator.at(area)

    def _move(self, there: str, when: Formula) -> None:
        # whoever is moved twice by one move has left both places
        visited = self.world.visits_asked
        moved: list[tuple[Formula, str | None]] = []
        for holds, place in self.places:
            leaves = both((holds, when))
            for area in visited:
                # coming back at once is no visit that has ended
                if area != there and place in (None, area):
                    here = self._at(area) if place is None else TRUE
                    self._set(keys.mark("visited", area), 1, both((leaves, here)))
            # where the move does not take place the player stays
            moved.append((both((holds, opposite(when))), place))
        # what comes later in the move happens there
        self.places = [(w, p) for w, p in moved if w != FALSE] + [(when, there)]
        number = self.translator.area_numbers[there]
        self.changes.append(Change(PLACE, Operation.SET, number, when))

    def _put_down(self, item: str, when: Formula) -> None:
        names = self.translator.variables[self.translator.numbers[keys.lies(item)]].names
        # it lies where the player stands before the move
        for area in self.areas or self.world.areas:
            if area in names:
                here = both((when, self._at(area)))
                self._set(keys.lies(item), names.index(area), here)

    def _let_go(self) -> None:
        """What stays in some areas is gone when the player ends anywhere else."""
        # where nobody moves, only what has just come may be where it cannot stay
        moves = any(place is not None for _, place in self.places)
        gained = {gain.item for gain in self.stock.gains}
        for item in self.world.items.values():
            # (so that most moves need no such change)
            if item.stays_in and (moves or item.id in gained):
                outside = either(
                    both((when, self._outside(item, place))) for when, place in self.places
                )
                self._set(keys.held(item.id), 0, outside)

    def _outside(self, item: Item, place: str | None) -> Formula:
        if place is not None:
            return FALSE if place in item.stays_in else TRUE
        return opposite(either(self._at(area) for area in item.stays_in))
