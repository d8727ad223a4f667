"""System -> Reduced: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

from msgspec.structs import replace

from zubrel.base.budget import Budget
from zubrel.compiled.formulas import Formula
from zubrel.compiled.system import System
from zubrel.reduced.alike import alike
from zubrel.reduced.amounts import amounts
from zubrel.reduced.apart import apart
from zubrel.reduced.cone import cone
from zubrel.reduced.derived import derived
from zubrel.reduced.finds import finds
from zubrel.reduced.forgetting import forgetting
from zubrel.reduced.guards import guards
from zubrel.reduced.levers import levers
from zubrel.reduced.openings import openings
from zubrel.reduced.places import places
from zubrel.reduced.pools import pools
from zubrel.reduced.result import Reduced, unreduced
from zubrel.reduced.standing import standing
from zubrel.reduced.supply import supply
from zubrel.reduced.twins import twins
from zubrel.reduced.values import values
from zubrel.reduced.visits import visits

Reduction = Callable[[Reduced, Sequence[Formula]], Reduced]
AT_FIRST: dict[str, Reduction] = {"values": values, "visits": visits, "apart": apart}
"""Done to the whole world, before anything has another meaning."""
REPEATED: dict[str, Reduction] = {
    "cone": cone,
    "guards": guards,
    "derived": derived,
    "standing": standing,
    "levers": levers,
    "openings": openings,  # before a move is seen from several places, and then is several
    "places": places,
    "alike": alike,
    "pools": pools,
    "supply": supply,
    "finds": finds,
}
"""They make room for each other, and are done again as long as something goes."""
WHEN_STILL: dict[str, Reduction] = {"amounts": amounts}
"""Done when the others find nothing more: they leave less for the others to see."""
AT_LAST: dict[str, Reduction] = {"forgetting": forgetting}
EVERY = (*AT_FIRST, "twins", *REPEATED, *WHEN_STILL, *AT_LAST)
SHORTENING = frozenset(("levers", "places", "openings", "finds", "pools", "supply"))
"""Those that leave out steps which a play of the whole has to take."""


MOVE = 15
"""Units of work of one reduction for each move."""


def reduce(
    system: System,
    asked: Sequence[Formula] = (),
    using: Collection[str] = EVERY,
    budget: Budget | None = None,
) -> Reduced:
    """A smaller system in which the same moves doom.

    `asked` are formulas that will be asked about in situations of the smaller system, by way of
    `Reduced.formula`; they and the endings keep all that they depend on. `using` are the names of
    the reductions to be made; each of them steps back from what does not meet its condition.
    Raises what `Budget.spend` does.
    """
    smallest = _reduced(unreduced(system), asked, AT_FIRST, using, budget)
    if "twins" in using:
        # no variable has another meaning yet: what is known of the whole still holds
        smallest = twins(smallest, system.twins)
    # what is left need not keep to the limits: some amounts will mean something else
    smallest = replace(smallest, system=replace(smallest.system, loads=()))
    while True:
        # every reduction makes something fewer and nothing more, so equal sizes mean that all
        # have stepped back
        size = smallest.size
        smallest = _reduced(smallest, asked, REPEATED, using, budget)
        if smallest.size == size:
            smallest = _reduced(smallest, asked, WHEN_STILL, using, budget)
            if smallest.size == size:
                break
    return _reduced(smallest, asked, AT_LAST, using, budget)


def _reduced(
    smaller: Reduced,
    asked: Sequence[Formula],
    reductions: Mapping[str, Reduction],
    using: Collection[str],
    budget: Budget | None,
) -> Reduced:
    for name, reduction in reductions.items():
        if name in using:
            if budget is not None:
                budget.spend(MOVE * len(smaller.system.moves))
            # each is asked in terms of what the ones before have left
            smaller = reduction(smaller, [smaller.formula(f) for f in asked])
    return smaller
