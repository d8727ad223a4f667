"""Is what the author promises true of every play?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.world import Promise
from zubrel.compiled.formulas import Formula, opposite
from zubrel.explored.space import Trace
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, ending_formula


def broken_promises(judged: Judged) -> Iterator[Finding]:
    """`broken_promise`, one for each promise that fails; what a cut search cannot say stays out."""
    for promise in judged.system.world.promises:
        if not judged.asks(promise.id):
            continue
        broken = _Test(judged, promise).broken()
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


class _Test:
    def __init__(self, judged: Judged, promise: Promise) -> None:
        self.judged = judged
        self.space = judged.space
        self.promise = promise
        system = judged.system
        translator = system.translator
        self.formulas = [translator.formula(c) for c in promise.conditions]

    def broken(self) -> tuple[str, Trace | None] | None:
        """What is wrong, with the shortest play that shows it; None: it is kept, as far as seen."""
        match self.promise.kind:
            case "never":
                return self._seen(self.formulas[0], "it holds after these moves")
            case "always":
                return self._seen(opposite(self.formulas[0]), "it does not hold after these moves")
            case "possible":
                return self._unreached(self.formulas[0])
            case "stays_possible":
                return self._given_up(self.formulas[0])
            case "before":
                return self._too_soon()
        return self._too_late()

    def _seen(self, formula: Formula, words: str) -> tuple[str, Trace | None] | None:
        trace = self.space.walks().shortest(self.space.where(formula))
        return None if trace is None else (words, trace)

    def _unreached(self, formula: Formula) -> tuple[str, Trace | None] | None:
        if not self.judged.complete or self.space.where(formula):
            return None
        return "no play ever reaches it", None

    def _given_up(self, formula: Formula) -> tuple[str, Trace | None] | None:
        held = self.space.where(formula) | self.space.unexplored
        (able,) = self.space.reaching([held])
        lost = self.space.everything - able - self.judged.ended
        trace = self.space.walks().shortest(lost)
        return None if trace is None else ("after these moves it can never be reached", trace)

    def _too_soon(self) -> tuple[str, Trace | None] | None:
        first, second = (self.space.where(f) for f in self.formulas)
        trace = self.space.walks(first).shortest(second)
        return None if trace is None else ("the second holds before the first ever did", trace)

    def _too_late(self) -> tuple[str, Trace | None] | None:
        ending = self.promise.ending
        formula = self.formulas[0] if ending is None else ending_formula(self.judged.system, ending)
        walks, target = self.space.walks(), self.space.where(formula)
        trace = walks.shortest(target)
        if trace is None:
            return ("no play ever reaches it", None) if self.judged.complete else None
        if len(self.space.spelled_out(trace).steps) > self.promise.steps and not trace.shortest:
            trace = walks.shortest(target, surely=True) or trace
        length = len(self.space.spelled_out(trace).steps)
        # breadth-first: a shortest play that is known is shortest, even after a cut search
        return None if length <= self.promise.steps else (f"it takes {length} moves", trace)
