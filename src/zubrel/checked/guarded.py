"""What conditions tell about how often something can be gained, and how much is held then.

Nobody writes `max: 1` where an owl is only caught by who has none, or `once: true` where the debt
is paid as soon as the letter is given. Both are read off single parts of conditions that have to
hold: what they leave open counts as possible.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from zubrel.checked.conditions import Cond, FactIs, Holds, Not, conjuncts
from zubrel.checked.effects import Effect, SetFact, StepFact, Toggle
from zubrel.checked.world import World


class Guards:
    """Reads conditions of one world."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.set_to: dict[str, set[int]] = defaultdict(set)
        """The values that each fact may come to have after the start."""
        for effect in world.effects:
            match effect:
                case SetFact(fact, value):
                    self.set_to[fact].add(value)
                case Toggle(fact) | StepFact(fact):
                    self.set_to[fact].update(range(len(world.facts[fact].values)))

    def once(self, condition: Cond, outcomes: Sequence[Sequence[Effect]]) -> str | None:
        """A name for what works once, all that have it together; None: nothing tells that.

        It asks for values of a fact to which nothing ever comes back, and sets another one.
        """
        for fact, allowed in self._facts_asked(condition).items():
            if allowed & self.set_to[fact]:
                continue
            # what has several changes of it in one outcome is set in the end by the last
            if all(any(isinstance(e, SetFact) and e.fact == fact for e in o) for o in outcomes):
                return f"fact {fact} {sorted(allowed)}"
        return None

    def _facts_asked(self, condition: Cond) -> dict[str, set[int]]:
        """The values that parts of a condition allow of single facts."""
        allowed: dict[str, set[int]] = {}
        for part in conjuncts(condition):
            match part:
                case FactIs(fact, value):
                    values = {value}
                case Not(FactIs(fact, value)):
                    # all but one value: a fact of two values is decided by that as well
                    values = set(range(len(self.world.facts[fact].values))) - {value}
                case _:
                    continue
            allowed[fact] = allowed.get(fact, values) & values
        return allowed


def most_before(condition: Cond, item: str) -> int | None:
    """The most that is held of an item where a condition holds; None: it sets no end to it."""
    # only parts that all have to hold bound anything: a choice may be made the other way
    most: int | None = None
    for part in conjuncts(condition):
        match part:
            case Holds(i, "<", number) | Not(Holds(i, ">=", number)) if i == item:
                limit = number - 1
            case Holds(i, "<=" | "=", number) | Not(Holds(i, ">", number)) if i == item:
                limit = number
            case _:
                continue
        most = limit if most is None else min(most, limit)
    return most
