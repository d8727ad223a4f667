"""Walking a trace again with the interpreter, which shares no code with the search."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct

from zubrel.checked.world import Outcome, Rule
from zubrel.compiled.parts import Step
from zubrel.explored.space import Trace
from zubrel.findings.judged import AnySpace
from zubrel.reasoned.reasons import Made
from zubrel.walked.changing import Situation
from zubrel.walked.telling import outcome_text
from zubrel.walked.walker import Walker


class Mismatch(Exception):
    """Search and interpreter disagree: a defect of this program, never of a world."""


class Walked(Struct, frozen=True):
    """One step of a walk, with the situations before and after it, and what it says."""

    rule: Rule
    outcome: Outcome
    before: Situation
    after: Situation
    says: str | None


def replay(walker: Walker, space: AnySpace, trace: Trace) -> tuple[Walked, ...]:
    """The trace step by step. Raises `Mismatch` when the world does not allow it."""
    trace = space.spelled_out(trace)
    walked = walked_along(walker, trace.steps)
    _compare_end(space, trace, walked[-1].after if walked else walker.start())
    return walked


def walked_along(walker: Walker, steps: Sequence[Step]) -> tuple[Walked, ...]:
    """Steps from the start on. Raises `Mismatch` when the world does not allow one of them."""
    here = walker.start()
    walked = []
    for number, step in enumerate(steps, 1):
        results = {r.outcome.number: r for r in walker.results(step.rule, here)}
        # by the number of the outcome: what luck picked is part of the play
        result = results.get(step.outcome.number)
        if result is None:
            raise Mismatch(f"move {number}, {step.rule.id}, is not possible in the world itself")
        says = outcome_text(walker, step.outcome, here)
        walked.append(Walked(step.rule, step.outcome, here, result.situation, says))
        here = result.situation
    return tuple(walked)


def made_along(walked: Iterable[Walked]) -> list[Made]:
    """The moves of a walk, as reasons ask about them."""
    return [(step.rule, step.before, step.after) for step in walked]


def _compare_end(space: AnySpace, trace: Trace, here: Situation) -> None:
    if space.merged:
        return  # what is known of the last situation is not the whole of it
    (reached,) = space.examples(space.at_end_of(trace), 1)
    if reached != dict(here):
        different = sorted(" ".join(k) for k in here if reached.get(k) != here[k])
        raise Mismatch(f"after {trace.moves} moves these differ: {', '.join(different)}")
