"""System -> Space: the stage function of this folder, which picks the engine."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from zubrel.base.budget import SECOND, Budget, LimitReached, NoRoom, require_room
from zubrel.base.progress import Progress, Silence
from zubrel.compiled.system import System
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.space import LookedLongEnough, Space, TooMany
from zubrel.policy import ARRAYS, EXACT, FAST, FEW, LONG_LOOK, LOOK, MANY, MIDDLE, NARROW, SMALL

log = logging.getLogger(__name__)


def explore(
    system: System, budget: Budget, progress: Progress, merging: bool = False
) -> Space[Any]:
    """Every situation of `system` within `budget`, by the engine that its limits name.

    With `merging`, `TooMany` is raised where classes of situations had better be looked at, unless
    the limit is one of situations. Raises `EndlessSettling` when a world never comes to rest,
    `LimitReached` where a limit comes before there is anything to tell.
    """
    progress.stage("searching")
    sizes = [v.size for v in system.variables]
    log.info("%d rules, %d variables that change", len(system.moves), sum(s > 1 for s in sizes))
    # a user who names an engine gets it, whatever the world looks like
    engine = budget.limits.engine
    if engine == "symbolic":
        from zubrel.explored.symbolic.search import explore_symbolic

        return explore_symbolic(system, budget, progress)
    try:
        space = explore_scalar(system, budget, progress, SMALL, NARROW)
        log.info("plain integers: %d situations", len(space.words))
        # a narrow world was allowed to go on past what plain integers are good for
        if len(space.words) <= SMALL:
            return space
        require_room(ARRAYS)
        # the search is done, but sets of so many numbers are too slow for the questions to come
        from zubrel.explored.listed.conversion import as_vector_space

        return as_vector_space(space)
    except TooMany:
        log.info("too many for plain integers")
        budget.found_large()
        require_room(ARRAYS)
        if engine == "explicit":
            from zubrel.explored.listed.large_search import explore_vector

            return explore_vector(system, budget, progress, None)
    return _large(system, budget, progress, merging and budget.limits.situations is None)


def explore_after(system: System, values: Sequence[int], budget: Budget) -> Space[Any]:
    """Every situation that comes after one at rest, itself among them; walks to them may be long.

    `values` are those of the variables in their order. Raises `LimitReached` where a limit or a
    share of work comes first.
    """
    after, silence = system.begun_with(values), Silence()
    space: Space[Any]
    try:
        space = explore_scalar(after, budget, silence, SMALL)
    except TooMany:
        from zubrel.explored.symbolic.search import explore_symbolic

        space = explore_symbolic(after, budget, silence, fewest=False)
    if space.stopped is not None:
        raise LimitReached(space.stopped)
    return space


def _large(system: System, budget: Budget, progress: Progress, merging: bool) -> Space[Any]:
    """Lists where that is the faster way, and diagrams where there are too many situations."""
    # loading NumPy takes long beside a small search: it is imported where it is needed
    from zubrel.explored.listed.large_search import VectorSearch

    # kept aside while diagrams are tried: if they do not pay, it goes on where it stands
    listing = VectorSearch(system, budget, progress)
    try:
        return listing.run(MIDDLE)
    except TooMany:
        pass
    from zubrel.explored.symbolic.search import explore_symbolic

    most: int | None = None
    exact = share(budget, EXACT)

    def goes_on(work: float, diagram: int) -> bool:
        if diagram > MANY:  # there will be no listing
            # of more than a few, findings have to be asked of classes anyway
            return not merging or work < (exact if diagram <= FEW else exact / 3)
        return work < (LONG_LOOK if diagram > FAST * (work / SECOND) else LOOK)

    try:
        space = explore_symbolic(system, budget, progress, goes_on)
        known = space.count(space.everything)
        log.info("by sets: %d situations, %.0f units of work", known, budget.work)
        # too many to be listed, or all that a limit allows: the sets are what there is
        if known > MANY or space.stopped is not None:
            return space
        del space
    except LookedLongEnough as early:
        known, most = early.situations, MANY
        log.info("the look at sets ends with %d situations, %.0f units of work", known, budget.work)
    except NoRoom:
        log.info("no room for diagrams: situations are listed")
        return listing.run()
    if known <= MANY:
        # the look has only seen a part of them: there may be far more
        with suppress(TooMany):
            return listing.run(most)
        # what was listed takes the room that diagrams need
        del listing
        with suppress(LookedLongEnough):
            return explore_symbolic(
                system, budget, progress, lambda work, _: not merging or work < exact
            )
    log.info("classes of situations will have to do")
    raise TooMany


def share(budget: Budget, work: float, part: float = 0.5) -> float:
    """So much work, but not more than about a part of the time that the user allows."""
    limit = budget.limits.seconds
    return work if limit is None else min(work, limit * SECOND * part)
