"""Which alternatives leave nothing to pick?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.world import Rule
from zubrel.compiled.system import System
from zubrel.findings.detector import FileDetector
from zubrel.findings.finding import Finding


def _lone_eithers(system: System) -> Iterator[Finding]:
    alike: dict[str, list[Rule]] = {}
    for rule in system.world.rules:
        alike.setdefault(rule.common, []).append(rule)
    for common, rules in alike.items():
        # alternatives have numbers behind the id that they have in common
        if len(rules) == 1 and rules[0].id != common:
            message = f"the “either” of {common} has only one entry, so there is nothing to pick"
            yield Finding("lone_either", "note", common, message, rules[0].span)


LONE_EITHER = FileDetector("lone_either", _lone_eithers)
"""`lone_either`: an “either” with a single entry."""
