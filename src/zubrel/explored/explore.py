"""System -> Space: the stage function of this folder, which picks the engine."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.compiled.system import System
from zubrel.explored.scalar_search import explore_scalar
from zubrel.explored.space import LookedLongEnough, Space, TooMany

SMALL, MIDDLE, MANY = 10_000, 50_000, 2_000_000
"""Situations: plain integers up to the first, a look at diagrams after the second, and from the
third on nothing is listed."""
NARROW = 500_000
"""Situations up to which plain integers are used in narrow worlds."""
LOOK, LONG_LOOK, FAST = 0.8, 2.5, 400_000
"""Seconds that a look may take, and how long where it finds more than so many situations a second:
faster than they could be listed."""
EXACT = 6.0
"""Seconds that a search for every situation may take where classes of them would do as well."""


def explore(
    system: System, budget: Budget, progress: Progress, merging: bool = False
) -> Space[Any]:
    """Every situation of `system` within `budget`, by the engine that its limits name.

    With `merging`, what is too large comes back as a `Lens` on how the game ends. Raises
    `EndlessSettling` when a world never comes to rest.
    """
    progress.stage("searching")
    engine = budget.limits.engine
    if engine == "symbolic":
        from zubrel.explored.symbolic_search import explore_symbolic

        return explore_symbolic(system, budget, progress)
    try:
        space = explore_scalar(system, budget, progress, SMALL, NARROW)
        if len(space.words) <= SMALL:
            return space
        from zubrel.explored.widened import widened

        return widened(space)
    except TooMany:
        if engine == "explicit":
            from zubrel.explored.vector_search import explore_vector

            return explore_vector(system, budget, progress, None)
    return _large(system, budget, progress, merging)


def _large(system: System, budget: Budget, progress: Progress, merging: bool) -> Space[Any]:
    """Lists where that is the faster way, and diagrams where there are too many situations."""
    from zubrel.explored.vector_search import explore_vector

    try:
        return explore_vector(system, budget, progress, MIDDLE)
    except TooMany:
        pass
    from zubrel.explored.symbolic_search import explore_symbolic

    most: int | None = MANY
    exact = _share(budget, EXACT)

    def goes_on(seconds: float, found: int) -> bool:
        if found > MANY:  # there will be no listing
            return not merging or seconds < exact
        return seconds < (LONG_LOOK if found > FAST * seconds else LOOK)

    try:
        space = explore_symbolic(system, budget, progress, goes_on)
        known = space.count(space.everything)
        if known > MANY:
            return space
        most = None if space.stopped is None else MANY
        del space
    except LookedLongEnough as early:
        known = early.situations
    if known <= MANY:
        with suppress(TooMany):
            return explore_vector(system, budget, progress, most)
        with suppress(LookedLongEnough):
            return explore_symbolic(
                system, budget, progress, lambda seconds, _: not merging or seconds < exact
            )
    from zubrel.explored.lens import look

    return look(system, (), budget, progress)


def _share(budget: Budget, seconds: float) -> float:
    """So many seconds, but not more than half of what is left."""
    limit = budget.limits.seconds
    return seconds if limit is None else min(seconds, (limit - budget.seconds()) / 2)
