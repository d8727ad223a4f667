"""Whether single situations can still be won, for whoever asks while playing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress

from zubrel.base.budget import Budget
from zubrel.base.progress import Progress
from zubrel.checked.keys import Key, Value
from zubrel.compiled.system import System
from zubrel.explored.explore import explore
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.space import TooMany
from zubrel.findings.judged import AnySpace, ended_formula, judge, won_formula
from zubrel.policy import ISLANDS, SMALL

Fates = Callable[[Mapping[Key, Value]], str]


def fates(system: System, budget: Budget, progress: Progress) -> Fates:
    """Tells of a situation whether it is `live`, `doomed` or `ended`, after one search.

    The answer is `unknown` where a limit cut the search short, and of situations that no play
    comes to. Walking distances do not matter for that, so what is too large for plain integers is
    searched by islands. Raises `EndlessSettling` when a world never comes to rest.
    """
    if budget.limits.engine == "auto":
        with suppress(TooMany):
            return _of_space(explore_scalar(system, budget, progress, SMALL))
        with suppress(TooMany):
            return _of_islands(system, budget, progress)
    return _of_space(explore(system, budget, progress))


def _of_space(space: AnySpace) -> Fates:
    judged = judge(space)

    def fate(situation: Mapping[Key, Value]) -> str:
        here = space.of(situation)
        # an end counts before all else: from there nothing is won or lost any more
        for word, situations in (
            ("ended", judged.ended),
            ("live", judged.live),
            ("doomed", judged.doomed),
        ):
            if here & situations:
                return word
        return "unknown"

    return fate


def _of_islands(system: System, budget: Budget, progress: Progress) -> Fates:
    from zubrel.explored.listed.islands import search_islands

    islands = search_islands(system, budget, progress, most=ISLANDS)
    ended = islands.where(ended_formula(system))
    winning = islands.reaching(islands.where(won_formula(system)))

    def fate(situation: Mapping[Key, Value]) -> str:
        number = islands.number_of(situation)
        if number is None:
            return "unknown"
        if ended[number]:
            return "ended"
        if winning[number]:
            return "live"
        # what was not searched may lead on from there
        return "doomed" if islands.stopped is None else "unknown"

    return fate
