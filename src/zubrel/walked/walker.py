"""Stepping through a world by the letter of its rules.

Written straight from the language reference and used to replay every trace before it is shown:
it shares no code with the compiled system that found the trace.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from zubrel.checked import keys
from zubrel.checked.conditions import (
    All,
    Any,
    At,
    Cond,
    CountOf,
    FactIs,
    Holds,
    Level,
    LockOpen,
    Marked,
    Not,
)
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
from zubrel.checked.keys import ENDING, PLACE, UNENDED, Key, Value
from zubrel.checked.world import Outcome, Rule, World

Situation = Mapping[Key, Value]
LONGEST_REST = 10_000


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

    def start(self) -> Situation:
        """The situation in which the game starts, settled."""
        world = self.world
        values: dict[Key, Value] = {PLACE: world.start_area, ENDING: UNENDED}
        values |= {keys.held(i): 0 for i in world.items}
        for give in world.holding:
            values[keys.held(give.item)] = _number(values, keys.held(give.item)) + give.count
        values |= {keys.lock_open(k.id): int(k.begins_open) for k in world.locks.values()}
        values |= {keys.fact(f.id): f.start for f in world.facts.values()}
        values |= {keys.meter(m.id): m.start for m in world.meters.values()}
        values |= {keys.mark("visited", a): 0 for a in world.visits_asked}
        for effect in self._every_effect():
            if isinstance(effect, SetMark):
                values[keys.mark(effect.kind, effect.subject)] = 0
        return self._settled(values)

    def _every_effect(self) -> Iterator[Effect]:
        outcomes = [o for rule in self.world.rules for o in rule.outcomes]
        outcomes += [h.outcome for h in self.world.happenings]
        for outcome in outcomes:
            yield from outcome.effects

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
                return _compare(_number(at, keys.held(item)), operator, number)
            case Level(meter, operator, number):
                return _compare(_number(at, keys.meter(meter)), operator, number)
            case FactIs(fact, value):
                return at[keys.fact(fact)] == value
            case At(area):
                return at[PLACE] == area
            case LockOpen(lock):
                return at[keys.lock_open(lock)] == 1
            case Marked(kind, subject):
                return at[keys.mark(kind, subject)] == 1

    def moves(self, at: Situation) -> list[Rule]:
        """The rules that are moves here: possible, and some outcome changes something."""
        return [r for r in self.world.rules if self.results(r, at)]

    def results(self, rule: Rule, at: Situation) -> list[Result]:
        """Where each outcome of a rule leads; nothing when it is impossible or no move."""
        if not self.possible(rule, at):
            return []
        results = [Result(o, self._after(o, at)) for o in rule.outcomes]
        return results if any(r.situation != at for r in results) else []

    def possible(self, rule: Rule, at: Situation) -> bool:
        """Whether a player can do this now."""
        if at[ENDING] != UNENDED or (rule.areas is not None and at[PLACE] not in rule.areas):
            return False
        if rule.lock and not self.holds(LockOpen(rule.lock), at):
            return False
        if not (self.holds(rule.offered, at) and self.holds(rule.needs, at)):
            return False
        return all(self._allowed(o, at) for o in rule.outcomes)

    def _allowed(self, outcome: Outcome, at: Situation) -> bool:
        """Whether what is taken is there, what is given fits, and the area may be entered."""
        there = outcome.destination
        if there and there != at[PLACE] and not self.holds(self.world.areas[there].needs, at):
            return False
        values = dict(at)
        for effect in outcome.effects:
            if isinstance(effect, Take):
                if _number(values, keys.held(effect.item)) < effect.count:
                    return False
            elif isinstance(effect, Give):
                item = self.world.items[effect.item]
                after = _number(values, keys.held(effect.item)) + effect.count
                if after > item.most and not item.wasted_when_full:
                    return False
            self._apply(effect, values)
        return True

    def _after(self, outcome: Outcome, at: Situation) -> Situation:
        values = dict(at)
        for effect in outcome.effects:
            self._apply(effect, values)
        return self._settled(values)

    def _apply(self, effect: Effect, values: dict[Key, Value]) -> None:
        match effect:
            case Take(item, count):
                values[keys.held(item)] = max(0, _number(values, keys.held(item)) - count)
            case Lose(item, count):
                now = _number(values, keys.held(item))
                values[keys.held(item)] = 0 if count is None else max(0, now - count)
            case Give(item, count):
                most = self.world.items[item].most
                values[keys.held(item)] = min(most, _number(values, keys.held(item)) + count)
            case SetFact(fact, value):
                values[keys.fact(fact)] = value
            case SetMeter(meter, value):
                limits = self.world.meters[meter]
                values[keys.meter(meter)] = min(limits.high, max(limits.low, value))
            case Toggle(fact):
                values[keys.fact(fact)] = 1 - _number(values, keys.fact(fact))
            case AddMeter(meter, amount):
                limits = self.world.meters[meter]
                new = _number(values, keys.meter(meter)) + amount
                values[keys.meter(meter)] = min(limits.high, max(limits.low, new))
            case OpenLock(lock):
                values[keys.lock_open(lock)] = 1
            case ShutLock(lock):
                values[keys.lock_open(lock)] = 0
            case MoveTo(area):
                left = keys.mark("visited", str(values[PLACE]))
                if area != values[PLACE] and left in values:
                    values[left] = 1
                values[PLACE] = area
            case EndGame(ending):
                values[ENDING] = ending
            case SetMark(kind, subject):
                values[keys.mark(kind, subject)] = 1

    def _settled(self, values: dict[Key, Value]) -> Situation:
        for _ in range(LONGEST_REST):
            if values[ENDING] != UNENDED:
                return values
            changed = self._happened(values)
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
                after = dict(values)
                for effect in happening.outcome.effects:
                    self._apply(effect, after)
                if after != values:
                    return after
        return None

    def _ended(self, values: dict[Key, Value]) -> Situation:
        for ending in self.world.endings.values():
            if ending.when is not None and self.holds(ending.when, values):
                return values | {ENDING: ending.id}
        return values


def _number(values: Situation, key: Key) -> int:
    value = values[key]
    assert isinstance(value, int)
    return value


def _compare(value: int, operator: str, number: int) -> bool:
    match operator:
        case "<":
            return value < number
        case ">":
            return value > number
        case "<=":
            return value <= number
        case ">=":
            return value >= number
        case "=":
            return value == number
    return value != number
