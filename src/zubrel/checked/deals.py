"""Items that lie somewhere else in each play: what is dealt, and the moves of luck that deal it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import product
from math import factorial, prod

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.checked.bodies import Implied
from zubrel.checked.conditions import ALWAYS, Any, At, DealtAt, all_of
from zubrel.checked.effects import DealOut, Give, SetMark, TakeDealt
from zubrel.checked.frames import Frame, Site, bare
from zubrel.checked.resolve import Resolver
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import Area, Deal, Item
from zubrel.checked.world import Outcome, Rule


def deals(document: Document, resolver: Resolver) -> tuple[Deal, ...]:
    """What the start deals, problem by problem."""
    start = document.start
    made: list[Deal] = []
    dealt: set[str] = set()
    for entry in start.entries("deal") if start is not None else ():
        deal = _deal(entry, resolver)
        for item in deal.items:
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
    items = tuple(dict.fromkeys(resolver.ids(entry.words("of"), "item")))
    areas = tuple(dict.fromkeys(resolver.ids(entry.words("over"), "area")))
    if len(items) < len(resolver.ids(entry.words("of"), "item")):
        message = "an item is dealt twice: of each there is one"
        problems.add("defined-twice", message, entry.where("of"))
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
                (here,),
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
    return prod(_ways(len(d.items), len(d.areas), d.per_place) for d in made)


def _ways(items: int, places: int, most: int) -> int:
    """The ways to put different items into different places, at most so many into each.

    Exponential generating function: items! times the coefficient of x^items in
    (1 + x + ... + x^most / most!)^places.
    """
    one = [Fraction(1, factorial(n)) for n in range(min(most, items) + 1)]
    powers = [Fraction(1)]
    for _ in range(places):
        longer = [Fraction(0)] * min(items + 1, len(powers) + len(one) - 1)
        for (n, power), (k, term) in product(enumerate(powers), enumerate(one)):
            if n + k < len(longer):
                longer[n + k] += power * term
        powers = longer
    return int(powers[items] * factorial(items)) if len(powers) > items else 0
