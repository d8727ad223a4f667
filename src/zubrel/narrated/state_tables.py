"""Rows of the tables of what a play begins with and what may change by itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from typing import Any

from zubrel.checked.deals import number_of_deals
from zubrel.checked.effects import AddMeter, Effect, SetFact, SetMeter, StepFact, Toggle
from zubrel.checked.world import World
from zubrel.narrated.doing import effect_words
from zubrel.narrated.uses import readers
from zubrel.narrated.words import phrase

Row = tuple[tuple[str, ...], ...]
"""A row of a table: every cell is a list of short texts."""


def each(things: Mapping[str, Any], only: str | None) -> Iterable[Any]:
    """All things of a section, or the one with an id."""
    return [thing for key, thing in things.items() if only in (None, key)]


def facts(world: World, only: str | None) -> Iterator[Row]:
    """Facts, and who sets and reads them."""
    for fact in each(world.facts, only):
        setters = _setters(world, partial(_sets_fact, fact.id))
        yield (
            (fact.id,),
            (fact.name,),
            fact.values,
            (fact.values[fact.start],),
            setters,
            tuple(readers(world, fact.id)),
        )


def meters(world: World, only: str | None) -> Iterator[Row]:
    """Meters, and who changes and reads them."""
    for meter in each(world.meters, only):
        setters = _setters(world, partial(_sets_meter, meter.id))
        limits = f"{meter.low} to {meter.high}"
        yield (
            (meter.id,),
            (meter.name,),
            (limits,),
            (str(meter.start),),
            setters,
            tuple(readers(world, meter.id)),
        )


def _sets_fact(fact: str, effect: Effect) -> bool:
    return isinstance(effect, SetFact | StepFact | Toggle) and effect.fact == fact


def _sets_meter(meter: str, effect: Effect) -> bool:
    return isinstance(effect, SetMeter | AddMeter) and effect.meter == meter


def _setters(world: World, sets: Callable[[Effect], bool]) -> tuple[str, ...]:
    rules = [r.id for r in world.rules if any(sets(e) for o in r.outcomes for e in o.effects)]
    return (*rules, *(h.id for h in world.happenings if any(map(sets, h.outcome.effects))))


def carries(world: World, only: str | None) -> Iterator[Row]:
    """Limits on what is carried."""
    for number, carry in enumerate(world.carries, 1):
        yield ((f"carry_{number}",), (str(carry.limit),), carry.items)


def happenings(world: World, only: str | None) -> Iterator[Row]:
    """What happens by itself."""
    for happening in world.happenings:
        does = tuple(w for e in happening.outcome.effects if (w := effect_words(world, e)))
        once = ("yes",) if happening.once else ()
        yield ((happening.id,), (phrase(world, happening.when),), does, once)


def deals(world: World, only: str | None) -> Iterator[Row]:
    """Which items each play deals over which areas, and in how many ways."""
    for number, deal in enumerate(world.deals, 1):
        ways = f"{number_of_deals([deal]):,}"
        yield ((f"deal_{number}",), deal.items, deal.areas, (str(deal.per_place),), (ways,))
