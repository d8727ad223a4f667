"""Which ways cost as much on the way back?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.effects import Take, Wear
from zubrel.checked.world import Rule
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding


def _tolls(system: System) -> Iterator[Finding]:
    """Ways that go both ways with one body, and take or wear something each time."""
    world, by_way = system.world, dict[str, list[Rule]]()
    for rule in world.rules:
        if rule.kind == "way":
            by_way.setdefault(rule.owner, []).append(rule)
    for way, rules in by_way.items():
        # a way and its way back have ids of their own
        directions = {rule.common for rule in rules}
        costs = [list(_cost(system, rule)) for rule in rules]
        # where one alternative is free, nobody has to pay for the way back
        if len(directions) > 1 and all(costs):
            words = " and ".join(dict.fromkeys(costs[0]))
            message = f"{world.described(rules[0])} costs {words}, and so does the way back"
            yield Finding("two_way_toll", "note", way, message, rules[0].span)


def _cost(system: System, rule: Rule) -> Iterator[str]:
    for effect in rule.outcomes[0].effects:
        if isinstance(effect, Take):
            name = system.world.name_of(effect.item)
            yield name if effect.count == 1 else f"{effect.count} {name}"
        elif isinstance(effect, Wear):
            yield f"1 use of {system.world.name_of(effect.item)}"


TWO_WAY_TOLL = FileDetector("two_way_toll", _tolls)
"""`two_way_toll`: a way that takes or wears something goes both ways, at the same price."""
