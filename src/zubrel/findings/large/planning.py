"""Findings on worlds of which nobody can list the situations, nor hold all of them as sets.

The verdict and the moves that doom come from one reduced system, the first lens, and so does what
else it happens to know. The other questions are asked in batches, each of a reduced system that
keeps what its questions are about. What a batch does not answer in its time is halved, and at last
named as undecided.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from typing import Any, cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Allowance, Budget, LimitReached
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import NotAsked
from zubrel.findings.detectors.lints import lints
from zubrel.findings.detectors.luck import luck_needed
from zubrel.findings.detectors.missable import Subject, missable_among, subjects, with_causes
from zubrel.findings.detectors.skippable import unused, won_without
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.detectors.unreachable import unreachable
from zubrel.findings.detectors.unwinnable import unwinnable
from zubrel.findings.finding import Finding
from zubrel.findings.judged import AnySpace, Judged, judge
from zubrel.findings.large.batches import Batches
from zubrel.findings.large.inquiries import Answers, Questions
from zubrel.findings.large.offers import Offer, Offers
from zubrel.findings.large.questions import (
    BY_SUBJECT,
    Asking,
    Having,
    Question,
    answer,
    askings,
    in_batches,
    look_through,
    spelled_out,
)
from zubrel.findings.shape.outline import Outline, areas_behind, gates
from zubrel.policy import BATCHES
from zubrel.quotient.lens import Lens
from zubrel.reduced.reduce import EVERY, SHORTENING

CHUNK = 64
"""Subjects of which the first lens is asked at once whether they can be missed."""
COUNTING = tuple(name for name in EVERY if name not in SHORTENING)
"""Reductions that keep the number of moves."""


class FullSize(Struct, frozen=True):
    """What was found, and what stays undecided: pairs of a kind and a subject."""

    judged: Judged
    findings: tuple[Finding, ...]
    undecided: tuple[tuple[str, str], ...]


def full_size(lens: Lens, budget: Budget, progress: Progress, jobs: int = 1) -> FullSize:
    """All that can be said about a world through reduced systems; `lens` asks only for the end.

    Up to `jobs` processes, this one included, are at work at the same time.
    """
    try:
        judged = judge(cast(AnySpace, lens))
        progress.stage("looking for trouble")
        luck_and_doom = [*softlocks(judged), *luck_needed(judged)]
    except (LimitReached, MemoryError) as limit:
        lens.give_up(str(limit) if isinstance(limit, LimitReached) else "the limit of memory")
        judged = judge(cast(AnySpace, lens))
    if not judged.complete:
        return FullSize(judged, (), ())
    found = [spelled_out(lens, f) for f in luck_and_doom]
    found += [*unwinnable(judged), *unused(judged), *lints(judged)]
    with Batches(lens.system, budget, progress, Allowance(BATCHES), jobs) as batches:
        work = _Work(judged, budget, batches)
        try:
            found += list(work.findings())
        except MemoryError:  # of the first lens; the others are looked after
            work.leave_all_open()
    return FullSize(judged, tuple(found), tuple(dict.fromkeys(work.undecided)))


def map_of(system: System, work: float, budget: Budget, progress: Progress) -> Outline | None:
    """The areas with what they lie behind; None where a limit comes first."""
    asked = [formula for _, formula in gates(system)]
    areas = [Within(PLACE, n, n) for n in range(system.variables[PLACE].size)]
    behind = None
    with suppress(LimitReached, MemoryError), budget.within(work):
        for more in ([], areas):  # the second keeps all areas apart
            lens = look_through(system, [*asked, *more], budget, progress)
            with suppress(NotAsked):
                behind = tuple(areas_behind(judge(cast(AnySpace, lens)), lens.arriving))
                break
    if behind is None:
        return None
    return Outline(behind, (), None)


class _Known(Struct, frozen=True):
    """A question that the first lens can answer: where a play has it, and where it can be taken."""

    question: Having
    has: Any
    there: Any


class _Work:
    def __init__(self, judged: Judged, budget: Budget, batches: Batches) -> None:
        self.judged = judged
        self.lens = cast(Lens, judged.space)
        self.system = judged.system
        self.budget = budget
        self.batches = batches
        self.progress = batches.progress
        self.allowance = Allowance(BATCHES)
        woven = {o.number for openings in self.lens.reduced.woven.values() for o in openings}
        self.acting = woven | {s.number for m in self.lens.acting for s in m.steps}
        self.offers = Offers(self.system)
        self.undecided: list[tuple[str, str]] = []

    def findings(self) -> Iterator[Finding]:
        """All that asks about single subjects."""
        easy, first = list[_Known](), list[Asking]()
        hard, counting = list[Question](), list[Asking]()
        within = {p.id for p in self.system.world.promises if p.kind == "within"}
        possible = frozenset(
            s.number for m in self.lens.acting for s in m.steps if self.lens.possible(s)
        )
        havings = self._havings(possible)
        shown = {f.subject: f for f in self._in_time([], self._skipped)}
        for having in havings:
            known = self._known(having)
            if known is None:
                hard.append(having)
            else:
                easy.append(known)
        had: dict[str, Formula] = {}
        for question in askings(self.system):
            if question.kind == "skippable" and question.subject in shown:
                (had[question.subject],) = question.asked
            elif question.kind == "broken_promise" and question.subject in within:
                counting.append(question)
            elif self._answers(question):
                first.append(question)
            else:
                hard.append(question)
        self.batches.ask(in_batches(self.system, hard))
        found = [*self._told(first), *self._counted(counting), *self._missable(easy)]
        self.batches.finish()
        found += self.batches.found
        self._leave_open(self.batches.undecided)
        yield from with_causes(self.system.world, _shortest(found))
        ever = {k.question.formula: bool(k.there) for k in easy} | self.batches.known
        for subject, formula in had.items():  # done without, and can it be had at all?
            if formula not in ever:
                self.undecided.append(("skippable", subject))
            elif ever[formula]:
                yield shown[subject]
        yield from self._unreachable(ever, possible)

    def _skipped(self) -> list[Finding]:
        """`skippable`: what does not occur in the win that is known."""
        trace = self.lens.walks().shortest(self.judged.won)
        if trace is None:
            return []
        win, walking = self.lens.spelled_out(trace), Walking(self.system)
        words = list(walking.along(win))

        def occurs(formula: Formula) -> bool:
            (test,) = walking.kernel.tests([formula])
            return any(test(word) for word in words)

        return list(won_without(self.judged, occurs, win))

    def _havings(self, possible: frozenset[int]) -> list[Having]:
        """What can be missed or unreachable."""
        questions = Questions(self.system)
        questions.surely_possible = possible
        for questions.answer in (True, False):  # either answer may lead to other questions
            list(unreachable(questions.judged))
        things: dict[Formula, Subject | None] = {s.had: s for s in subjects(self.judged)}
        for formula in questions.asked:
            things.setdefault(formula, None)
        return [Having(formula, subject) for formula, subject in things.items()]

    def _answers(self, question: Asking) -> bool:
        steps = (self.system.steps[n] for n in question.steps)
        return self.lens.answers(question.asked, steps)

    def _known(self, question: Having) -> _Known | None:
        """What the first lens knows of a question; None where another has to be made."""
        subject = question.subject
        there = self._where(question.formula)
        if subject and subject.ever is not None and self._where(subject.ever) is None:
            there = None
        if there is not None:
            return _Known(question, there, there)
        offer = self.offers.of(question.formula)
        if offer is None or (subject is not None and not self._declines(offer)):
            return None if subject is None else self._seen(question, subject)
        there = self._where(offer.where)
        if there is None:
            return None
        # it is taken at some time exactly if it can be, and where it is never taken here, whoever
        # can still take it can still have it
        lasting = subject and replace(subject, lasting=True)
        return _Known(replace(question, subject=lasting), there - there, there)

    def _seen(self, question: Having, subject: Subject) -> _Known | None:
        """What the first lens knows of something that it forgets, but not when it is taken."""
        ever = subject.had if subject.lasting else subject.ever
        seen = None if ever is None else self.lens.seen(ever)
        if seen is None:
            return None
        subject = replace(subject, lasting=False, ever=None)
        return _Known(replace(question, subject=subject), seen, seen)

    def _where(self, formula: Formula) -> Any | None:
        try:
            return self.lens.where(formula)
        except NotAsked:
            return None

    def _declines(self, offer: Offer) -> bool:
        """None of the moves of an offer has any bearing on the end of the game."""
        return not any(s.number in self.acting for m in offer.moves for s in m.steps)

    def _missable(self, easy: Sequence[_Known]) -> Iterator[Finding]:
        """`missable`, as far as the first lens knows."""
        of_subjects = [k for k in easy if k.question.subject]
        for first in range(0, len(of_subjects), CHUNK):
            some = of_subjects[first : first + CHUNK]
            yield from self._in_time([k.question for k in some], partial(self._missed, some))

    def _missed(self, some: Sequence[_Known]) -> list[Finding]:
        every = [(k.question.subject, k.has, k.there) for k in some if k.question.subject]
        return [spelled_out(self.lens, f) for f in missable_among(self.judged, every)]

    def _told(self, first: Sequence[Asking]) -> Iterator[Finding]:
        """What detectors say of subjects that the first lens knows."""
        for kind in BY_SUBJECT:
            some = [q for q in first if q.kind == kind]
            yield from self._in_time(some, partial(self._asked, some))

    def _asked(self, some: Sequence[Asking]) -> list[Finding]:
        return answer(self.judged, some).findings

    def _counted(self, counting: Sequence[Asking]) -> Iterator[Finding]:
        """Promises about the number of moves, which openings hide where they are left out."""
        for question in counting:
            yield from self._in_time([question], partial(self._count, question))

    def _count(self, question: Asking) -> list[Finding]:
        with suppress(NotAsked):
            return self._count_by(EVERY, question)
        try:
            return self._count_by(COUNTING, question)
        except NotAsked:
            raise LimitReached("what no lens can tell") from None

    def _count_by(self, using: Sequence[str], question: Asking) -> list[Finding]:
        lens = look_through(self.system, question.asked, self.budget, self.progress, using)
        return answer(judge(cast(AnySpace, lens)), [question]).findings

    def _in_time(
        self, questions: Sequence[Question], tell: Callable[[], list[Finding]]
    ) -> list[Finding]:
        """What is told of some questions, unless a limit or a share of work ends that before."""
        self.batches.give()
        try:
            with self.budget.sharing(self.allowance):
                self.budget.look()
                return tell()
        except (LimitReached, MemoryError):
            self._leave_open(questions)
            return []

    def leave_all_open(self) -> None:
        self._leave_open([*self._havings(frozenset()), *askings(self.system)])
        list(self._unreachable({}, frozenset()))  # where nothing is known, nothing is found

    def _leave_open(self, questions: Iterable[Question]) -> None:
        for question in questions:
            if isinstance(question, Asking):
                self.undecided.append((question.kind, question.subject))
            elif question.subject is not None:
                self.undecided.append(("missable", question.subject.id))

    def _unreachable(
        self, ever: dict[Formula, bool], possible: frozenset[int]
    ) -> Iterator[Finding]:
        """`unreachable`, from what is known of formulas and of steps."""
        never, perhaps = (
            list(unreachable(Answers(self.system, ever, otherwise, possible).judged))
            for otherwise in (True, False)
        )
        yield from never
        surely = {f.subject for f in never}
        self.undecided += [(f.kind, f.subject) for f in perhaps if f.subject not in surely]


def _shortest(found: Iterable[Finding]) -> Iterable[Finding]:
    """One finding of each kind and subject, with the shortest play of all that were found."""
    first: dict[tuple[str, str], Finding] = {}
    for finding in sorted(found, key=lambda f: len(f.trace.steps) if f.trace else 0):
        first.setdefault((finding.kind, finding.subject), finding)
    return first.values()
