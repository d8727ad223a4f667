"""Is what the author promises true of every play?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.checked.things import Promise
from zubrel.compiled.formulas import Formula, opposite
from zubrel.compiled.system import System
from zubrel.explored.space import S, Trace
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, ending_formula

Broken = tuple[str, Trace | None] | None
"""What is wrong, with the shortest play that shows it; None: it is kept, as far as seen."""


class Promised(Question, frozen=True):
    """What has to be known of a promise: whether its formulas hold, in their order."""

    promise: Promise


def _questions(system: System) -> Iterator[Promised]:
    for promise in system.world.promises:
        # one formula for each condition, and the ending last: `_broken` takes them in that order
        formulas = [system.formula(condition) for condition in promise.conditions]
        if promise.ending is not None:
            formulas.append(ending_formula(system, promise.ending))
        yield Promised(
            subject=promise.id,
            formulas=tuple(formulas),
            # lengths cannot be told where moves were left out: such a question needs the whole
            # world
            counts_moves=promise.kind == "within",
            promise=promise,
        )


def _decide(judged: Judged[S], questions: Sequence[Promised]) -> Iterator[Finding]:
    """What a cut search cannot say stays out."""
    for question in questions:
        promise = question.promise
        broken = _broken(judged, promise, question.formulas)
        # a promise that holds, and one that a cut search has not broken, say nothing
        if broken is not None:
            words, trace = broken
            yield Finding(
                kind="broken_promise",
                severity="error",
                subject=promise.id,
                message=f"the promise “{promise.kind.replace('_', ' ')}” is broken: {words}",
                span=promise.span,
                trace=trace,
                because=promise.because,
            )


def _broken(judged: Judged[S], promise: Promise, formulas: Sequence[Formula]) -> Broken:
    # each kind is broken by another shape of play
    match promise.kind:
        case "never":
            return _seen(judged, formulas[0], "it holds after these moves")
        case "always":
            return _seen(judged, opposite(formulas[0]), "it does not hold after these moves")
        case "possible":
            return _unreached(judged, formulas[0])
        case "stays_possible":
            return _given_up(judged, formulas[0])
        case "before":
            return _too_soon(judged, *formulas)
    return _too_late(judged, formulas[0], promise.steps)


def _seen(judged: Judged[S], formula: Formula, words: str) -> Broken:
    trace = judged.space.walks().shortest(judged.space.where(formula))
    return None if trace is None else (words, trace)


def _unreached(judged: Judged[S], formula: Formula) -> Broken:
    if not judged.complete or judged.space.where(formula):
        return None
    return "no play ever reaches it", None


def _given_up(judged: Judged[S], formula: Formula) -> Broken:
    space = judged.space
    (able,) = space.reaching([space.where(formula) | space.unexplored])
    trace = space.walks().shortest(space.everything - able - judged.ended)
    return None if trace is None else ("after these moves it can never be reached", trace)


def _too_soon(judged: Judged[S], first: Formula, second: Formula) -> Broken:
    space = judged.space
    trace = space.walks(space.where(first)).shortest(space.where(second))
    return None if trace is None else ("the second holds before the first ever did", trace)


def _too_late(judged: Judged[S], formula: Formula, most: int) -> Broken:
    space = judged.space
    walks, target = space.walks(), space.where(formula)
    trace = walks.shortest(target)
    if trace is None:
        return ("no play ever reaches it", None) if judged.complete else None
    if space.spelled_out(trace).moves > most and not trace.shortest:
        trace = walks.shortest(target, surely=True) or trace
    length = space.spelled_out(trace).moves
    # breadth-first: a shortest play that is known is shortest, even after a cut search; of a sample
    # it is not
    known = trace.shortest or judged.complete
    return None if length <= most or not known else (f"it takes {length} moves", trace)


BROKEN_PROMISES = SubjectDetector("broken_promise", _questions, _decide, whole=False)
"""`broken_promise`, one for each promise that fails."""
