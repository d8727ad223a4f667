"""Are there deals from which no play wins?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations

from zubrel.checked import keys
from zubrel.checked.deals import number_of_deals
from zubrel.checked.world import World
from zubrel.compiled.formulas import Within
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked, S
from zubrel.findings.dealt import beginnings
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged

MOST_PAIRS = 2_000
"""Pairs of places that are tried as what bad deals have in common."""
MOST_NAMED = 4
"""Conditions that are told of at most; more of them are no simple condition."""


class _Dealt(Question, frozen=True):
    """Where each item lies in a deal: `places` has a formula for each item and area."""

    places: dict[tuple[str, str], Within]


def _questions(system: System) -> Iterator[_Dealt]:
    if not system.world.deals:
        return
    places = {}
    for deal in system.world.deals:
        for item in deal.items:
            # where an item lies is a variable whose values are the areas that it may be dealt to
            variable = system.numbers[keys.dealt(item)]
            names = system.variables[variable].names
            for area in deal.areas:
                value = names.index(area)
                places[item, area] = Within(variable, value, value)
    yield _Dealt(
        subject="world",
        formulas=tuple(places.values()),
        steps=system.dealing_steps,
        places=places,
    )


def _bad_deals(judged: Judged[S], questions: Sequence[_Dealt]) -> Iterator[Finding]:
    for question in questions:
        # situations in which a deal has been made and no move yet
        starts = beginnings(judged.space)
        # a deal may win at once, where an ending asks for nothing else
        bad = starts - judged.live - judged.won
        if bad and judged.won:
            world = judged.system.world
            message = _how_many(judged, starts, bad)
            places = {p: judged.space.where(f) & starts for p, f in question.places.items()}
            # the deals are counted in any case; where places tell them simply, they are named
            when = _condition(bad, places)
            if when is not None:
                message += f": whenever {' or '.join(_words(world, part) for part in when)}"
            trace = judged.space.walks().shortest(bad)
            span = world.deals[0].span
            yield Finding("bad_deal", "error", "world", message, span, trace, hopeless=True)


def _how_many(judged: Judged[S], starts: S, bad: S) -> str:
    """How many deals are bad, where a situation stands for each deal, and not for several."""
    every = number_of_deals(judged.system.world.deals)
    try:
        # where situations were merged, one may stand for several deals
        if judged.space.count(starts) == every:
            return f"no play wins from {judged.space.count(bad):,} of {every:,} deals"
    except NotAsked:
        pass
    return f"from some of {every:,} deals no play wins"


Places = tuple[tuple[str, str], ...]


def _condition(bad: S, places: dict[tuple[str, str], S]) -> list[Places] | None:
    """The simplest places of items under which exactly the bad deals come about; None: not simple.

    First of one item, then of two; of several that are needed the one that has the most first.
    """
    # what one item decides is tried first: two are named only where one does not suffice
    singles: list[tuple[Places, S]] = [((place,), deals) for place, deals in places.items()]
    pairs = (
        ((*one, *other), deals & others)
        for (one, deals), (other, others) in combinations(singles, 2)
        if one[0][0] != other[0][0]
    )
    for tried in (singles, [*singles, *pairs] if len(singles) ** 2 <= 2 * MOST_PAIRS else []):
        # only places with which every deal is bad: anything else would claim too much
        sure = [(part, deals) for part, deals in tried if deals and not deals - bad]
        named, left = list[Places](), bad
        for part, deals in sure:
            if left and left & deals and len(named) < MOST_NAMED:
                named.append(part)
                left = left - deals
        if not left:
            return named
    return None


def _words(world: World, part: Places) -> str:
    return " and ".join(
        f"{world.items[item].name} lies in {world.areas[area].name}" for item, area in part
    )


BAD_DEAL = SubjectDetector("bad_deal", _questions, _bad_deals)
"""`bad_deal`: items can be dealt in a way that leaves no win."""
