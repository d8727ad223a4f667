"""A space, or what is certain early, -> trees of claims: the entry to this folder."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any as Anything

from zubrel.checked import keys
from zubrel.checked.conditions import DONE, Any, At, Cond, Holds, LockOpen, QuestIs, all_of
from zubrel.checked.keys import Key, Value
from zubrel.checked.world import Rule
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.future import Future
from zubrel.compiled.system import System
from zubrel.explored.space import Distance, NotAsked
from zubrel.findings.detectors.missable import missables
from zubrel.findings.judged import AnySpace, ending_formula
from zubrel.reasoned.claims import Node, Wanted
from zubrel.reasoned.conditions import as_condition
from zubrel.reasoned.leaves import Past, View
from zubrel.reasoned.prover import Prover
from zubrel.reasoned.together import Together

Situation = Mapping[Key, Value]
Made = tuple[Rule, Situation, Situation]
"""A move: its rule, the situation before it, and after it."""


class Behind:
    """All that can come after some moves, as a space has it; `live`: where a win is left."""

    exact = True

    def __init__(self, space: AnySpace, future: Anything, live: Anything = None) -> None:
        self.space = space
        self.future = future
        self.live = live

    def allows(self, formula: Formula) -> bool:
        """Whether a formula holds somewhere in it. Raises `NotAsked`."""
        return self.space.allows(self.future, formula)

    def wins_from(self, values: Sequence[int]) -> bool | None:
        """Whether a situation occurs and a win is left in it; None in a space that merges."""
        if self.space.merged or self.live is None:
            return None
        there = self.space.of(self.space.system.situation(values))
        return bool(there & self.live)

    def possible(self) -> tuple[Rule, ...]:
        """The rules that can still be made at some time. Raises `NotAsked`."""
        space = self.space
        return tuple(
            move.rule
            for move in space.system.moves
            if any(space.possible(step) & self.future for step in move.steps)
        )


class Relaxed:
    """All that may come after a situation, and perhaps more: what it rules out is certain."""

    exact = False

    def __init__(self, future: Future) -> None:
        self.future = future

    def allows(self, formula: Formula) -> bool:
        """Whether a formula may hold somewhere in it."""
        return self.future.may_hold(formula)

    def wins_from(self, values: Sequence[int]) -> bool | None:
        """That is not known here."""
        return None


class Reasons:
    """Why something can never be, from here on.

    `walk` are the rules of the evidence with the situations before and after each. Those of luck
    that deal are among them, but are no moves that a reason speaks of. `unasked` are formulas that
    the view cannot answer: with any of them nothing that was told is worth anything.
    """

    def __init__(
        self,
        system: System,
        view: View,
        walk: Sequence[tuple[Rule, Situation, Situation]] = (),
        possible: Callable[[], tuple[Rule, ...]] | None = None,
    ) -> None:
        self.system = system
        self.walk = [step for step in walk if step[0].kind != "deal"]
        self.start = _start(system, walk)
        self.possible = possible
        past = list(_past_of(system, self.walk))
        here = past[-1].after if past else tuple(system.values(self.start))
        self.prover = Prover(system, view, here, past, self._short_of)

    @property
    def unasked(self) -> dict[Formula, None]:
        return self.prover.unasked

    def moves_to(self, formulas: Iterable[Formula]) -> Distance | None:
        """How soon some play comes to where one of the formulas holds; None: not known."""
        view = self.prover.view
        if not isinstance(view, Behind) or view.space.merged:
            return None
        walks = view.space.walks()
        distances = (walks.moves_to(view.space.where(f)) for f in formulas)
        return min((d for d in distances if d is not None), default=None)

    def of_no_win(self) -> tuple[Node, ...]:
        """A tree for each good ending."""
        good = (e.id for e in self.system.world.endings.values() if e.good)
        return self._trees(ending_formula(self.system, ending) for ending in good)

    def of(self, subject: str) -> tuple[Node, ...]:
        """Why nothing ever holds, opens, enters, reaches or does this."""
        formula = self._wished(subject)
        if formula is None:
            return tuple(self.prover.of_rule(subject))
        return self._trees([formula])

    def of_formula(self, formula: Formula) -> tuple[Node, ...]:
        """Why a formula never holds."""
        return self._trees([formula])

    def of_having(self, subject: str) -> tuple[Node, ...]:
        """Why an item, a find, a deed, a quest, a foe or an ending is had no more."""
        wanted = [thing for thing in missables(self.system) if thing.subject == subject]
        return self._trees(thing.attained for thing in wanted)

    def of_promise(self, subject: str) -> tuple[Node, ...]:
        """Why what a promise wants to be possible is so no more."""
        promise = next(p for p in self.system.world.promises if p.id == subject)
        if promise.kind not in ("possible", "stays_possible", "within"):
            return ()
        if promise.ending is not None:
            return self.of(promise.ending)
        return self._trees([self.system.formula(promise.conditions[0])])

    def _trees(self, formulas: Iterable[Formula]) -> tuple[Node, ...]:
        trees = [self.prover.tree(f) for f in formulas]
        return tuple(tree for tree in trees if tree is not None)

    def _wished(self, subject: str) -> Formula | None:
        """What it is to hold, open, enter, reach or do something; None for a rule."""
        world, formula = self.system.world, self.system.formula
        # by section: what it means to have a thing depends on what it is
        if subject in world.items:
            # of what nothing gives there can be none, which a formula would not tell
            return Within(self.system.numbers[keys.held(subject)], 1, 1)
        if subject in world.locks:
            return formula(LockOpen(subject))
        if subject in world.areas:
            return formula(At(subject))
        # as having come: another ending may come first where all of that holds that it asks for
        if subject in world.endings:
            return ending_formula(self.system, subject)
        if subject in world.quests:
            return formula(QuestIs(subject, DONE))
        return None

    def _short_of(self, formula: Formula) -> Iterator[Wanted]:
        """What several moves still to be made want, and how much of it is left."""
        # shortages are told in the author's own conditions, or not at all
        condition = as_condition(self.system, formula)
        if condition is None or self.possible is None:
            return
        try:
            still = self.possible()
        except NotAsked:  # the space looks at some of the moves only
            return
        walker = self.system.walker
        here = self.walk[-1][2] if self.walk else self.start
        # what is asked for is counted from the end of the walk, where the reason begins
        combined = Together(
            self.system.world, still, lambda atom: walker.holds(atom, here), self._demand
        )
        for short in combined.shortages(condition):
            # all who take from what is left, so that the author sees who competes
            users = tuple(r.id for r in short.takers)
            yield Wanted(short.item, short.taken + short.kept, users, short.left)

    def _demand(self, rule: Rule) -> Cond:
        """What a rule asks for, as one condition."""
        parts: list[Cond] = []
        # places, locks and takes are needs of a rule that its `needs` does not say
        if rule.areas is not None:
            places = tuple(At(a) for a in rule.areas)
            parts.append(places[0] if len(places) == 1 else Any(places))
        if rule.lock:
            parts.append(LockOpen(rule.lock))
        parts += [Holds(t.item, ">=", t.count) for t in rule.takes]
        for outcome in rule.outcomes:
            if outcome.destination is not None:
                parts.append(self.system.world.areas[outcome.destination].needs)
        return all_of(rule.needs, *parts, rule.offered)


def reasons_after(system: System, space: AnySpace, walk: Sequence[Made]) -> Reasons:
    """Reasons by a space of all that comes after a walk."""
    behind = Behind(space, space.everything)
    return Reasons(system, behind, walk, behind.possible)


def at_a_glance(system: System, walk: Sequence[Made]) -> Reasons:
    """Reasons by what sets of values tell of all that comes after a walk, which takes no search;
    what they rule out is certain, and they never say that something can be."""
    here = walk[-1][2] if walk else system.walker.start()
    return Reasons(system, Relaxed(Future(system.relaxation, tuple(system.values(here)))), walk)


def _past_of(system: System, walk: Iterable[Made]) -> Iterator[Past]:
    """The moves of a walk with the values of all variables before and after each."""
    last: Situation | None = None
    values: tuple[int, ...] = ()
    for rule, old, new in walk:
        # each move begins where the one before it has ended
        before = values if old is last else tuple(system.values(old))
        last, values = new, tuple(system.values(new))
        yield Past(rule.id, before, values)


def _start(system: System, walk: Sequence[tuple[Rule, Situation, Situation]]) -> Situation:
    """The situation in which the player makes the first move."""
    dealt = [after for rule, _, after in walk if rule.kind == "deal"]
    return dealt[-1] if dealt else system.walker.start()
