"""System -> Space: the stage function of this folder."""

from __future__ import annotations

from typing import Any

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.compiled.system import System
from zubrel.explored.scalar import TooMany, explore_scalar
from zubrel.explored.space import Space

SMALL = 10_000


def explore(system: System, budget: Budget, progress: Progress) -> Space[Any]:
    """Every situation of `system` within `budget`.

    Plain integers up to `SMALL` situations, NumPy above. Raises `EndlessSettling` when a world
    never comes to rest.
    """
    progress.stage("searching")
    try:
        return explore_scalar(system, budget, progress, SMALL)
    except TooMany:
        from zubrel.explored.vector_search import explore_vector

        return explore_vector(system, budget, progress)
