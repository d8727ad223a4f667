"""Items that lie somewhere else in each play: what is dealt, and the moves of luck that deal it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import product
from math import factorial, prod
from typing import TYPE_CHECKING

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.base.spelling import listing
from zubrel.checked.bodies import Implied
from zubrel.checked.conditions import ALWAYS, Any, At, DealtAt, Marked, Not, all_of
from zubrel.checked.effects import DealOut, Give, SetMark, TakeDealt
from zubrel.checked.frames import Frame, Site, bare
from zubrel.checked.resolve import Resolver
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import Area, Deal, Item
from zubrel.checked.world import Outcome, Rule

if TYPE_CHECKING:
    from random import Random


def deals(document: Document, resolver: Resolver) -> tuple[Deal, ...]:
    """What the start deals, problem by problem."""
    start = document.start
    made: list[Deal] = []
    dealt: set[str] = set()
    for entry in start.entries("deal") if start is not None else ():
        deal = _deal(entry, resolver)
        for item in deal.items:
            # a second deal would make two of an item of which there is one
            if item in dealt:
                message = f'"{item}" is dealt already'
                resolver.problems.add("defined-twice", message, entry.where("of"))
            dealt.add(item)
        made.append(deal)
    return tuple(made)


def _deal(entry: Entry, resolver: Resolver) -> Deal:
    problems = resolver.problems
    for field, example in (("of", "[some_item]"), ("over", "[some_area, another]")):
        if not entry.words(field):
            what = "which items" if field == "of" else "among which areas"
            hint = f"Add: {field}: {example}"
            problems.add("missing", f"a deal needs to say {what}", entry.where(field), hint)
    # without repetitions, so that what follows can go on after the problem
    items = tuple(dict.fromkeys(resolver.ids(entry.words("of"), "item")))
    areas = tuple(dict.fromkeys(resolver.ids(entry.words("over"), "area")))
    if len(items) < len(resolver.ids(entry.words("of"), "item")):
        message = "an item is dealt twice: of each there is one"
        problems.add("defined-twice", message, entry.where("of"))
    # one item a place, unless something else is said
    per_place = entry.number("per_place") or 1
    if areas and len(items) > len(areas) * per_place:
        message = (
            f"{len(items)} items do not fit into {len(areas)} areas, {per_place} at most in each"
        )
        hint = f"Name more areas, or write:  per_place: {-(-len(items) // len(areas))}"
        problems.add("bad-value", message, entry.where("over"), hint)
    return Deal(items, areas, per_place, entry.span)


def dealt_finds(document: Document, resolver: Resolver, items: dict[str, Item]) -> Iterator[Frame]:
    """What can be found where it was dealt: one rule for each item."""
    for entry in document.start.entries("deal") if document.start is not None else ():
        areas = tuple(dict.fromkeys(resolver.ids(entry.words("over"), "area")))
        for item in dict.fromkeys(resolver.ids(entry.words("of"), "item")):
            # one rule for all places: the player sees one move, wherever the item lies
            made = resolver.names.made["start", "dealt", item]
            here = Any(tuple(all_of(At(area), DealtAt(item, area)) for area in areas))
            yield Frame(
                made,
                "find",
                made,
                f"Take {items[item].name}",
                Site(areas),
                bare(entry.span),
                Implied((SetMark("taken", made), TakeDealt(item)), (), (Give(item, 1),)),
                (Not(Marked("taken", made)), here),
            )


def dealing(
    made: Sequence[Deal], resolver: Resolver, items: dict[str, Item], areas: dict[str, Area]
) -> tuple[Rule, ...]:
    """The moves of luck that deal, in the order in which the items are dealt."""
    return tuple(
        Rule(
            id=resolver.names.made["start", "deal", f"{item} {area}"],
            kind=RuleKind.DEAL,
            owner=item,
            common=resolver.names.made["start", "deal", f"{item} {area}"],
            label=f"{items[item].name} lies in {areas[area].name}",
            span=deal.span,
            # luck deals before there is any player anywhere
            areas=None,
            offered=ALWAYS,
            needs=ALWAYS,
            lock=None,
            once=(),
            outcomes=(Outcome(1, 1.0, (DealOut(item, area),)),),
        )
        for deal in made
        for item in deal.items
        for area in deal.areas
    )


def number_of_deals(made: Sequence[Deal]) -> int:
    """In how many ways everything can be dealt."""
    return prod(_ways(len(d.items), [d.per_place] * len(d.areas)) for d in made)


def fault_of(made: Sequence[Deal], places: Mapping[str, str]) -> str | None:
    """What is wrong with a deal, ids of items with those of areas; None where it can come up."""
    for deal in made:
        for item in deal.items:
            # what a script says is checked item by item, and then place by place
            area = places.get(item)
            if area is None:
                return f'it does not say where "{item}" lies'
            if area not in deal.areas:
                return f'"{item}" is not dealt to "{area}": {listing(deal.areas)}'
        for area in deal.areas:
            if sum(places[item] == area for item in deal.items) > deal.per_place:
                return f'"{area}" gets {deal.per_place} at most'
    dealt = {item for deal in made for item in deal.items}
    return next((f'"{item}" is not dealt' for item in places if item not in dealt), None)


def drawn(made: Sequence[Deal], luck: Random) -> dict[str, str]:
    """A deal, all of them alike likely: ids of items with those of areas."""
    places: dict[str, str] = {}
    for deal in made:
        # how many items still fit into each area
        left = dict.fromkeys(deal.areas, deal.per_place)
        for number, item in enumerate(deal.items, 1):
            # each area as often as there are ways to deal the others after it
            ways = []
            for area in deal.areas:
                room = [n - (other == area) for other, n in left.items()]
                ways.append(_ways(len(deal.items) - number, room) if left[area] else 0)
            area = _chosen(deal.areas, ways, luck)
            places[item] = area
            left[area] -= 1
    return places


def _chosen(areas: Sequence[str], ways: Sequence[int], luck: Random) -> str:
    """One of the areas, as likely as it has ways; exact for numbers of any size."""
    drawn_way = luck.randrange(sum(ways))
    for area, many in zip(areas, ways, strict=True):
        if drawn_way < many:
            return area
        drawn_way -= many
    raise AssertionError("fewer ways than were counted")


def _ways(items: int, room: Sequence[int]) -> int:
    """The ways to put different items into places that have room for so many each.

    Exponential generating functions: items! times the coefficient of x^items in the product of
    1 + x + ... + x^n / n! over the places.
    """
    from fractions import Fraction  # loaded where something is dealt

    # fractions are exact: chances that are rounded would favour some deals
    powers = [Fraction(1)]
    for most in room:
        one = [Fraction(1, factorial(n)) for n in range(min(most, items) + 1)]
        longer = [Fraction(0)] * min(items + 1, len(powers) + len(one) - 1)
        for (n, power), (k, term) in product(enumerate(powers), enumerate(one)):
            if n + k < len(longer):
                longer[n + k] += power * term
        powers = longer
    return int(powers[items] * factorial(items)) if len(powers) > items else 0
