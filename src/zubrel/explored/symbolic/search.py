"""Finding every situation as one set: fills a `SymbolicSpace`."""

from __future__ import annotations

from collections.abc import Callable

from oxidd.util import DDMemoryError

from zubrel.base.budget import SECOND, Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.compiled.system import System
from zubrel.explored.space import EndlessSettling, LookedLongEnough, Trace
from zubrel.explored.symbolic.diagram_set import DiagramSet
from zubrel.explored.symbolic.encoding import Diagram
from zubrel.explored.symbolic.sets import SymbolicSpace

GoesOn = Callable[[float, int], bool]
EVERY = 0.4 * SECOND
"""Work between two looks at how far the search has come: counting takes time as well."""


def explore_symbolic(
    system: System,
    budget: Budget,
    progress: Progress,
    goes_on: GoesOn | None = None,
    fewest: bool = True,
) -> SymbolicSpace:
    """Search every situation. Raises `EndlessSettling` when a world never comes to rest.

    `fewest`: whether walks are to have the fewest steps, where that can be found out.
    `goes_on` is asked now and then, with the work and the situations so far, whether to; where it
    says no, `LookedLongEnough` is raised. Raises `LimitReached` where a limit comes before there
    is anything to search, `WorkSpent` where the caller has given a share of work only.
    """
    search = SymbolicSearch(system, budget, progress, goes_on, fewest)
    search.run()
    return search.space


def memory_words(budget: Budget) -> str:
    limit = budget.limits.memory
    return (
        "the memory of this machine"
        if limit is None
        else (f"the limit of {limit / 2**20:,.0f} MiB of memory")
    )


class SymbolicSearch:
    """A search that fills `space`, and can be gone on with after its share of work is spent."""

    def __init__(
        self,
        system: System,
        budget: Budget,
        progress: Progress,
        goes_on: GoesOn | None = None,
        fewest: bool = True,
    ) -> None:
        """As `explore_symbolic`. Raises `LimitReached` where there is no room to search in."""
        try:
            self.space = SymbolicSpace(system, budget, fewest)
        except DDMemoryError:
            raise LimitReached(memory_words(budget)) from None
        self.budget = budget
        self.progress = progress
        self.goes_on = goes_on
        self.began = budget.work
        # by work done, and never by the clock
        self.next_question = self.began + EVERY

    @property
    def is_far(self) -> bool:
        """Whether at least half of the regions are behind, of several: nobody comes back there."""
        return 2 * self.space.closed_regions >= self.space.count_of_regions > 1

    def run(self) -> None:
        """Raises what `explore_symbolic` does. After `WorkSpent` it goes on where it was."""
        space, encoding = self.space, self.space.encoding
        known = space.reachable
        start = encoding.situation(space.system.start)
        # limits are looked at wherever a set grows, not only between rounds
        space.on_growth = self._look
        try:
            self._refuse_if_endless(start, at_start=True)
            # plays begin at rest
            space.start = space.settling.settle(start)
            space.reachable = known | space.start
            # only from now on: the way to what never rests is looked for among what is known to be
            # reached
            space.settling.on_long_way = lambda still: self._refuse_if_endless(still, False)
            space.reachable = space.closed(space.reachable, space.forth, None)
            self._remember_all_that_settles()
        except WorkSpent:
            raise
        except LimitReached as limit:
            space.stopped = str(limit)
        except DDMemoryError:
            space.stopped = memory_words(self.budget)
        finally:
            space.on_growth = space.settling.on_long_way = None
        if space.stopped is not None:
            self.budget.begin_telling()

    def _remember_all_that_settles(self) -> None:
        """Every step once from everywhere: the way back goes through what settles.

        Two steps that do not mind each other are closed in one order only, so the search itself
        need not have taken every step from every situation.
        """
        # where nothing happens by itself there is nothing on its way
        if self.space.settling.needed:
            for step in self.space.system.steps:
                self.space.pause()
                self.space.forth(step, self.space.reachable)

    def _look(self, known: Diagram) -> None:
        """How far the search has come; with a limit of situations never farther than that."""
        space = self.space
        # counting is dear: only where somebody has set a limit
        if self.budget.limits.situations is not None and known != space.reachable:
            self.budget.check_limits(space.encoding.size(known))
        space.reachable = known
        if self.budget.work > self.next_question:
            count = space.encoding.size(known)
            self.progress.reached(count, None)
            if self.goes_on is not None and not self.goes_on(self.budget.work - self.began, count):
                raise LookedLongEnough(count)
            self.next_question = self.budget.work + EVERY

    def _refuse_if_endless(self, moving: Diagram, at_start: bool) -> None:
        """Raise `EndlessSettling` if some of these situations never rest."""
        settling, space = self.space.settling, self.space
        endless = settling.never_resting(moving & settling.moving)
        if not endless.satisfiable():
            return
        # any of them will do: its cycle is named by walking on from it
        word = space.walking.word(space.encoding.values(endless))
        cycle = space.walking.settling.settled(word)
        assert not isinstance(cycle, int), "both readings of what happens by itself agree"
        raise EndlessSettling(Trace(()) if at_start else self._way_to(endless), cycle)

    def _way_to(self, endless: Diagram) -> Trace:
        """The fewest steps that lead to what never rests, among the situations known so far."""
        space, settling = self.space, self.space.settling
        settling.restless = settling.restless | endless
        # whatever comes into it by itself has to be kept out of the layers, or they would never
        # settle
        into = settling.closed(endless)
        layers = [space.start]
        known = space.start
        while layers[-1].satisfiable():
            for step in space.system.steps:
                one = space.relations[step.number]
                sources = one.preimage(space.encoding, into) & layers[-1]
                if sources.satisfiable():
                    target = DiagramSet(sources)
                    space.reachable = known
                    walk = space.walks().shortest(target)
                    assert walk is not None, "every layer is reached"
                    return walk.then(step)
            after = space.encoding.false
            for step in space.system.steps:
                image = space.relations[step.number].image(space.encoding, layers[-1])
                # only what rests is a layer; the rest has its step found above
                calm = image & ~into
                after = after | settling.settle(calm)
            layers.append(after & ~known)
            known = known | after
        return Trace(())
