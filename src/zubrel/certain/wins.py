"""Wins found quickly: best first among rooms, along plans that are walked ahead of the search.

A plan of the relaxation tells which moves may matter and in which order; as many of them as
are possible are made, and every room met on the way is looked at again if that leads nowhere.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property

from zubrel.base.budget import Budget, LimitReached
from zubrel.certain.clocks import Timing
from zubrel.certain.lost_sets import LostSets
from zubrel.certain.plans import Planner
from zubrel.certain.rooms import Exit, Room, Rooms
from zubrel.certain.turnover import AMOUNT, ROOM, bounds_of
from zubrel.compiled.operators import Domains
from zubrel.compiled.parts import ENDING, PLACE, Operation, Step
from zubrel.compiled.possible import Among
from zubrel.compiled.relaxation import Relaxation
from zubrel.compiled.system import System

PERHAPS = 0.4
"""How much worse a room is taken to be that nobody has a plan for yet than the one before it."""
STALE = 3.0
"""How much worse a room is taken to be in which nothing is new among those of the same cost."""
MOST_PLANS = 100_000
"""Plans that are remembered."""

Path = list[Exit]
"""Exits of one room after another; the walks between them are left out."""


class Seeker:
    """Looks for plays from one situation to a win, or to a step."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        self.budget = budget
        self.rooms = Rooms(system, budget)
        # only what is possible at all: rules that never hold would make plans through them
        self.relaxation = Relaxation(system, budget, system.possible_operators)
        self.timing = Timing(system, self.relaxation)
        self.planner = Planner(self.relaxation)
        # what uses something up for good is made as late as a plan allows
        closing = (self.relaxation.operators.all[n].step for n in self.planner.upkeep.closing)
        self.late = frozenset(step.number for step in closing if step is not None)
        """Steps that take away for good what others ask for."""
        moves = (operator.step for operator in self.relaxation.operators.all if operator.walks)
        self.walks = frozenset(step.number for step in moves if step is not None)
        """Steps that only move the player."""
        self.thrown = _thrown(system.steps)
        """What levers set."""
        self.lost_sets = LostSets(self.rooms, self.relaxation)
        # plans and verdicts are kept by room: several searches come upon the same ones
        self._plans: dict[Planner, dict[int, tuple[int, list[int]] | None]] = {}
        self._may_win: dict[int, bool] = {}

    @cached_property
    def enduring(self) -> Planner | None:
        """Plans in which hunger and the like stay bearable; None: nothing that would end the game
        badly by itself can be made good."""
        bounds = bounds_of(self.system)
        kept = {(v, ROOM) for v in bounds.ceilings} | {(v, AMOUNT) for v in bounds.floors}
        if not kept:
            return None
        planner = Planner(self.relaxation, bounds)
        return None if kept.isdisjoint(planner.upkeep.makers) else planner

    def plan(self, room: Room, planner: Planner | None = None) -> tuple[int, list[int]] | None:
        """What a win from a room costs in the relaxation, and a plan; None: there is no win."""
        planner = planner or self.planner
        plans = self._plans.setdefault(planner, {})
        if room.name not in plans:
            # they can all be made again, and memory is bounded
            if len(plans) > MOST_PLANS:
                plans.clear()
            # where a fixpoint is known to hold no win, layers come to none either
            hopeless = self._may_win.get(room.name) is False or self.lost_sets.hold(room.name)
            plan = None if hopeless else planner.plan(self.domains(room.name))
            plans[room.name] = None if plan is None else (planner.cost(plan), plan)
        return plans[room.name]

    def domains(self, name: int) -> Domains:
        """A room, by its name, as sets of one value each."""
        return self.relaxation.domains(self.rooms.values(name))

    def may_win(self, name: int) -> bool:
        """Whether the relaxation knows of a win from a room; False is certain."""
        if name not in self._may_win:
            if len(self._may_win) > MOST_PLANS:
                self._may_win.clear()
            self._may_win[name] = not self.lost_sets.hold(name) and self._may_win_from(name)
        return self._may_win[name]

    @property
    def is_proved(self) -> bool:
        """Whether a proof tells which situations are lost, and not the relaxation."""
        return self.lost_sets.proved is not None

    def believe(self, lost: Callable[[int], bool]) -> None:
        """From now on a proof tells whether a situation is `lost`, and not the relaxation."""
        self.lost_sets.proved = lost
        # what was taken to be possible by then may be known to be lost
        self._may_win.clear()
        self._plans.clear()

    def _may_win_from(self, name: int) -> bool:
        if self.is_proved:
            return True  # or it would be among the lost
        domains = self.domains(name)
        if not self.relaxation.may_win(domains):
            # what the reason holds for beside it is asked once somebody looks for more of it
            self.lost_sets.waiting.append(name)
            return False
        return self.timing.may_win(domains)

    def is_hopeless(self, room: Room) -> bool:
        """Whether no win is left for certain."""
        # what has no plan has no fixpoint that wins, which is found out in a fifth of the time
        return not self.may_win(room.name)

    def win(self, room: Room, most: int | None = None) -> Path | None:
        """A way from a room to a win; None where `most` rooms do not suffice, or all there are."""
        return WinSearch(self, room).run(most)

    def to_step(self, room: Room, step: int, most: int) -> Path | None:
        """A way from a room to where a step is made, caring for nothing else."""
        return WinSearch(self, room, step).run(most)

    def plan_to(self, room: Room, goal: int | Among) -> tuple[int, list[int]] | None:
        """As `plan`, for making a step, or for having one of some values."""
        plan = self.planner.plan(self.domains(room.name), goal)
        return None if plan is None else (self.planner.cost(plan), plan)


class WinSearch:
    """One search for a win, or for a goal: the number of a step that is to be made, or a value of
    a variable. Rooms are known by their names.

    `new_first`: rooms beside the plan in which nothing is new wait for those in which something is.
    Where a plan is stuck, dozens of moves that have nothing to do with it come back to the same
    cost; elsewhere what is not new may be just what is missing.
    """

    def __init__(
        self,
        seeker: Seeker,
        start: Room,
        goal: int | Among | None = None,
        new_first: bool = False,
        planner: Planner | None = None,
    ) -> None:
        """`planner` makes the plans for a win (None: those of all other searches)."""
        self.seeker = seeker
        self.goal = goal
        self.planner = planner
        self.rooms = seeker.rooms
        self.start = start
        self.came: dict[int, tuple[int, Exit] | None] = {start.name: None}
        # a room that is met again more cheaply is looked at again, if it was not yet
        self.cost = {start.name: 0.0}
        """Of each room met the least that a win from it was taken to cost."""
        self.queue: list[tuple[float, int, int]] = [(0.0, 0, start.name)]
        self.expanded: set[int] = set()
        self.tick = 0
        self.seen = _Seen(seeker.rooms) if new_first else None

    def run(self, most: int | None = None) -> Path | None:
        """A way there; None where `most` rooms do not suffice, or all there are.

        Raises what `spend` does, and goes on from there when it is called again.
        """
        # the room from which a win seems the cheapest comes first
        while self.queue and (most is None or len(self.expanded) < most):
            entry = heapq.heappop(self.queue)
            _, _, name = entry
            # it was put in again at a lower cost, which has had its turn
            if name in self.expanded:
                continue
            try:
                won = self._expand(self.rooms.room(name))
            except LimitReached:
                heapq.heappush(self.queue, entry)  # it was not looked at to its end
                raise
            self.expanded.add(name)
            if won is not None:
                return [*path_of(self.came, won[0]), won[1]]
        return None

    def _expand(self, room: Room) -> tuple[int, Exit] | None:
        plan = self._plan(room)
        if plan is None:
            return None
        # most plans hold as they are; what they miss is found by looking around
        return self._walk_ahead(room, *plan) or self._look_around(room, *plan)

    def _plan(self, room: Room) -> tuple[int, list[int]] | None:
        if self.goal is None:
            return self.seeker.plan(room, self.planner)
        return self.seeker.plan_to(room, self.goal)

    def _is_there(self, exit_: Exit) -> bool:
        if self.goal is None:
            return self.rooms.is_won(exit_.target)
        if isinstance(self.goal, Among):
            # a win is more than whatever was to be had on the way there
            has = self.rooms.has(exit_.target, self.goal)
            return self.rooms.is_won(exit_.target) or (has and not self.rooms.is_over(exit_.target))
        return exit_.step == self.goal

    def _push(self, cost: float, name: int) -> None:
        self.tick += 1
        self.cost[name] = cost
        # of equal ones the latest: it goes on where the last plan has ended
        heapq.heappush(self.queue, (cost, -self.tick, name))

    def _reach(self, room: Room, exit_: Exit, cost: float) -> Room | None:
        """The room behind an exit, if it is new."""
        target = self.rooms.room(exit_.target)
        if target.name in self.came:
            # it was met from where a win seemed far; now it seems nearer
            if target.name not in self.expanded and cost < self.cost[target.name]:
                self._push(cost, target.name)
            return None
        self.came[target.name] = (room.name, exit_)
        self._push(cost, target.name)
        return target

    def _walk_ahead(self, room: Room, cost: int, plan: list[int]) -> tuple[int, Exit] | None:
        """Make the moves of a plan as far as they go; the last room and exit of a win."""
        wanted = list(self._moves_of(plan))
        here = room
        while wanted:
            exit_ = self._first_possible(here, wanted)
            # what takes something away for good has to wait for a plan that begins with it
            if exit_ is None or (exit_.step in self.seeker.late and here is not room):
                return None
            # a plan may name a step several times: what adds up is made again and again
            wanted.remove(exit_.step)
            if self._is_there(exit_):
                return here.name, exit_
            if self.rooms.is_over(exit_.target):
                continue
            there = self.rooms.room(exit_.target)
            # a move that changes nothing gets nowhere
            if there.name == here.name:
                continue
            self._reach(here, exit_, cost + PERHAPS)
            here = there
        return None

    def _moves_of(self, plan: list[int]) -> Iterator[int]:
        for number in plan:
            step = self.seeker.relaxation.operators.all[number].step
            if step is not None:
                yield step.number

    def _first_possible(self, room: Room, wanted: list[int]) -> Exit | None:
        """The exit whose step comes first in a plan; what takes something away for good, or leads
        where there is no plain way back from, is made when nothing else of it is possible."""
        by_step: dict[int, Exit] = {}
        for exit_ in room.exits:
            if not self.rooms.is_over(exit_.target) or self._is_there(exit_):
                by_step.setdefault(exit_.step, exit_)
        possible = [by_step[step] for step in wanted if step in by_step]
        for exit_ in possible:
            if self._is_there(exit_):
                return exit_
        for exit_ in possible:
            if exit_.step not in self.seeker.late and exit_.step not in self.seeker.walks:
                return exit_
        # nothing harmless is left to do: the plan goes on with what it wants first
        return possible[0] if possible else None

    def _look_around(self, room: Room, cost: int, plan: list[int]) -> tuple[int, Exit] | None:
        thrown = self.seeker.thrown
        wanted = {thrown[number] for number in self._moves_of(plan) if number in thrown}
        for exit_ in room.exits:
            if self._is_there(exit_):
                return room.name, exit_
            if not self.rooms.is_over(exit_.target):
                # a plan takes any of those who do the same: of two levers of a sluice perhaps the
                # one on this side
                worse = PERHAPS if thrown.get(exit_.step) in wanted else 2 * PERHAPS
                self._reach(room, exit_, cost + worse + self._staleness(exit_, cost))
        return None

    def _staleness(self, exit_: Exit, cost: int) -> float:
        if self.seen is None:
            return 0.0
        name = self.rooms.room(exit_.target).name
        # a room that was met before costs what it was taken to cost then
        return STALE if name not in self.came and not self.seen.is_new(name, cost) else 0.0


def _thrown(steps: Sequence[Step]) -> dict[int, tuple[int, int]]:
    """By step the variable that it sets, and the value, of levers: of what does nothing else, where
    others set it to another value."""
    # luck deals, and no player
    own = (s for s in steps if s.rule.kind != "deal")
    set_alone = {s.number: s.changes[0] for s in own if len(s.changes) == 1}
    values = dict[int, set[int]]()
    for change in set_alone.values():
        if change.operation is Operation.SET and change.variable not in (PLACE, ENDING):
            values.setdefault(change.variable, set()).add(change.number)
    return {
        number: (change.variable, change.number)
        for number, change in set_alone.items()
        if len(values.get(change.variable, ())) > 1 and change.operation is Operation.SET
    }


class _Seen:
    """Which bits of words were high, and which low, in rooms met from one of each cost."""

    def __init__(self, rooms: Rooms) -> None:
        self.every = (1 << max(f.shift + f.bits for f in rooms.packing.fields)) - 1
        self.high: dict[int, int] = {}
        self.low: dict[int, int] = {}

    def is_new(self, word: int, cost: int) -> bool:
        """Whether some bit was never as in a word among those of its cost; it is noted."""
        high, low = self.high.get(cost, 0), self.low.get(cost, 0)
        self.high[cost], self.low[cost] = high | word, low | self.every & ~word
        return (self.high[cost], self.low[cost]) != (high, low)


def path_of(came: Mapping[int, tuple[int, Exit] | None], name: int) -> Path:
    """The exits to a room, where of each it is known from which other one it was come to."""
    path: Path = []
    while (link := came[name]) is not None:
        name, exit_ = link
        path.append(exit_)
    return path[::-1]
