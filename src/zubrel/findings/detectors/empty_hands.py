"""Which `loses` have nothing to remove?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked import keys
from zubrel.checked.effects import Give, Lose, Take
from zubrel.compiled.parts import Step
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


def empty_hands(judged: Judged) -> Iterator[Finding]:
    """`empty_hands`: a move with a `loses`, made by somebody who has nothing of it left."""
    system = judged.system
    translator = system.translator
    found: dict[str, Finding] = {}
    for step in system.steps:
        subject = step.rule.owner if step.rule.kind == "way" else step.rule.id
        for item, taken in _lost(step) if judged.asks(subject) else ():
            nothing = translator.comparison(keys.held(item), "=", taken)
            trace = judged.space.walks().shortest(
                judged.space.possible(step) & judged.space.where(nothing)
            )
            if trace is None:
                continue
            name = system.world.items[item].name
            message = f"{system.world.described(step.rule)} loses {name} that is not there"
            finding = Finding(
                "empty_hands", "warning", subject, message, step.rule.span, trace.then(step)
            )
            known = found.get(subject)
            if known is None or _length(finding) < _length(known):
                found[subject] = finding
    yield from found.values()


def _length(finding: Finding) -> int:
    return len(finding.trace.steps) if finding.trace else 0


def _lost(step: Step) -> Iterator[tuple[str, int]]:
    """The items that a step loses, with how many of each are taken before."""
    taken: dict[str, int] = {}
    given: set[str] = set()
    for effect in step.outcome.effects:
        match effect:
            case Take(item, count):
                taken[item] = taken.get(item, 0) + count
            case Give(item):
                given.add(item)
            case Lose(item) if item not in given:
                yield item, taken.get(item, 0)
                given.add(item)
