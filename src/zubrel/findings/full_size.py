"""Findings on worlds of which nobody can list the situations, nor hold all of them as sets.

The verdict and the moves that doom come from one reduced system. What can be missed, and what is
never reached, is asked in batches, each of a reduced system that keeps what its questions are
about. What a batch does not answer in its time is halved, and at last named as undecided.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.compiled.formulas import Formula
from zubrel.compiled.system import Step, System
from zubrel.explored.lens import Lens, look
from zubrel.explored.space import LimitReached, NotAsked
from zubrel.findings.finding import Finding
from zubrel.findings.kinds import KINDS
from zubrel.findings.lints import lints
from zubrel.findings.missable import Subject, missable_among, missable_of, subjects
from zubrel.findings.offers import Offer, Offers
from zubrel.findings.promises import broken_promises
from zubrel.findings.skippable import unused
from zubrel.findings.softlocks import softlocks
from zubrel.findings.unreachable import unreachable
from zubrel.findings.unwinnable import unwinnable
from zubrel.findings.verdict import AnySpace, Judged, judge

BATCH, QUESTS = 48, 6
"""Questions that are asked of one reduced system; a quest has a long tail of variables."""
CHUNK = 16
"""Subjects of which the first lens is asked at once whether they can be missed."""
PATIENCE = 40.0
"""Seconds that a batch may take before it is halved."""
ENOUGH = 300.0
"""Seconds after which no more batches are begun."""
DECIDED = (
    "unwinnable", "softlock", "bad_luck", "missable", "unreachable", "broken_promise",
    "unused", "double_way", "constant", "lone_either", "near_ids",
)  # fmt: skip
"""The kinds that are looked for; with the others nobody has asked reduced systems yet."""


class FullSize(Struct, frozen=True):
    """What was found, and what stays undecided: pairs of a kind and a subject ('' for the kind)."""

    judged: Judged
    findings: tuple[Finding, ...]
    undecided: tuple[tuple[str, str], ...]


def full_size(lens: Lens, budget: Budget, progress: Progress) -> FullSize:
    """All that can be said about a world through reduced systems; `lens` asks only for the end."""
    judged = judge(cast(AnySpace, lens))
    if not judged.complete:
        return FullSize(judged, (), ())
    progress.stage("looking for trouble")
    doomed = [replace(_spelled_out(lens, f), doomed=f.doomed) for f in softlocks(judged)]
    found = [*unwinnable(judged), *doomed, *unused(judged), *lints(judged)]
    work = _Work(lens, judged, budget, progress)
    found += work.promises()
    found += work.missable_and_unreachable()
    lens.inner.pause = lambda: None  # what is left is to tell of what was found
    others = [(kind.slug, "") for kind in KINDS.values() if kind.slug not in DECIDED]
    undecided = [*work.undecided, *others]
    return FullSize(judged, tuple(found), tuple(undecided))


def _spelled_out(lens: Lens, finding: Finding) -> Finding:
    """The finding with plays of the whole world; `doomed` is of this lens only."""
    trace = finding.trace and lens.spelled_out(finding.trace)
    closings = tuple(replace(c, trace=lens.spelled_out(c.trace)) for c in finding.closings)
    return replace(finding, trace=trace, closings=closings, situations=None, doomed=None)


class _Work:
    def __init__(self, lens: Lens, judged: Judged, budget: Budget, progress: Progress) -> None:
        self.lens = lens
        self.system = lens.system
        self.judged = judged
        self.budget = budget
        self.progress = progress
        woven = {o.number for openings in lens.reduced.woven.values() for o in openings}
        self.acting = woven | {s.number for m in lens.acting for s in m.steps}
        self.until = budget.seconds() + ENOUGH
        self.undecided: list[tuple[str, str]] = []

    def promises(self) -> Iterator[Finding]:
        """`broken_promise`, each through a lens of its own."""
        for promise in self.system.world.promises:
            if promise.kind == "within":  # counts moves, which reductions do not keep
                self.undecided.append(("broken_promise", promise.id))
                continue
            world = replace(self.system.world, promises=(promise,))
            system = replace(self.system, world=world)
            questions = _Questions(system)
            list(broken_promises(questions.judged))
            lens = self._lens(system, list(questions.asked))
            if lens is None:
                self.undecided.append(("broken_promise", promise.id))
            else:
                yield from (_spelled_out(lens, f)
                            for f in broken_promises(judge(cast(AnySpace, lens))))  # fmt: skip

    def _lens(self, system: System, asked: Sequence[Formula]) -> Lens | None:
        """A lens for some formulas; None when its time was up."""
        left = self.budget.seconds() + PATIENCE
        limits = self.budget.limits
        seconds = left if limits.seconds is None else min(left, limits.seconds)
        budget = Budget(replace(limits, seconds=seconds, situations=None))
        budget.started = self.budget.started
        lens = look(system, asked, budget, self.progress)
        return lens if lens.stopped is None else None

    def missable_and_unreachable(self) -> Iterator[Finding]:
        questions = _Questions(self.system)
        for questions.answer in (True, False):  # either answer may lead to other questions
            list(unreachable(questions.judged))
        things = list(subjects(self.judged))
        asked = list(dict.fromkeys([*(s.had for s in things), *questions.asked]))
        known: dict[Formula, bool] = {}
        by_formula = {s.had: s for s in things}
        missed = self._through_the_first_lens(asked, by_formula, known)
        left = [f for f in asked if f not in known]
        long = [f for f in left if f in by_formula and by_formula[f].id in self.system.world.quests]
        short = [f for f in left if f not in long]
        for some, size in ((short, BATCH), (long, QUESTS)):
            for batch in (some[n : n + size] for n in range(0, len(some), size)):
                missed += self._batch(batch, by_formula, known)
        yield from missed
        yield from unreachable(_Answers(self.system, known).judged)
        if len(known) < len(asked):
            self.undecided.append(("unreachable", f"{len(asked) - len(known)} questions"))

    def _through_the_first_lens(
        self, asked: Sequence[Formula], by_formula: dict[Formula, Subject],
        known: dict[Formula, bool],
    ) -> list[Finding]:  # fmt: skip
        """What can be answered without another lens."""
        offers = Offers(self.system)
        nothing = self.lens.everything - self.lens.everything
        every: list[tuple[Subject, Any, Any]] = []
        for formula in asked:
            subject = by_formula.get(formula)
            there, has = self._where(formula), None
            if subject and subject.ever is not None and self._where(subject.ever) is None:
                there = None
            if there is not None:
                has = there
            else:
                offer = offers.of(formula)
                if offer is not None and self._declines(offer):
                    there, has = self._where(offer.where), nothing
                    subject = subject and replace(subject, lasting=True)
            if there is not None:
                known[formula] = bool(there)
                every += [(subject, has, there)] if subject else []
        found: list[Finding] = []
        self.budget.until = self.until
        for first in range(0, len(every), CHUNK):
            some = every[first : first + CHUNK]
            try:
                if (words := self.budget.spent_by(0)) is not None:
                    raise LimitReached(words)
                told = missable_among(self.judged, some)
                found += [_spelled_out(self.lens, f) for f in told]
            except (LimitReached, MemoryError):
                self.undecided += [("missable", subject.id) for subject, _, _ in some]
        self.budget.until = None
        return found

    def _where(self, formula: Formula) -> Any | None:
        try:
            return self.lens.where(formula)
        except NotAsked:
            return None

    def _declines(self, offer: Offer) -> bool:
        """None of the moves of an offer has any bearing on the end of the game."""
        return not any(s.number in self.acting for m in offer.moves for s in m.steps)

    def _batch(
        self, batch: Sequence[Formula], by_formula: dict[Formula, Subject],
        known: dict[Formula, bool],
    ) -> list[Finding]:  # fmt: skip
        if self.budget.spent_by(0) is None and self.budget.seconds() < self.until:
            try:
                things = [by_formula[f] for f in batch if f in by_formula]
                ever = [s.ever for s in things if s.ever is not None]
                lens = self._lens(self.system, [*batch, *ever])
                if lens is not None:
                    answers = {f: lens.some(f) for f in batch}
                    found = []
                    if things:
                        judged = judge(cast(AnySpace, lens))
                        found = [_spelled_out(lens, f) for f in missable_of(judged, things)]
                    known |= answers
                    return found
            except (LimitReached, MemoryError):
                pass
            if len(batch) > 1:
                half = len(batch) // 2
                return [
                    finding for part in (batch[:half], batch[half:])
                    for finding in self._batch(part, by_formula, known)
                ]  # fmt: skip
        self.undecided += [("missable", by_formula[f].id) for f in batch if f in by_formula]
        return []


class _Nowhere:
    """An empty set that stays empty."""

    def __and__(self, other: Any) -> _Nowhere:
        return self

    __or__ = __sub__ = __and__

    def __bool__(self) -> bool:
        return False


_NOWHERE = _Nowhere()


class _Questions:
    """Stands in for a space, and remembers which formulas it is asked about."""

    stopped = None
    merged = True

    def __init__(self, system: System) -> None:
        self.system = system
        self.judged = Judged(cast(AnySpace, self), "", *[_NOWHERE] * 4)
        self.answer = True
        self.asked: dict[Formula, None] = {}

    def some(self, formula: Formula) -> bool:
        self.asked[formula] = None
        return self.answer

    def where(self, formula: Formula) -> _Nowhere:
        self.asked[formula] = None
        return _NOWHERE

    def possible(self, step: Step) -> _Nowhere:
        return _NOWHERE

    def reaching(self, targets: Sequence[Any]) -> list[_Nowhere]:
        return [_NOWHERE for _ in targets]

    @property
    def everything(self) -> _Nowhere:
        return _NOWHERE

    unexplored = everything

    def walks(self, avoiding: object = None) -> _Questions:
        return self

    def shortest(self, target: object) -> None:
        return None


class _Answers(_Questions):
    """Stands in for a space in which it is known whether formulas ever hold; else they may."""

    def __init__(self, system: System, known: dict[Formula, bool]) -> None:
        super().__init__(system)
        self.known = known

    def some(self, formula: Formula) -> bool:
        return self.known.get(formula, True)
