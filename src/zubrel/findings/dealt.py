"""A space as players know it: without what comes before everything is dealt.

A world that deals items begins with moves of luck, one for each item, in a place of their own. All
that is found is about what comes after them; their steps stay in front of every trace, since they
say which deal it is.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, reduce
from typing import Any, Generic, cast

from zubrel.compiled.formulas import Formula, both
from zubrel.compiled.parts import Move
from zubrel.explored.space import Distance, S, Space, Trace, Walks


def begun(space: Space[S]) -> Space[S]:
    """`space` without the situations in which something is still to be dealt."""
    if not space.system.world.deals or isinstance(space, Begun):
        return space
    return cast("Space[S]", Begun(space))


def inner_of(space: Space[S]) -> Space[S]:
    """The space with the situations before the deal, which `begun` leaves out."""
    return space.inner if isinstance(space, Begun) else space


class Begun(Generic[S]):
    """Delegates to a space; what is about all situations leaves out those before the deal."""

    def __init__(self, inner: Space[S]) -> None:
        self.inner = inner
        self.system = inner.system
        self.formula = inner.system.begun

    def __getattr__(self, name: str) -> Any:
        return getattr(self.inner, name)

    @property
    def stopped(self) -> str | None:
        return self.inner.stopped

    @cached_property
    def everything(self) -> S:
        return self.inner.where(self.formula)

    @property
    def unexplored(self) -> S:
        return self.inner.unexplored & self.everything

    @property
    def moves(self) -> int | None:
        """Those of luck are not counted: each deals one item, and is made once on the way to it."""
        return self.inner.moves and self.inner.moves - self._dealing

    @cached_property
    def _dealing(self) -> int:
        steps = self.system.dealing_steps
        return sum(self.inner.count(self.inner.possible(step)) for step in steps)

    @property
    def acting(self) -> Sequence[Move]:
        return [m for m in self.inner.acting if m.rule.kind != "deal"]

    def where(self, formula: Formula) -> S:
        return self.inner.where(both((self.formula, formula)))

    def holds_somewhere(self, formula: Formula) -> bool:
        return self.inner.holds_somewhere(both((self.formula, formula)))

    def reaching(self, targets: Sequence[S]) -> list[S]:
        return [reached & self.everything for reached in self.inner.reaching(targets)]

    def reached_without(self, avoided: Sequence[S]) -> list[S]:
        return [reached & self.everything for reached in self.inner.reached_without(avoided)]

    def walks(self, avoiding: S | None = None, reached: S | None = None) -> Walks[S]:
        # what was reached is known without what comes before: it has to be found out anew
        return BegunWalks(self, self.inner.walks(avoiding))


class BegunWalks(Generic[S]):
    """Walks that are counted from the deal on."""

    def __init__(self, space: Begun[S], inner: Walks[S]) -> None:
        self.space = space
        self.inner = inner

    @property
    def reached(self) -> S:
        return self.inner.reached & self.space.everything

    def shortest(self, target: S, surely: bool = False) -> Trace | None:
        return self.inner.shortest(target, surely)

    def moves_to(self, target: S) -> Distance | None:
        distance = self.inner.moves_to(target)
        before = self.space.system.world.moves_before()
        return distance and Distance(distance.steps - before, distance.fewest)

    def by_moves(self, sets: Sequence[S]) -> list[tuple[int, ...]] | None:
        layers = self.inner.by_moves(sets)
        return layers and layers[self.space.system.world.moves_before() :]


def beginnings(space: Space[S]) -> S:
    """The situations in which a play begins: one, or where items are dealt one for each deal."""
    last = space.system.world.deals[-1].items[-1] if space.system.world.deals else None
    if last is None:
        return space.at_end_of(Trace(()))
    inner = inner_of(space)
    # the item that is dealt last: after it the play begins
    dealt = [step for step in space.system.dealing_steps if step.rule.owner == last]
    return reduce(lambda a, b: a | b, (inner.after(s, inner.possible(s)) for s in dealt))
