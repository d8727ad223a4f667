"""World -> System: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zubrel.checked import keys
from zubrel.checked.conditions import At, LockOpen
from zubrel.checked.effects import (
    AddMeter,
    Effect,
    EndGame,
    Give,
    Lose,
    MoveTo,
    OpenLock,
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    Take,
    Toggle,
)
from zubrel.checked.keys import Key
from zubrel.checked.world import Outcome, Rule, World
from zubrel.compiled.formulas import FALSE, Formula, both, either
from zubrel.compiled.system import (
    ENDING,
    PLACE,
    Change,
    Move,
    Operation,
    Settler,
    Step,
    System,
    Variable,
)
from zubrel.compiled.translate import Translator


def compile_world(world: World) -> System:
    """The system of a world: every rule in its order, with guards and changes."""
    variables = tuple(_variables(world))
    numbers = {v.key: n for n, v in enumerate(variables)}
    return _Compiler(world, variables, numbers).system()


def _variables(world: World) -> Iterator[Variable]:
    areas, endings = tuple(world.areas), (keys.UNENDED, *world.endings)
    start = areas.index(world.start_area)
    yield Variable(keys.PLACE, 0, len(areas) - 1, start, areas)
    yield Variable(keys.ENDING, 0, len(endings) - 1, 0, endings)
    for lock in world.locks.values():
        yield Variable(keys.lock_open(lock.id), 0, 1, int(lock.begins_open))
    for fact in world.facts.values():
        yield Variable(keys.fact(fact.id), 0, len(fact.values) - 1, fact.start)
    for item in world.items.values():
        held = sum(g.count for g in world.holding if g.item == item.id)
        yield Variable(keys.held(item.id), 0, item.most, held)
    for meter in world.meters.values():
        yield Variable(keys.meter(meter.id), meter.low, meter.high, meter.start)
    for key in _marks(world):
        yield Variable(key, 0, 1, 0)


def _marks(world: World) -> Iterator[Key]:
    outcomes = [o for r in world.rules for o in r.outcomes]
    outcomes += [h.outcome for h in world.happenings]
    marks = (e for o in outcomes for e in o.effects if isinstance(e, SetMark))
    yield from dict.fromkeys(keys.mark(m.kind, m.subject) for m in marks)
    yield from (keys.mark("visited", area) for area in world.visits_asked)


class _Compiler:
    def __init__(
        self, world: World, variables: tuple[Variable, ...], numbers: dict[Key, int]
    ) -> None:
        self.world = world
        self.variables = variables
        self.numbers = numbers
        self.translator = Translator(variables, numbers)
        self.visited = {a: numbers[keys.mark("visited", a)] for a in world.visits_asked}

    def system(self) -> System:
        moves: list[Move] = []
        steps: list[Step] = []
        for rule in self.world.rules:
            made = tuple(
                Step(len(steps) + n, rule, o, self._changes(o.effects, rule.areas))
                for n, o in enumerate(rule.outcomes)
            )
            steps += made
            moves.append(Move(rule, self._area_numbers(rule), self._guard(rule), made))
        endings = tuple(
            (self.translator.formula(ending.when), number)
            for number, ending in enumerate(self.world.endings.values(), 1)
            if ending.when is not None
        )
        settlers = tuple(self._settlers())
        return System(
            self.world, self.variables, tuple(moves), settlers, endings, self.numbers, tuple(steps)
        )

    def _area_numbers(self, rule: Rule) -> tuple[int, ...] | None:
        if rule.areas is None:
            return None
        return tuple(self.translator.area_numbers[a] for a in rule.areas)

    def _settlers(self) -> Iterator[Settler]:
        for happening in self.world.happenings:
            guard = self.translator.formula(happening.when)
            if happening.once:
                done = self.translator.equals(keys.mark("done", happening.id), 0)
                guard = both((done, guard))
            effects = happening.outcome.effects
            yield Settler(happening.id, guard, self._changes(effects, None, settling=True))

    def _guard(self, rule: Rule) -> Formula:
        """All that a rule asks for, except where the player must stand."""
        formula = self.translator.formula
        parts = [formula(rule.offered), formula(rule.needs)]
        if rule.lock:
            parts.append(formula(LockOpen(rule.lock)))
        for outcome in rule.outcomes:
            parts += self._stock_guards(outcome)
            parts.append(self._arrival(outcome))
        return both(parts)

    def _arrival(self, outcome: Outcome) -> Formula:
        """The area that an outcome leads to lets the player in, or is where the player is."""
        there = outcome.destination
        if there is None:
            return both(())
        needs = self.translator.formula(self.world.areas[there].needs)
        return either((needs, self.translator.formula(At(there))))

    def _stock_guards(self, outcome: Outcome) -> Iterator[Formula]:
        """For each item: enough of it for what is taken, room for what is given."""
        stock = (Take, Lose, Give)
        effects = [e for e in outcome.effects if isinstance(e, stock)]
        for item in dict.fromkeys(e.item for e in effects):
            yield self._stock_guard(item, [e for e in effects if e.item == item])

    def _stock_guard(self, item: str, effects: Sequence[Take | Lose | Give]) -> Formula:
        """The amounts from which all of `effects` are possible: an interval.

        What is held after a run of effects never falls when more was held before, so the least
        amount with enough and the greatest with room can be found by halving.
        """
        most = self.world.items[item].most
        endless = self.world.items[item].wasted_when_full
        takes = sum(e.count for e in effects if isinstance(e, Take))

        def fits(amount: int) -> bool:
            for effect in effects:
                match effect:
                    case Take(_, count):
                        amount -= count
                    case Lose(_, count):
                        amount = 0 if count is None else max(0, amount - count)
                    case Give(_, count):
                        amount += count
                        if amount > most and not endless:
                            return False
                        amount = min(amount, most)
            return True

        low, high = takes, most
        if low > high or not fits(low):
            return FALSE
        least = low
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if fits(middle) else (low, middle - 1)
        return self.translator.within(self.numbers[keys.held(item)], least, low)

    def _changes(
        self, effects: Iterable[Effect], areas: tuple[str, ...] | None, settling: bool = False
    ) -> tuple[Change, ...]:
        changes: list[Change] = []
        for effect in effects:
            changes += self._change(effect, areas, settling)
        return tuple(changes)

    def _change(
        self, effect: Effect, areas: tuple[str, ...] | None, settling: bool
    ) -> Iterator[Change]:
        number = self.numbers
        match effect:
            case Take(item, count):
                yield Change(number[keys.held(item)], Operation.ADD, -count)
            case Lose(item, None):
                yield Change(number[keys.held(item)], Operation.SET, 0)
            case Lose(item, int(count)):
                yield Change(number[keys.held(item)], Operation.ADD_UP_TO_END, -count)
            case Give(item, count):
                loose = settling or self.world.items[item].wasted_when_full
                operation = Operation.ADD_UP_TO_END if loose else Operation.ADD
                yield Change(number[keys.held(item)], operation, count)
            case SetFact(fact, value):
                yield Change(number[keys.fact(fact)], Operation.SET, value)
            case SetMeter(meter, value):
                limits = self.world.meters[meter]
                value = min(limits.high, max(limits.low, value))
                yield Change(number[keys.meter(meter)], Operation.SET, value)
            case Toggle(fact):
                yield Change(number[keys.fact(fact)], Operation.FLIP)
            case AddMeter(meter, amount):
                yield Change(number[keys.meter(meter)], Operation.ADD_UP_TO_END, amount)
            case OpenLock(lock):
                yield Change(number[keys.lock_open(lock)], Operation.SET, 1)
            case ShutLock(lock):
                yield Change(number[keys.lock_open(lock)], Operation.SET, 0)
            case SetMark(kind, subject):
                yield Change(number[keys.mark(kind, subject)], Operation.SET, 1)
            case EndGame(ending):
                value = self.variables[ENDING].names.index(ending)
                yield Change(ENDING, Operation.SET, value)
            case MoveTo(area):
                yield from self._leaving(area, areas)
                there = self.translator.area_numbers[area]
                yield Change(PLACE, Operation.SET, there)

    def _leaving(self, there: str, areas: tuple[str, ...] | None) -> Iterator[Change]:
        """The marks of areas that may be left for another one and that some condition asks for."""
        for area, mark in self.visited.items():
            if area == there or (areas is not None and area not in areas):
                continue
            always = areas is not None and len(areas) == 1
            when = both(()) if always else self.translator.formula(At(area))
            yield Change(mark, Operation.SET, 1, when)
