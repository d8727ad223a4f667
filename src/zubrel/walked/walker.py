"""Stepping through a world by the letter of its rules.

Written straight from the language reference and used to replay every trace before it is shown:
it shares no code with the compiled system that found the trace.
"""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from zubrel.checked import keys
from zubrel.checked.conditions import (
    ACTIVE,
    DONE,
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
from zubrel.checked.effects import (
    Beat,
    DealOut,
    Effect,
    FailQuest,
    FinishQuest,
    Give,
    MoveTo,
    Refill,
    Take,
    Wear,
)
from zubrel.checked.keys import ENDING, NOWHERE, PLACE, UNDEALT, UNENDED, Key, Value
from zubrel.checked.things import Store
from zubrel.checked.world import Outcome, Rule, World
from zubrel.walked.beginning import values_at_first
from zubrel.walked.changing import Situation, change, compares, number_of
from zubrel.walked.dealing import may_deal
from zubrel.walked.goals import Goals

LONGEST_REST = 10_000
"""Things that happen by themselves, one after the other, beyond which a world never rests."""


class NeverRests(Exception):
    """Settling goes on for ever."""


class Result(Struct, frozen=True):
    """Where one outcome of a rule leads, settled, and what was lost to full hands."""

    outcome: Outcome
    situation: Situation


class Walker:
    """The rules of a world, applied to one situation at a time."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.goals = Goals(world, self.holds)

    def start(self) -> Situation:
        """The situation in which the game starts, settled."""
        values, world = values_at_first(self.world), self.world
        self._let_go(values)
        # before the deal there is no player yet, and nothing happens by itself
        if world.deals:
            values |= {keys.dealt(i): NOWHERE for deal in world.deals for i in deal.items}
            values[PLACE] = UNDEALT
            return values
        return self._settled(values)

    def holds(self, condition: Cond, at: Situation) -> bool:
        """Whether a condition holds in a situation."""
        match condition:
            case All(parts):
                return all(self.holds(p, at) for p in parts)
            case Any(parts):
                return any(self.holds(p, at) for p in parts)
            case Not(part):
                return not self.holds(part, at)
            case CountOf(count, parts):
                return sum(self.holds(p, at) for p in parts) >= count
            case Holds(item, operator, number):
                return compares(number_of(at, keys.held(item)), operator, number)
            case Level(meter, operator, number):
                return compares(number_of(at, keys.meter(meter)), operator, number)
            case Total(terms, operator, number):
                total = sum(t.sign * number_of(at, (t.kind, t.subject)) for t in terms)
                return compares(total, operator, number)
            case FactIs(fact, value):
                return at[keys.fact(fact)] == value
            case At(area):
                return at[PLACE] == area
            case LockOpen(lock):
                return at[keys.lock_open(lock)] == 1
            case Marked(kind, subject):
                return at[keys.mark(kind, subject)] == 1
            case QuestIs(quest, state):
                return at[keys.quest(quest)] == state
            case GoalMet(quest, number, least):
                return self.goals.come_far(self.world.quests[quest], number, least, at)
            case Stored(store, item, operator, number):
                return compares(number_of(at, keys.stored(store, item)), operator, number)
            case StoreRoom(store, item):
                return self._has_room(self.world.stores[store], item, at)
            case InStock(shop, item):
                return number_of(at, keys.stock(shop, item)) > 0
            case LiesAt(item, area):
                return at[keys.lies(item)] == area
            case DealtAt(item, area):
                return at[keys.dealt(item)] == area
            case Beaten(foe, count):
                return number_of(at, keys.beaten(foe)) >= count
            case HitOff(foe, count):
                return number_of(at, keys.hit(foe)) >= count

    def moves(self, at: Situation) -> list[Rule]:
        """The rules that are moves here: possible, and some outcome changes something."""
        rules = self.world.rules if at[PLACE] != UNDEALT else self.world.dealing
        return [r for r in rules if self.results(r, at)]

    def results(self, rule: Rule, at: Situation) -> list[Result]:
        """Where each outcome of a rule leads; nothing when it is impossible or no move."""
        if not self.possible(rule, at):
            return []
        # whether anything changes is asked at rest: what settling undoes is no move
        results = [Result(o, self._settled(self._after(rule, o, at))) for o in rule.outcomes]
        return results if any(r.situation != at for r in results) else []

    def possible(self, rule: Rule, at: Situation) -> bool:
        """Whether a player can do this now, or luck, as long as the play has not begun."""
        # before the deal only luck moves, and after it never again
        if (at[PLACE] == UNDEALT) != (rule.kind == "deal"):
            return False
        if rule.kind == "deal":
            return may_deal(self.world, rule, at)
        if at[ENDING] != UNENDED or (rule.areas is not None and at[PLACE] not in rule.areas):
            return False
        if rule.lock and not self.holds(LockOpen(rule.lock), at):
            return False
        if not (self.holds(rule.offered, at) and self.holds(rule.needs, at)):
            return False
        # luck cannot be refused: each outcome has to be possible
        return all(self._may_arrive(o, at) for o in rule.outcomes) and all(
            self._walk_through(o.effects, at, False) is not None for o in rule.outcomes
        )

    def _has_room(self, store: Store, item: str, at: Situation) -> bool:
        if store.limit is None:
            return number_of(at, keys.stored(store.id, item)) < self.world.items[item].most
        return sum(number_of(at, keys.stored(store.id, i)) for i in store.keeps) < store.limit

    def _may_arrive(self, outcome: Outcome, at: Situation) -> bool:
        """The area where an outcome leads, if it leads anywhere, lets the player in."""
        # a reward may lead elsewhere as well, but only of a quest that this finishes
        there = outcome.destination
        for effect in outcome.effects:
            if isinstance(effect, FinishQuest) and there is None:
                quest = self.world.quests[effect.quest]
                if at[keys.quest(quest.id)] in (WAITING, ACTIVE):
                    there = next((e.area for e in quest.reward if isinstance(e, MoveTo)), None)
        return there in (None, at[PLACE]) or self.holds(self.world.areas[str(there)].needs, at)

    def _after(self, rule: Rule, outcome: Outcome, at: Situation) -> dict[Key, Value]:
        """The situation right after one outcome of a possible rule, with what it counts for."""
        done = self._walk_through(outcome.effects, at, False)
        assert done is not None, "the rule is possible"
        values, gained, beaten = done
        # what comes out of a chest was gained before
        if rule.kind.regains:
            gained = {}
        self.goals.count(at, values, gained, beaten, rule)
        return values

    def _walk_through(
        self, effects: Iterable[Effect], at: Situation, settling: bool
    ) -> tuple[dict[Key, Value], dict[str, int], dict[str, int]] | None:
        """Effects one after the other: the situation then, what was really gained and beaten.

        None where something is not there to be taken, or does not fit. While settling nothing is
        refused: what does not fit is lost.
        """
        values = dict(at)
        gained: dict[str, int] = {}
        beaten: dict[str, int] = {}
        # a quest that is finished puts its reward in front of what is left to do
        pending = list(effects)
        while pending:
            effect = pending.pop(0)
            match effect:
                case Take(item, count):
                    held = number_of(values, keys.held(item))
                    if held < count:
                        return None
                    # of a tool the number is that of its uses, and it is taken whole
                    tool = self.world.items[item].uses is not None
                    values[keys.held(item)] = 0 if tool else held - count
                # a use at a time: a tool without uses is gone
                case Wear(item):
                    if not values[keys.held(item)]:
                        return None
                    values[keys.held(item)] = number_of(values, keys.held(item)) - 1
                case Refill(item):
                    full = self.world.items[item].uses or 0
                    # at 0 there is no tool that could be filled
                    if not 1 <= number_of(values, keys.held(item)) < full:
                        return None
                    values[keys.held(item)] = full
                case Give(item, count):
                    fitting = min(count, self._room(item, values))
                    wasted = settling or self.world.items[item].wasted_when_full
                    if fitting < count and not wasted:
                        return None
                    uses = self.world.items[item].uses
                    if fitting and uses is not None:
                        values[keys.held(item)] = uses
                    else:
                        values[keys.held(item)] = number_of(values, keys.held(item)) + fitting
                    gained[item] = gained.get(item, 0) + fitting
                case FinishQuest(quest):
                    if values[keys.quest(quest)] in (WAITING, ACTIVE):
                        values[keys.quest(quest)] = DONE
                        # the reward comes at once, before what the rule does afterwards
                        pending = [*self.world.quests[quest].reward, *pending]
                case DealOut(item, area):
                    values[keys.dealt(item)] = area
                    # with the last item dealt the player comes in
                    if item == self.world.deals[-1].items[-1]:
                        values[PLACE] = self.world.start_area
                case Beat(foe):
                    self._beat(foe, values)
                    beaten[foe] = beaten.get(foe, 0) + 1
                case _:
                    change(self.world, effect, values)
        if values[PLACE] != UNDEALT:
            self._let_go(values)
        return values, gained, beaten

    def _room(self, item: str, values: Situation) -> int:
        """How many more of an item can be held: a tool only if there is none."""
        rooms = self.world.items[item]
        held = number_of(values, keys.held(item))
        room = rooms.most - held if rooms.uses is None else int(held == 0)
        for carry in self.world.carries:
            if item in carry.items:
                room = min(room, carry.limit - sum(self._weight(i, values) for i in carry.items))
        return max(0, room)

    def _weight(self, item: str, values: Situation) -> int:
        held = number_of(values, keys.held(item))
        return held if self.world.items[item].uses is None else min(held, 1)

    def _beat(self, foe: str, values: dict[Key, Value]) -> None:
        key = keys.beaten(foe)
        values[key] = 1 if self.world.foes[foe].returns else number_of(values, key) + 1
        if self.world.foes[foe].health > 1:
            values[keys.hit(foe)] = 0

    def _let_go(self, values: dict[Key, Value]) -> None:
        """What stays in some areas is gone anywhere else."""
        for item in self.world.items.values():
            if item.stays_in and values[PLACE] not in item.stays_in:
                values[keys.held(item.id)] = 0

    # settling

    def _settled(self, values: dict[Key, Value]) -> Situation:
        for _ in range(LONGEST_REST):
            if values[ENDING] != UNENDED or values[PLACE] == UNDEALT:
                return values
            # first: what ends quests below sees the goals as they are now
            self.goals.count_what_is_seen(values)
            changed = self._happened(values) or self._quest_ended(values)
            if changed is None:
                return self._ended(values)
            values = changed
        raise NeverRests

    def _happened(self, values: dict[Key, Value]) -> dict[Key, Value] | None:
        """The situation after the first thing that happens by itself; None: nothing does."""
        for happening in self.world.happenings:
            if happening.once and values[keys.mark("done", happening.id)] == 1:
                continue
            if self.holds(happening.when, values):
                after = self._by_itself(happening.outcome.effects, values)
                if after != values:  # otherwise the next may happen
                    return after
        return None

    def _quest_ended(self, values: dict[Key, Value]) -> dict[Key, Value] | None:
        """The situation after the first quest that fails, or is complete by itself."""
        for quest in self.world.quests.values():
            if values[keys.quest(quest.id)] != ACTIVE:
                continue
            # a quest that fails and is complete at once has failed
            if quest.fails_when is not None and self.holds(quest.fails_when, values):
                return self._by_itself((FailQuest(quest.id),), values)
            met = self.goals.all_met(quest, quest.groups, values)
            if quest.completes_itself and met:
                return self._by_itself((FinishQuest(quest.id),), values)
        return None

    def _by_itself(self, effects: Iterable[Effect], values: Situation) -> dict[Key, Value]:
        done = self._walk_through(effects, values, True)
        assert done is not None, "nothing is refused while settling"
        after, gained, beaten = done
        self.goals.count(values, after, gained, beaten, None)
        return after

    def _ended(self, values: dict[Key, Value]) -> Situation:
        for ending in self.world.endings.values():
            if ending.when is not None and self.holds(ending.when, values):
                return values | {ENDING: ending.id}
        return values
