"""Findings on worlds of which nobody can list the situations, nor hold all of them as sets.

The verdict and the moves that doom come from one reduced system. What can be missed, and what is
never reached, is asked in batches, each of a reduced system that keeps what its questions are
about. What a batch does not answer in its time is halved, and at last named as undecided.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, TypeVar, cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.atoms.budget import Budget
from zubrel.atoms.progress import Progress
from zubrel.compiled.formulas import Formula, variables_in
from zubrel.compiled.system import System
from zubrel.explored.lens import Lens, look
from zubrel.explored.space import LimitReached, NotAsked
from zubrel.findings.empty_hands import empty_hands
from zubrel.findings.endless import endless
from zubrel.findings.finding import Finding
from zubrel.findings.gates import exact_count, no_gate
from zubrel.findings.inquiries import Answers, Detector, Inquiry, Questions, inquiries
from zubrel.findings.lints import lints
from zubrel.findings.luck import luck_needed
from zubrel.findings.missable import Subject, missable_among, missable_of, subjects
from zubrel.findings.offers import Offer, Offers
from zubrel.findings.promises import broken_promises
from zubrel.findings.skippable import skippable, unused
from zubrel.findings.softlocks import softlocks
from zubrel.findings.surplus import swallowed, wasted_use
from zubrel.findings.texts import silent, unheard
from zubrel.findings.too_early import too_early
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
ONE_BY_ONE: tuple[Detector, ...] = (
    too_early, no_gate, exact_count, swallowed, empty_hands, wasted_use, endless, silent, unheard,
    skippable,
)  # fmt: skip
"""Detectors whose subjects have nothing to do with each other. They are named like their kinds."""
T = TypeVar("T")


class FullSize(Struct, frozen=True):
    """What was found, and what stays undecided: pairs of a kind and a subject."""

    judged: Judged
    findings: tuple[Finding, ...]
    undecided: tuple[tuple[str, str], ...]


def full_size(lens: Lens, budget: Budget, progress: Progress) -> FullSize:
    """All that can be said about a world through reduced systems; `lens` asks only for the end."""
    judged = judge(cast(AnySpace, lens))
    if not judged.complete:
        return FullSize(judged, (), ())
    progress.stage("looking for trouble")
    doomed = [_spelled_out(lens, f) for f in softlocks(judged)]
    lucky = [_spelled_out(lens, f) for f in luck_needed(judged)]
    found = [*unwinnable(judged), *doomed, *lucky, *unused(judged), *lints(judged)]
    work = _Work(lens, judged, budget, progress)
    found += work.promises()
    found += work.missable_and_unreachable()
    found += work.one_by_one()
    lens.inner.pause = lambda: None  # what is left is to tell of what was found
    return FullSize(judged, tuple(found), tuple(dict.fromkeys(work.undecided)))


def look_within(
    seconds: float, system: System, asked: Sequence[Formula], budget: Budget, progress: Progress
) -> Lens | None:
    """A lens for some formulas, to be made and used within some seconds; None: not in time."""
    left, limits = budget.seconds() + seconds, budget.limits
    own = Budget(replace(
        limits, seconds=left if limits.seconds is None else min(left, limits.seconds),
        situations=None,
    ))  # fmt: skip
    own.started = budget.started
    lens = look(system, asked, own, progress)
    return lens if lens.stopped is None else None


def _spelled_out(lens: Lens, finding: Finding) -> Finding:
    """The finding with plays of the whole world."""
    trace = finding.trace and lens.spelled_out(finding.trace)
    closings = tuple(replace(c, trace=lens.spelled_out(c.trace)) for c in finding.closings)
    return replace(finding, trace=trace, closings=closings, situations=None)


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
            questions = Questions(system)
            list(broken_promises(questions.judged))
            lens = self._lens(system, list(questions.asked))
            if lens is None:
                self.undecided.append(("broken_promise", promise.id))
            else:
                yield from (_spelled_out(lens, f)
                            for f in broken_promises(judge(cast(AnySpace, lens))))  # fmt: skip

    def _lens(self, system: System, asked: Sequence[Formula]) -> Lens | None:
        """A lens for some formulas; None when its time was up."""
        return look_within(PATIENCE, system, asked, self.budget, self.progress)

    def missable_and_unreachable(self) -> Iterator[Finding]:
        questions = Questions(self.system)
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

        def asked_of(batch: Sequence[Formula]) -> list[Formula]:
            things = [by_formula[f] for f in batch if f in by_formula]
            return [*batch, *(s.ever for s in things if s.ever is not None)]

        def told(lens: Lens, batch: Sequence[Formula]) -> list[Finding]:
            answers = {f: lens.some(f) for f in batch}
            things = [by_formula[f] for f in batch if f in by_formula]
            found = list(missable_of(judge(cast(AnySpace, lens)), things)) if things else []
            known.update(answers)
            return found

        def left_open(batch: Sequence[Formula]) -> None:
            things = [by_formula[f] for f in batch if f in by_formula]
            self.undecided += [("missable", s.id) for s in things]

        for some, size in ((short, BATCH), (long, QUESTS)):
            missed += self._in_batches(some, size, asked_of, told, left_open)
        yield from missed
        never = list(unreachable(Answers(self.system, known, True).judged))
        yield from never
        surely = {f.subject for f in never}
        perhaps = unreachable(Answers(self.system, known, False).judged)
        self.undecided += [(f.kind, f.subject) for f in perhaps if f.subject not in surely]

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

    def one_by_one(self) -> Iterable[Finding]:
        """What detectors say whose subjects have nothing to do with each other."""
        every = [(d, i) for d in ONE_BY_ONE for i in inquiries(self.system, d)
                 if i.formulas or i.steps]  # fmt: skip
        asked = {id(i): i.asked(self.system) for _, i in every}
        first = [p for p in every if self.lens.answers(asked[id(p[1])], p[1].steps.values())]
        shown = {id(i) for _, i in first}
        others = [pair for pair in every if id(pair[1]) not in shown]
        # what asks about the same things is asked together
        others.sort(key=lambda pair: max(variables_in(asked[id(pair[1])]), default=0))

        def asked_of(batch: Sequence[_Pair]) -> list[Formula]:
            return list(dict.fromkeys(f for _, i in batch for f in asked[id(i)]))

        def told(lens: Lens, batch: Sequence[_Pair]) -> list[Finding]:
            judged = judge(cast(AnySpace, lens))
            return [f for d in ONE_BY_ONE for f in _of_these(d, judged, batch)]

        def left_open(batch: Sequence[_Pair]) -> None:
            self.undecided += [(d.__name__, i.subject) for d, i in batch]

        self.budget.until = self.until
        found = self._told_by(self.lens, first, told, left_open)
        self.budget.until = None
        for long in (False, True):
            some = [p for p in others if (p[1].subject in self.system.world.quests) == long]
            found += self._in_batches(some, QUESTS if long else BATCH, asked_of, told, left_open)
        shortest: dict[tuple[str, str], Finding] = {}
        for finding in sorted(found, key=lambda f: len(f.trace.steps) if f.trace else 0):
            shortest.setdefault((finding.kind, finding.subject), finding)
        return shortest.values()

    def _told_by(
        self, lens: Lens, things: Sequence[T], told: Callable[[Lens, Sequence[T]], list[Finding]],
        left_open: Callable[[Sequence[T]], None],
    ) -> list[Finding]:  # fmt: skip
        """What a lens that answers all of it says, as long as there is time."""
        try:
            if (words := self.budget.spent_by(0)) is not None:
                raise LimitReached(words)
            return [_spelled_out(lens, f) for f in told(lens, things)]
        except (LimitReached, MemoryError):
            left_open(things)
            return []

    def _in_batches(
        self, things: Sequence[T], size: int, asked_of: Callable[[Sequence[T]], list[Formula]],
        told: Callable[[Lens, Sequence[T]], list[Finding]],
        left_open: Callable[[Sequence[T]], None],
    ) -> list[Finding]:  # fmt: skip
        """What is told of things through lenses made for them; left open when time is up."""
        batches = [things[n : n + size] for n in range(0, len(things), size)]
        found: list[Finding] = []
        while batches:
            batch = batches.pop(0)
            answer = self._batch(batch, asked_of, told)
            if answer is not None:
                found += answer
            elif len(batch) > 1 and self._has_time():
                half = len(batch) // 2
                batches[:0] = [batch[:half], batch[half:]]
            else:
                left_open(batch)
        return found

    def _has_time(self) -> bool:
        return self.budget.spent_by(0) is None and self.budget.seconds() < self.until

    def _batch(
        self, batch: Sequence[T], asked_of: Callable[[Sequence[T]], list[Formula]],
        told: Callable[[Lens, Sequence[T]], list[Finding]],
    ) -> list[Finding] | None:  # fmt: skip
        """What is told of a batch; None where there was not time enough."""
        if not self._has_time():
            return None
        try:
            lens = self._lens(self.system, asked_of(batch))
            return None if lens is None else [_spelled_out(lens, f) for f in told(lens, batch)]
        except (LimitReached, MemoryError):
            return None


_Pair = tuple[Detector, Inquiry]


def _of_these(detector: Detector, judged: Judged, pairs: Sequence[_Pair]) -> Iterator[Finding]:
    """What a detector says about its subjects among some."""
    about = {inquiry.subject for d, inquiry in pairs if d is detector}
    return detector(replace(judged, about=about)) if about else iter(())
