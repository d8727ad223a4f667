"""What the player is told: the texts of a world that apply in a situation."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zubrel.checked.conditions import At, LockOpen
from zubrel.checked.keys import PLACE, held
from zubrel.checked.things import Item, Said, Shop
from zubrel.checked.world import Outcome, Rule
from zubrel.walked.changing import Situation
from zubrel.walked.walker import Walker


def text_that_applies(walker: Walker, texts: Sequence[Said], at: Situation) -> str | None:
    """The first of some texts whose condition holds, and all that is told beside it."""
    applying = [said for said in texts if walker.holds(said.when, at)]
    first = next((said for said in applying if not said.also), None)
    shown = [said.text for said in applying if said.also or said is first]
    return " ".join(shown) if shown else None


def outcome_text(walker: Walker, outcome: Outcome, at: Situation) -> str | None:
    """What a rule says with one of its outcomes, judged in the situation before the move."""
    return _together(text_that_applies(walker, says, at) for says in outcome.says)


def area_text(walker: Walker, at: Situation) -> str | None:
    """What the player reads where they stand: the text of the area, and of the shops there."""
    area = walker.world.areas[str(at[PLACE])]
    lists = [area.says, *(shop.greets for shop in _open_shops(walker, at))]
    return _together(text_that_applies(walker, texts, at) for texts in lists)


def farewell(walker: Walker, before: Situation, after: Situation) -> str | None:
    """What shops tell the player who has left them."""
    if before[PLACE] == after[PLACE]:
        return None
    shops = _open_shops(walker, before)
    return _together(text_that_applies(walker, shop.farewell, before) for shop in shops)


def _open_shops(walker: Walker, at: Situation) -> Iterator[Shop]:
    for shop in walker.world.shops.values():
        here = shop.areas is None or at[PLACE] in shop.areas
        if here and walker.holds(shop.is_open, at):
            yield shop


def _together(texts: Iterable[str | None]) -> str | None:
    told = [text for text in texts if text]
    return " ".join(told) if told else None


def is_hidden(walker: Walker, rule: Rule, at: Situation) -> bool:
    """Whether a rule is not shown to the player."""
    return rule.hidden and not walker.holds(rule.needs, at)


def item_text(walker: Walker, item: Item, at: Situation) -> str | None:
    """What the player reads who looks at an item that is held."""
    return text_that_applies(walker, item.says, at) if at[held(item.id)] else None


def refusal(walker: Walker, rule: Rule, at: Situation) -> str | None:
    """What the player is told when a rule is refused, or None.

    By its lock, while that is shut; by itself; or by the area where it leads and may not.
    """
    world = walker.world
    # a shut lock speaks first: whoever stands before it gets no further
    lock = rule.owner if rule.kind == "lock" else rule.lock
    if lock is not None and not walker.holds(LockOpen(lock), at):
        return text_that_applies(walker, world.locks[lock].refuses, at)
    if walker.possible(rule, at) or is_hidden(walker, rule, at):
        return None
    own = text_that_applies(walker, rule.refuses, at)
    if own is not None:
        return own
    # at last the area, where the move would lead
    for outcome in rule.outcomes:
        there = outcome.destination
        if there is not None and not walker.holds(At(there), at):
            area = world.areas[there]
            if not walker.holds(area.needs, at):
                return text_that_applies(walker, area.refuses, at)
    return None
