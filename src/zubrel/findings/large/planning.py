"""Findings on worlds of which nobody can list the situations, nor hold all of them as sets.

The verdict and the moves that doom come from one reduced system, the first lens, and so does what
else it happens to know. The other questions are asked in batches, each of a reduced system that
keeps what its questions are about. What a batch does not answer in its time is halved, and at last
named as undecided.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Allowance, Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.certain.losing import lost_by
from zubrel.certain.scouting import Scouted, scouted
from zubrel.certain.wins import Seeker
from zubrel.checked.world import World
from zubrel.compiled.formulas import Within
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked, Trace
from zubrel.findings.detectors.missable import MISSABLE, missables, missed_on
from zubrel.findings.detectors.skippable import SKIPPABLE, Skip, shown_by
from zubrel.findings.finding import Finding, soonest
from zubrel.findings.judged import Judged, judge
from zubrel.findings.large.batches import Batches
from zubrel.findings.large.helpers import Helpers
from zubrel.findings.large.processes import ProcessHelpers
from zubrel.findings.large.questions import (
    AskedQuestion,
    answer,
    every_question,
    in_batches,
    spelled_out,
    whole_lens_for,
)
from zubrel.findings.registry import (
    FILE_DETECTORS,
    STRATEGY_DETECTORS,
    SUBJECT_DETECTORS,
    VERDICT_DETECTORS,
)
from zubrel.findings.shape.outline import Outline, areas_behind, gates
from zubrel.policy import BATCHES, FIRST_QUESTION, LOSING, SCOUTING, STRATEGY
from zubrel.quotient.lens import Lens
from zubrel.reduced.reduce import EVERY, SHORTENING

CHUNK = 64
"""Questions of one kind that the first lens is asked at once."""
COUNTING = tuple(name for name in EVERY if name not in SHORTENING)
"""Reductions that keep the number of moves."""

log = logging.getLogger(__name__)


class FullSize(Struct, frozen=True):
    """What was found, and what stays undecided: pairs of a kind and a subject."""

    judged: Judged[Any]
    findings: tuple[Finding, ...]
    undecided: tuple[tuple[str, str], ...]


def full_size(
    lens: Lens[Any],
    budget: Budget,
    progress: Progress,
    jobs: int | Helpers = 1,
    decided: Callable[[str, Sequence[Finding]], None] | None = None,
) -> FullSize:
    """All that can be said about a world through reduced systems; `lens` asks only for the end.

    Up to `jobs` processes, this one included, are at work at the same time; or this one and its
    helpers. As soon as they are known, the verdict and the moves that doom are `decided`.
    """
    try:
        judged = judge(lens)
        progress.stage("looking for trouble")
        findings = [f for detector in VERDICT_DETECTORS for f in detector.find(judged)]
        left_open = [pair for detector in VERDICT_DETECTORS for pair in detector.left_open(judged)]
    except (LimitReached, MemoryError) as limit:
        lens.give_up(str(limit) if isinstance(limit, LimitReached) else "the limit of memory")
        judged = judge(lens)
    if not judged.complete:
        return FullSize(judged, (), ())
    if decided is not None:
        decided(judged.verdict, findings)
    by_strategy, more_open = _of_strategy(judged, budget)
    findings += by_strategy
    left_open += more_open
    # plays of a reduced system leave out walks and openings, which a reader needs
    findings = [spelled_out(lens, f) for f in findings]
    findings += [f for detector in FILE_DETECTORS for f in detector.find(lens.system)]
    helpers = ProcessHelpers(jobs - 1) if isinstance(jobs, int) else jobs
    # helpers begin with their batches while this process asks the first lens
    with Batches(lens.system, budget, progress, Allowance(BATCHES), helpers) as batches:
        work = _Work(judged, lens, budget, batches)
        try:
            findings += work.findings()
        except (LimitReached, MemoryError):  # of the first lens; the others are looked after
            # the verdict and what dooms are known all the same
            work.undecided = list(every_question(lens.system))
    # a question may have been given up in one place and answered in another
    known = {(f.kind, f.subject) for f in findings}
    undecided = dict.fromkeys([*left_open, *((a.kind, a.subject) for a in work.undecided)])
    return FullSize(judged, tuple(findings), tuple(u for u in undecided if u not in known))


def _of_strategy(
    judged: Judged[Any], budget: Budget
) -> tuple[list[Finding], list[tuple[str, str]]]:
    """What is found about the best way to play, and which kinds of it stay undecided."""
    findings, left_open = list[Finding](), list[tuple[str, str]]()
    # each on its own: one that takes too long leaves the others their share
    for detector in STRATEGY_DETECTORS:
        try:
            with budget.within(STRATEGY):
                findings += detector.find(judged)
        except (LimitReached, MemoryError):
            log.info("not decided: %s", ", ".join(detector.kinds))
            left_open += [(kind, "world") for kind in detector.kinds]
    return findings, left_open


def map_of(system: System, work: float, budget: Budget, progress: Progress) -> Outline | None:
    """The areas with what they lie behind; None where a limit comes first."""
    asked = [formula for _, formula in gates(system)]
    areas = [Within(PLACE, n, n) for n in range(system.variables[PLACE].size)]
    behind = None
    with suppress(LimitReached, MemoryError), budget.within(work):
        # gates alone keep few areas apart, which is enough for most maps and far less work
        for more in ([], areas):  # the second keeps all areas apart
            lens = whole_lens_for(system, [*asked, *more], budget, progress)
            with suppress(NotAsked):
                behind = tuple(areas_behind(judge(lens), lens.arriving))
                break
    if behind is None:
        return None
    return Outline(behind, (), None)


class _Work:
    """The questions about single subjects: whom they are asked of, and what comes of them."""

    def __init__(
        self, judged: Judged[Any], lens: Lens[Any], budget: Budget, batches: Batches
    ) -> None:
        self.judged = judged
        self.lens = lens
        self.system = judged.system
        self.budget = budget
        self.batches = batches
        # one share of work for all questions: what a batch leaves is there for those after it
        self.allowance = Allowance(BATCHES)
        self.undecided: list[AskedQuestion] = []

    def findings(self) -> list[Finding]:
        win = self._win()
        seeker = Seeker(self.system, self.budget)
        plays = scouted(seeker, SCOUTING)
        log.info("plays make %d of %d steps", len(plays.steps), len(self.system.steps))
        lost = {} if win is None else self._lost_by(win, plays, seeker)
        mentioned = list[Finding]()
        first, hard, counting = list[AskedQuestion](), list[AskedQuestion](), list[AskedQuestion]()
        for asked in self._open_questions(win, plays):
            # sets closed one by one tell no more than one way of closing either, and take seconds
            shown = lost.get(asked.subject) if asked.kind == MISSABLE.kind else None
            if shown is not None and shown.closings and not self.lens.at_once:
                mentioned.append(shown)
            # openings hide moves: these are asked of lenses that leave none out, or not at all
            elif asked.question.counts_moves:
                counting.append(asked)
            # the first lens was made anyway
            elif self.lens.answers(asked.formulas(self.system), asked.question.steps):
                first.append(asked)
            else:
                hard.append(asked)
        if not self.lens.at_once:
            # a lens for one question alone may answer what this one would take long for
            mentioned += self._told(first)
            hard, first, self.undecided = [*hard, *self.undecided], [], []
        # put in the queue before the first lens is asked, so that helpers need not wait
        self.batches.ask(in_batches(self.system, hard))
        mentioned += [*self._told(first), *self._counted(counting)]
        self.batches.finish()
        self.undecided += self.batches.undecided
        mentioned += self.batches.findings
        # what the win shows is told where nothing else was found out
        left = {a.subject for a in self.undecided if a.kind == MISSABLE.kind}
        mentioned += [finding for subject, finding in lost.items() if subject in left]
        return list(_concluded(self.system.world, mentioned, win))

    def _win(self) -> Trace | None:
        """A win of the whole world; None where there is none, or no work left to find it."""
        wins: list[Trace] = []

        def tell() -> list[Finding]:
            # told of before anything else: what a win does without is known by it
            trace = self.lens.walks().shortest(self.judged.won)
            wins.extend([] if trace is None else [self.lens.spelled_out(trace)])
            return []

        self._in_time([], tell)
        return wins[0] if wins else None

    def _lost_by(self, win: Trace, plays: Scouted, seeker: Seeker) -> dict[str, Finding]:
        """By subject, what can be missed as the win shows by itself."""
        # after luck has dealt, the win is one of one deal
        if self.system.world.deals:
            return {}
        lost_things = dict[str, Finding]()
        things = list(missables(self.system))
        with suppress(WorkSpent), self.budget.within(LOSING):
            for lost in lost_by(win.steps, things, plays.comes_to, seeker):
                play = Trace(win.steps[: lost.moves], shortest=False)
                thing = things[lost.thing]
                lost_things[thing.subject] = missed_on(thing, play, lost.closes)
        self.budget.spend(1)  # a share that is all spent outside of here ends this
        log.info("the win loses %d things on its way", len(lost_things))
        return lost_things

    def _open_questions(self, win: Trace | None, plays: Scouted) -> Iterator[AskedQuestion]:
        """What has to be asked, without what the first lens refutes at once."""
        possible = plays.steps | self._possible()
        # a win shows by itself what it does without; only whether that is ever had is left to ask
        skips = [q for q in SKIPPABLE.questions(self.system) if win is not None]
        shown = {} if win is None else {s.subject: s for s in shown_by(win, skips, self.system)}
        for asked in every_question(self.system):
            if isinstance(asked.question, Skip) and asked.subject in shown:
                yield AskedQuestion(asked.kind, shown[asked.subject])
                continue
            # a step that some play makes, or a situation that one comes to, may show that the
            # finding is none
            made = any(step.number in possible for step in asked.question.refuted_by)
            if not made and not plays.comes_to(asked.question.refuted_where):
                yield asked

    def _possible(self) -> frozenset[int]:
        """The numbers of steps that the lens knows to be possible, unless it would have to find out
        one by one."""
        if not self.lens.at_once:
            return frozenset()
        acting = [s for move in self.lens.acting for s in move.steps]
        return frozenset(s.number for s in acting if self.lens.possible(s))

    def _told(self, asked: Sequence[AskedQuestion]) -> Iterator[Finding]:
        """What the first lens says of what it knows."""
        for detector in SUBJECT_DETECTORS:
            of_kind = [a for a in asked if a.kind == detector.kind]
            # where sets are closed one by one, no question waits for another
            size, most = (CHUNK, float("inf")) if self.lens.at_once else (1, FIRST_QUESTION)
            for first in range(0, len(of_kind), size):
                chunk = of_kind[first : first + size]
                yield from self._in_time(chunk, partial(answer, self.judged, chunk), most)

    def _counted(self, counting: Sequence[AskedQuestion]) -> Iterator[Finding]:
        """What is about the number of moves, which openings hide where they are left out."""
        for asked in counting:
            yield from self._in_time([asked], partial(self._count, asked))

    def _count(self, asked: AskedQuestion) -> list[Finding]:
        with suppress(NotAsked):
            # first with everything that makes it small: some of it may leave the moves as they are
            # here
            return self._count_by(EVERY, asked)
        try:
            return self._count_by(COUNTING, asked)
        except NotAsked:
            raise LimitReached("what no lens can tell") from None

    def _count_by(self, using: Sequence[str], asked: AskedQuestion) -> list[Finding]:
        formulas = asked.formulas(self.system)
        lens = whole_lens_for(self.system, formulas, self.budget, self.batches.progress, using)
        return answer(judge(lens), [asked])

    def _in_time(
        self,
        asked: Sequence[AskedQuestion],
        tell: Callable[[], list[Finding]],
        most: float = float("inf"),
    ) -> list[Finding]:
        """What is told of some questions, unless a limit or a share of work ends that before.

        The share is what is left for all of them, but not more than `most`.
        """
        self.batches.give()
        try:
            with self.budget.sharing(self.allowance, most):
                # time may be over before any work of this share is counted
                self.budget.check_limits()
                return tell()
        except (LimitReached, MemoryError):
            self.undecided += asked
            return []


def _concluded(world: World, findings: Iterable[Finding], win: Trace | None) -> Iterator[Finding]:
    """One finding a subject, with what those of a kind have to do with each other.

    Whatever was `shown` by a win has that for its evidence.
    """
    # several questions may find the same: the shortest evidence of each stays
    every = soonest(findings)
    for detector in SUBJECT_DETECTORS:
        of_kind = [f for f in every if f.kind == detector.kind]
        # shown by the win that is told anyway: kept once
        if detector is SKIPPABLE:
            of_kind = [f if f.trace else replace(f, trace=win) for f in of_kind]
        yield from detector.conclude(world, of_kind)
