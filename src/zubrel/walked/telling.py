"""What the player is told: the texts of a world that apply in a situation."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.checked.conditions import At, LockOpen
from zubrel.checked.keys import PLACE
from zubrel.checked.world import Outcome, Rule, Said
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
    texts = [t for says in outcome.says if (t := text_that_applies(walker, says, at))]
    return " ".join(texts) if texts else None


def area_text(walker: Walker, at: Situation) -> str | None:
    """What the player reads where they stand."""
    return text_that_applies(walker, walker.world.areas[str(at[PLACE])].says, at)


def refusal(walker: Walker, rule: Rule, at: Situation) -> str | None:
    """What the player is told when a rule is refused, or None.

    By its lock, while that is shut; by itself; or by the area where it leads and may not.
    """
    world = walker.world
    lock = rule.owner if rule.kind == "lock" else rule.lock
    if lock is not None and not walker.holds(LockOpen(lock), at):
        return text_that_applies(walker, world.locks[lock].refuses, at)
    if walker.possible(rule, at):
        return None
    own = text_that_applies(walker, rule.refuses, at)
    if own is not None:
        return own
    for outcome in rule.outcomes:
        there = outcome.destination
        if there is not None and not walker.holds(At(there), at):
            area = world.areas[there]
            if not walker.holds(area.needs, at):
                return text_that_applies(walker, area.refuses, at)
    return None
