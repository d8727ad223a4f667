"""Which ways are there twice?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.conditions import ALWAYS
from zubrel.checked.effects import MoveTo
from zubrel.checked.world import Rule
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding


def _double_ways(system: System) -> Iterator[Finding]:
    """Ways that lead the same way as another, of which one asks for nothing or both the same."""
    known: dict[tuple[str, str], list[Rule]] = {}
    mentioned: set[str] = set()
    world = system.world
    for rule in world.rules:
        # where luck decides, two ways between the same areas may be meant
        if rule.kind != "way" or len(rule.outcomes) > 1 or not rule.areas:
            continue
        ends = (rule.areas[0], str(rule.outcomes[0].destination))
        for other in known.setdefault(ends, []):
            # both directions of one way come from one entry of the file
            if other.span == rule.span or rule.owner in mentioned:
                continue
            # a way that asks for something beside another with other needs is a choice
            if _same(rule, other) or _plain(rule) or _plain(other):
                mentioned.add(rule.owner)
                words = "which asks for nothing" if _plain(other) else "which is the same"
                words = words if _same(rule, other) or _plain(other) else "which asks for more"
                message = f"{world.described(rule)} is there twice: see {other.span.place}, {words}"
                yield Finding("double_way", "warning", rule.owner, message, rule.span)
        known[ends].append(rule)


def _same(a: Rule, b: Rule) -> bool:
    def body(rule: Rule) -> tuple[object, ...]:
        return rule.needs, rule.lock, rule.outcomes[0].effects

    return body(a) == body(b)


def _plain(rule: Rule) -> bool:
    effects = rule.outcomes[0].effects
    return (
        rule.needs == ALWAYS and rule.lock is None and all(isinstance(e, MoveTo) for e in effects)
    )


DOUBLE_WAY = FileDetector("double_way", _double_ways)
"""`double_way`: ways that lead the same way as another and make it needless."""
