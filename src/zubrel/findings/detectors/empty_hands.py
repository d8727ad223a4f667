"""Which `loses` have nothing to remove?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.checked import keys
from zubrel.checked.effects import Give, Lose, Take
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


class _Loss(Question, frozen=True):
    """A step that loses an item, of which there is nothing where `nothing` holds."""

    item: str
    step: Step
    nothing: Formula


def _questions(system: System) -> Iterator[_Loss]:
    for step in system.player_steps:
        subject = step.rule.owner if step.rule.kind == "way" else step.rule.id
        # what the step has taken before is gone already: `loses` needs one more than that
        for item, taken in _lost(step):
            nothing = system.translator.comparison(keys.held(item), "=", taken)
            yield _Loss(
                subject=subject,
                formulas=(nothing,),
                steps=(step,),
                item=item,
                step=step,
                nothing=nothing,
            )


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


def _decide(judged: Judged[S], questions: Sequence[_Loss]) -> Iterator[Finding]:
    space, world = judged.space, judged.system.world
    for loss in questions:
        # possible, and nothing of it left at that moment
        trace = space.walks().shortest(space.possible(loss.step) & space.where(loss.nothing))
        if trace is not None:
            rule, name = loss.step.rule, world.items[loss.item].name
            message = f"{world.described(rule)} loses {name} that is not there"
            walk = trace.then(loss.step)
            yield Finding("empty_hands", "warning", loss.subject, message, rule.span, walk)


EMPTY_HANDS = SubjectDetector("empty_hands", _questions, _decide, whole=False)
"""`empty_hands`: a move with a `loses`, made by somebody who has nothing of it left."""
