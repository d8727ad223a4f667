"""World -> System: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zubrel.base.budget import Budget
from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE, WAITING, At, LockOpen
from zubrel.checked.effects import DealOut, Effect, FailQuest, FinishQuest, MoveTo, SetMark
from zubrel.checked.keys import Key
from zubrel.checked.world import Outcome, Rule, World
from zubrel.compiled.formulas import Formula, Load, Within, at_least, both, either, opposite
from zubrel.compiled.parts import PLACE, Change, Move, Operation, Settler, Step, Variable
from zubrel.compiled.perform import Performer
from zubrel.compiled.system import System
from zubrel.compiled.translate import Translator, whole

RULE = 200
"""Units of work to compile a rule."""


def compile_world(world: World, budget: Budget | None = None) -> System:
    """The system of a world: every rule in its order, with guards and changes.

    Raises what `Budget.spend` does.
    """
    variables = tuple(_variables(world))
    numbers = {v.key: n for n, v in enumerate(variables)}
    return _Compiler(world, variables, numbers, budget).system()


def _variables(world: World) -> Iterator[Variable]:
    areas, endings = tuple(world.areas), (keys.UNENDED, *world.endings)
    start = areas.index(world.start_area)
    if world.deals:  # a play begins nowhere, and is dealt first
        areas = (*areas, keys.UNDEALT)
        start = len(areas) - 1
    # PLACE and ENDING come first in every system, so that their numbers are the same everywhere
    yield Variable(keys.PLACE, 0, len(areas) - 1, start, areas)
    yield Variable(keys.ENDING, 0, len(endings) - 1, 0, endings)
    for lock in world.locks.values():
        yield Variable(keys.lock_open(lock.id), 0, 1, int(lock.begins_open))
    for fact in world.facts.values():
        yield Variable(keys.fact(fact.id), 0, len(fact.values) - 1, fact.start)
    for item in world.items.values():
        gives = [g.count for g in world.holding if g.item == item.id]
        # a tool is held with all of its uses
        held = item.uses if gives and item.uses is not None else sum(gives)
        if item.stays_in and world.start_area not in item.stays_in:
            held = 0
        yield Variable(keys.held(item.id), 0, item.most, held)
    for meter in world.meters.values():
        yield Variable(keys.meter(meter.id), meter.low, meter.high, meter.start)
    yield from _quest_variables(world)
    for foe in world.foes.values():
        yield Variable(keys.beaten(foe.id), 0, foe.count, 0)
        # what falls at the first blow has none to remember
        if foe.health > 1:
            yield Variable(keys.hit(foe.id), 0, foe.health - 1, 0)
    for shop in world.shops.values():
        for ware in shop.sells:
            # without a stock there is always more, and nothing to count
            if ware.stock is not None:
                yield Variable(keys.stock(shop.id, ware.item), 0, ware.stock, ware.stock)
    for store in world.stores.values():
        for item_id in store.keeps:
            most = world.items[item_id].most if store.limit is None else store.limit
            yield Variable(keys.stored(store.id, item_id), 0, most, 0)
    for item in world.items.values():
        if item.drops_at:
            names = (keys.NOWHERE, *item.drops_at)
            yield Variable(keys.lies(item.id), 0, len(item.drops_at), 0, names)
    for deal in world.deals:
        for dealt in deal.items:
            yield Variable(keys.dealt(dealt), 0, len(deal.areas), 0, (keys.NOWHERE, *deal.areas))
    for key in _marks(world):
        yield Variable(key, 0, 1, 0)


def _quest_variables(world: World) -> Iterator[Variable]:
    for quest in world.quests.values():
        yield Variable(keys.quest(quest.id), 0, 3, ACTIVE if quest.starts_active else WAITING)
        for goal in quest.goals:
            # other goals are conditions that are asked whenever somebody wants to know
            if goal.remembered:
                yield Variable(keys.goal(quest.id, goal.number), 0, whole(goal), 0)


def _marks(world: World) -> Iterator[Key]:
    # whom one has met is only remembered where somebody asks, which is known below
    marks = (e for e in world.effects if isinstance(e, SetMark) and e.kind != "met")
    yield from dict.fromkeys(keys.mark(m.kind, m.subject) for m in marks)
    yield from (keys.mark("met", p.id) for p in world.people.values() if p.met_asked)
    yield from (keys.mark("visited", area) for area in world.visits_asked)


class _Compiler:
    def __init__(
        self,
        world: World,
        variables: tuple[Variable, ...],
        numbers: dict[Key, int],
        budget: Budget | None,
    ) -> None:
        self.world = world
        self.budget = budget
        self.variables = variables
        self.numbers = numbers
        self.translator = Translator(world, variables, numbers)

    def system(self) -> System:
        moves: list[Move] = []
        steps: list[Step] = []
        for rule in self.world.rules:
            if self.budget is not None:
                # a world of many thousand rules can take longer to compile than a limit allows
                self.budget.spend(RULE)
            # luck cannot be refused: a move asks that every outcome fits
            performed = [self._performed(rule, outcome) for outcome in rule.outcomes]
            # a step for each outcome: what luck picks is a step of its own, and only the move is a
            # choice
            made = tuple(
                Step(
                    len(steps) + n,
                    rule,
                    outcome,
                    tuple(p.changes),
                    tuple(p.stock.wastes),
                    tuple(p.events),
                )
                for n, (outcome, p) in enumerate(zip(rule.outcomes, performed, strict=True))
            )
            steps += made
            # one move a rule, even where it can never be made: numbers of moves follow the file
            moves.append(Move(rule, self._area_numbers(rule), self._guard(rule, performed), made))
        # what is dealt is a first move that luck makes, from an area where nothing else is possible
        for rule in self.world.dealing:
            step = Step(len(steps), rule, rule.outcomes[0], self._dealt(rule))
            steps.append(step)
            moves.append(Move(rule, (self._nowhere,), self._deals(rule), (step,)))
        endings = tuple(
            (self._begun(self.translator.formula(ending.when)), number)
            for number, ending in enumerate(self.world.endings.values(), 1)
            if ending.when is not None
        )
        # goals are looked at first, so that what ends quests sees them as they are
        settlers = (*self._looks(), *self._happenings(), *self._quest_ends())
        return System(
            self.world,
            self.variables,
            tuple(moves),
            settlers,
            endings,
            self.numbers,
            tuple(steps),
            tuple(self._loads()),
        )

    def _loads(self) -> Iterator[Load]:
        """What is carried and stored at most: nothing is ever given that does not fit."""
        limits = [self.translator.carried(carry, carry.limit) for carry in self.world.carries]
        limits += [
            self.translator.stored(s, s.limit) for s in self.world.stores.values() if s.limit
        ]
        for limit in limits:
            # a limit that never binds is no load; one that the start breaks is kept by nobody
            if isinstance(limit, Load) and self._keeps_to(limit):
                yield limit

    def _keeps_to(self, load: Load) -> bool:
        """Whether the player begins with no more than that."""
        held = sum(self.variables[v].start for v in load.variables)
        marks = sum(m.low <= self.variables[m.variable].start <= m.high for m in load.marks)
        return held + marks <= load.high

    def _area_numbers(self, rule: Rule) -> tuple[int, ...] | None:
        if rule.areas is None:
            # None means everywhere, and that would include the place where nothing is dealt yet
            return tuple(self.translator.area_numbers.values()) if self.world.deals else None
        return tuple(self.translator.area_numbers[a] for a in rule.areas)

    # dealing

    @property
    def _nowhere(self) -> int:
        """The number of the place where nothing has been dealt yet."""
        return self.variables[PLACE].high

    def _begun(self, formula: Formula) -> Formula:
        """It holds, and the play has begun: before that nothing happens but dealing."""
        if not self.world.deals:
            return formula
        return both((Within(PLACE, 0, self._nowhere - 1), formula))

    def _deals(self, rule: Rule) -> Formula:
        """It is the turn of this item, and the area can get one more."""
        item, area = _dealing(rule)
        parts = []
        for deal in self.world.deals:
            place = deal.items.index(item) if item in deal.items else len(deal.items)
            known = deal.items[:place]
            # in their order, so that a deal is one play and not one for each order of its items
            parts += [opposite(self.translator.equals(keys.dealt(i), 0)) for i in known]
            if place < len(deal.items):
                there = [self.translator.lies_at(keys.dealt(i), area) for i in known]
                # the area holds fewer than it may
                parts.append(opposite(at_least(deal.per_place, there)))
                parts.append(self.translator.equals(keys.dealt(item), 0))
                break
        return both(parts)

    def _dealt(self, rule: Rule) -> tuple[Change, ...]:
        item, area = _dealing(rule)
        variable = self.numbers[keys.dealt(item)]
        names = self.variables[variable].names
        changes = [Change(variable, Operation.SET, names.index(area))]
        if item == self.world.deals[-1].items[-1]:
            start = self.translator.area_numbers[self.world.start_area]
            # with the last item the play itself begins
            changes.append(Change(PLACE, Operation.SET, start))
        return tuple(changes)

    def _performed(self, rule: Rule, outcome: Outcome) -> Performer:
        # handing in asks for an active quest already, so its effects need not ask again
        active = frozenset({rule.owner} if rule.kind == "hand_in" else ())
        performer = Performer(self.translator, rule.areas, rule, active)
        performer.perform(outcome.effects)
        return performer

    def _guard(self, rule: Rule, performed: Sequence[Performer]) -> Formula:
        """All that a rule asks for, except where the player must stand."""
        formula = self.translator.formula
        parts = [formula(rule.offered), formula(rule.needs)]
        if rule.lock:
            parts.append(formula(LockOpen(rule.lock)))
        # a rule with luck asks for what any of its outcomes asks for: luck decides afterwards
        parts += [p.guard() for p in performed]
        # a move whose end is refused is refused before it begins
        parts += [self._arrival(outcome) for outcome in rule.outcomes]
        return both(parts)

    def _arrival(self, outcome: Outcome) -> Formula:
        """The area that an outcome leads to lets the player in, or is where the player is."""
        if outcome.destination is not None:
            return self._lets_in(outcome.destination)
        parts = []
        for effect in outcome.effects:
            if isinstance(effect, FinishQuest):
                reward = self.world.quests[effect.quest].reward
                # a reward may move the player too, as long as the quest is not ended
                # the first place of a reward is where the player stands when it is given
                there = next((e.area for e in reward if isinstance(e, MoveTo)), None)
                if there is not None:
                    ended = opposite(self.translator.unended(effect.quest))
                    parts.append(either((ended, self._lets_in(there))))
        return both(parts)

    def _lets_in(self, area: str) -> Formula:
        needs = self.translator.formula(self.world.areas[area].needs)
        return either((needs, self.translator.formula(At(area))))

    def _by_itself(
        self, name: str, guard: Formula, effects: Iterable[Effect], active: Iterable[str] = ()
    ) -> Settler:
        performer = Performer(self.translator, None, None, frozenset(active))
        performer.perform(effects)
        return Settler(
            name, self._begun(guard), tuple(performer.changes), tuple(performer.stock.wastes)
        )

    def _looks(self) -> Iterator[Settler]:
        """Goals that are looked at after a move: visits, and what is met in turn."""
        for quest in self.world.quests.values():
            for goal in quest.goals:
                if goal.kind == "visit":
                    seen = self.translator.formula(At(goal.subject))
                elif goal.remembered and goal.kind in ("collect", "meet"):
                    seen = self.translator.formula(goal.condition)
                else:
                    continue
                # it asks that it has not been met yet, so that it happens once and the world comes
                # to rest
                guard = both((seen, self.translator.counts(quest, goal)))
                number = self.numbers[keys.goal(quest.id, goal.number)]
                yield Settler(quest.id, self._begun(guard), (Change(number, Operation.SET, 1),))

    def _happenings(self) -> Iterator[Settler]:
        for happening in self.world.happenings:
            guard = self.translator.formula(happening.when)
            if happening.once:
                done = self.translator.equals(keys.mark("done", happening.id), 0)
                guard = both((done, guard))
            yield self._by_itself(happening.id, guard, happening.outcome.effects)

    def _quest_ends(self) -> Iterator[Settler]:
        """Quests that fail, or are complete by themselves, in their order."""
        for quest in self.world.quests.values():
            active = self.translator.equals(keys.quest(quest.id), ACTIVE)
            # failing comes first: what is complete and failed at once has failed
            if quest.fails_when is not None:
                guard = both((active, self.translator.formula(quest.fails_when)))
                yield self._by_itself(quest.id, guard, (FailQuest(quest.id),), {quest.id})
            if quest.completes_itself:
                guard = both((active, self.translator.all_met(quest, quest.groups)))
                yield self._by_itself(quest.id, guard, (FinishQuest(quest.id),), {quest.id})


def _dealing(rule: Rule) -> tuple[str, str]:
    """The item that a move of luck deals, and the area that gets it."""
    (dealt,) = rule.outcomes[0].effects
    assert isinstance(dealt, DealOut)
    return dealt.item, dealt.area
