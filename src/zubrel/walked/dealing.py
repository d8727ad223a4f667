"""The moves of luck with which a play begins whose items are dealt."""

from __future__ import annotations

from zubrel.checked import keys
from zubrel.checked.effects import DealOut
from zubrel.checked.keys import NOWHERE
from zubrel.checked.world import Rule, World
from zubrel.walked.changing import Situation


def may_deal(world: World, rule: Rule, at: Situation) -> bool:
    """Items are dealt in their order, and not more of them to an area than it gets."""
    (dealt,) = rule.outcomes[0].effects
    assert isinstance(dealt, DealOut)
    for deal in world.deals:
        known = [at[keys.dealt(item)] for item in deal.items]
        if NOWHERE in known:  # the first item of which it is not known yet is the next
            next_one = deal.items[known.index(NOWHERE)]
            return next_one == dealt.item and known.count(dealt.area) < deal.per_place
    return False
