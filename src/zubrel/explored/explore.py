"""System -> Space: the stage function of this folder, which picks the engine."""

from __future__ import annotations

from typing import Any

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.compiled.system import System
from zubrel.explored.scalar import explore_scalar
from zubrel.explored.space import Space, TooMany

SMALL, MIDDLE, MANY = 10_000, 50_000, 2_000_000
"""Situations: plain integers up to the first, a look at diagrams after the second, and from the
third on nothing is listed."""
LOOK = 0.8
"""Seconds that a look may take."""


EXACT = 8.0
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
        return explore_scalar(system, budget, progress, SMALL)
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

    space = explore_symbolic(system, budget, progress, LOOK)
    finished = space is not None and space.stopped is None
    if space is not None and finished and space.count(space.everything) > MANY:
        return space
    del space
    try:
        return explore_vector(system, budget, progress, None if finished else MANY)
    except TooMany:
        pass
    if not merging:
        return explore_symbolic(system, budget, progress)
    found = explore_symbolic(system, budget, progress, EXACT)
    if found is not None:
        return found
    from zubrel.explored.lens import look

    return look(system, (), budget, progress)
