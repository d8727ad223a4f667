"""How many of an item can ever be held together, where the author does not say.

The bound is what the player begins with and what every source that works only once can add. It
is sound because each such source has a mark, and a mark is set at most once.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from zubrel.atoms.diagnostics import Problems
from zubrel.atoms.source import Span
from zubrel.checked.effects import Give, SetMark
from zubrel.checked.world import Happening, Item, Outcome, Rule


class Source(Struct, frozen=True):
    """One way to gain `count` of an item; `mark` is set with it, None: it can be used again."""

    item: str
    count: int
    mark: str | None
    rule: str
    span: Span


def bound_items(
    items: dict[str, Item],
    holding: Iterable[Give],
    rules: Iterable[Rule],
    happenings: Iterable[Happening],
    problems: Problems,
) -> dict[str, Item]:
    """Every item with its `most`; a problem for each that has neither a `max` nor a bound."""
    start: dict[str, int] = defaultdict(int)
    for give in holding:
        start[give.item] += give.count
    sources: dict[str, list[Source]] = defaultdict(list)
    for source in _sources(rules, happenings):
        sources[source.item].append(source)
    bounded = {}
    for item in items.values():
        bounded[item.id] = _bounded(item, start[item.id], sources[item.id], problems)
    return bounded


def _sources(rules: Iterable[Rule], happenings: Iterable[Happening]) -> Iterator[Source]:
    for rule in rules:
        for outcome in rule.outcomes:
            yield from _of_outcome(outcome, rule.id, rule.span)
    for happening in happenings:
        yield from _of_outcome(happening.outcome, happening.id, happening.span)


def _of_outcome(outcome: Outcome, rule: str, span: Span) -> Iterator[Source]:
    marks = [e for e in outcome.effects if isinstance(e, SetMark)]
    mark = f"{marks[0].kind} {marks[0].subject}" if marks else None
    counts: dict[str, int] = defaultdict(int)
    for effect in outcome.effects:
        if isinstance(effect, Give):
            counts[effect.item] += effect.count
    for item, count in counts.items():
        yield Source(item, count, mark, rule, span)


def _bounded(item: Item, start: int, sources: list[Source], problems: Problems) -> Item:
    if item.bound_given:
        if start > item.most:
            message = f'the player starts with {start} of "{item.id}", but its max is {item.most}'
            problems.add("bad-value", message, item.span)
        return item
    endless = [s for s in sources if s.mark is None]
    if endless:
        rules = list(dict.fromkeys(s.rule for s in endless))
        known = f'"{rules[0]}"' if len(rules) == 1 else ", ".join(f'"{r}"' for r in rules[:4])
        problems.add(
            "no-bound",
            f'"{item.id}" can be gained without end, by {known}',
            item.span,
            f"Say how many can be held:  {item.id}: {{max: {_round_up(endless)}}}",
            (("this can be done again and again", endless[0].span),),
        )
        return item
    most_of: dict[str | None, int] = defaultdict(int)
    for source in sources:
        most_of[source.mark] = max(most_of[source.mark], source.count)
    return replace(item, most=start + sum(most_of.values()))


def _round_up(sources: list[Source]) -> int:
    return max(9, 3 * max(s.count for s in sources))
