"""What a sample of the situations of a world shows for certain, in words.

It is told where a proof of everything did not end. What some plays show holds whatever else there
is; of the rest nothing is said.
"""

from __future__ import annotations

import logging
from collections.abc import Collection, Iterator
from contextlib import suppress
from typing import Any, TypeVar, cast

from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached
from zubrel.certain.missed import Missed, missed
from zubrel.certain.stage import Looking
from zubrel.compiled.formulas import Formula
from zubrel.compiled.future import Future
from zubrel.compiled.parts import Step
from zubrel.compiled.relaxation import Relaxation
from zubrel.compiled.system import System
from zubrel.explored.listed.sampled import SampledSpace, sampled
from zubrel.explored.listed.small import Numbers
from zubrel.explored.space import NotAsked
from zubrel.findings.detector import SubjectDetector
from zubrel.findings.detectors.missable import MISSABLE, Missable, missables
from zubrel.findings.detectors.no_gate import NO_GATE
from zubrel.findings.detectors.texts import UNHEARD
from zubrel.findings.find import Conclusions, found_in, in_file, with_acceptance
from zubrel.findings.finding import Finding
from zubrel.findings.judged import AnySpace, Judged, judge
from zubrel.narrated.explaining import MOST_EXPLAINED
from zubrel.narrated.narrate import narrate, told_of
from zubrel.narrated.reasons.explained import explained
from zubrel.narrated.reasons.sentences import sentences
from zubrel.narrated.replay import Walked, made_along, walked_along
from zubrel.narrated.report import Explained, MoveLine, Proof, Told
from zubrel.narrated.walks import deal_of, lines_of
from zubrel.policy import SAMPLE
from zubrel.reasoned.reasons import Reasons, Relaxed

EXPLAIN, ASK = 250, 500
"""Units of work for each step of a system, to tell why something never comes, and for each formula
of a question that is asked of all that a sample has."""

T = TypeVar("T")
Replayed = tuple[tuple[Walked, ...], tuple[MoveLine, ...]]
"""A play move by move, and in words."""

log = logging.getLogger(__name__)


def findings_seen(
    looking: Looking, known: Collection[tuple[str, str]], work: float
) -> tuple[Told, ...]:
    """Findings that plays of a look show, beside those for which no play need be known.

    Not those that are `known` already, by kind and subject. The budget is that of the look.

    `work` is to find the plays, for what they miss, for why that never comes any more, and for what
    never is at all, and twice as much for what they show at once. A limit ends it, with what was
    told by then. Raises `EndlessSettling` where a play never rests.
    """
    told = _as_far_as_it_goes(_every(looking, work))
    return tuple(replace(one, certain=True) for one in told if (one.kind, one.subject) not in known)


def _every(looking: Looking, work: float) -> Iterator[Told]:
    system, budget = looking.system, looking.budget
    sample = sampled(system, looking.plays(), SAMPLE, work, budget)
    judged = judge(sample)
    log.info("a sample of %d situations is looked at", len(sample.words))
    relaxation = looking.seeker.relaxation
    # warnings before notes, where not all of it can be told
    yield from _Missables(system, relaxation, budget).told(sample, judged, work)
    with budget.within(work):
        never = list(_as_far_as_it_goes(_never(judged, Future(relaxation, system.start))))
    yield from never
    with budget.within(2 * work):
        shown = [*in_file(system), *_as_far_as_it_goes(found_in(judged))]
    # how much is doomed, and from how many deals, a sample cannot tell
    shown = [replace(finding, situations=None, deals=None) for finding in shown]
    marked = with_acceptance(shown, system.world)
    in_words = narrate(Conclusions(judged, tuple(marked)), budget.seconds).findings
    for finding, told_one in zip(marked, in_words, strict=True):
        wins = _won_before(finding, sample, judged)
        before = lines_of(system.world, walked_along(system.walker, wins))
        yield replace(told_one, proof=Proof(before[len(told_one.evidence) - 1 :]))


def _won_before(
    finding: Finding, sample: SampledSpace, judged: Judged[Numbers]
) -> tuple[Step, ...]:
    """A play that leaves the evidence of what dooms before its last move, and wins; or none."""
    if not finding.hopeless or finding.trace is None:
        return ()
    walk = finding.trace.steps[:-1]
    (here,) = sample.at_end_of(replace(finding.trace, steps=walk))
    onward = sample.way(here, judged.won)
    assert onward is not None, "what dooms is done where a win is left"
    return (*walk, *onward)


class _ThreeValued:
    """Whether a formula holds somewhere, where plays or sets of values tell."""

    def __init__(self, sample: AnySpace, whole: Future) -> None:
        self.sample = sample
        self.whole = whole

    def holds_somewhere(self, formula: Formula) -> bool:
        """Raises `NotAsked` where neither a play shows it nor all that may come denies it."""
        if self.sample.holds_somewhere(formula):
            return True
        if self.whole.may_hold(formula):
            raise NotAsked
        return False


def _never(judged: Judged[Numbers], whole: Future) -> Iterator[Told]:
    """Findings that something never is: of texts that are not read, and gates that stop nobody."""
    system = judged.system
    # a sample shows what there is, relaxation what there never is: between them nothing is claimed
    known = replace(judged, space=cast(AnySpace, _ThreeValued(judged.space, whole)))
    reasons = Reasons(system, Relaxed(whole))
    # the two kinds that say “never”, and so can be proved without everything
    detectors: tuple[SubjectDetector[Any], ...] = (UNHEARD, NO_GATE)
    for detector in detectors:
        for question in detector.questions(system):
            whole.relaxation.budget.spend(ASK * len(question.formulas))
            with suppress(NotAsked):
                for finding in with_acceptance(detector.decide(known, [question]), system.world):
                    why = sentences(reasons, finding, ()) or ()
                    yield replace(told_of(finding, (), why), proof=Proof(()))


def _as_far_as_it_goes(findings: Iterator[T]) -> Iterator[T]:
    """What is found before a limit, or the end of a share of work."""
    with suppress(LimitReached, MemoryError):
        yield from findings


class _Missables:
    """What can be missed, in words."""

    def __init__(self, system: System, relaxation: Relaxation, budget: Budget) -> None:
        self.system = system
        self.relaxation = relaxation
        self.budget = budget
        self.replayed: dict[tuple[int, ...], Replayed] = {}
        """Plays by the numbers of their steps."""

    def told(self, sample: SampledSpace, judged: Judged[Numbers], work: float) -> Iterator[Told]:
        things = list(missables(self.system))
        with self.budget.within(work):
            losses = list(_as_far_as_it_goes(missed(sample, judged.won, things, self.relaxation)))
        alike = MISSABLE.conclude(self.system.world, [_finding(things[m.thing]) for m in losses])
        each = list(zip(with_acceptance(alike, self.system.world), losses, strict=True))
        with self.budget.within(work):
            why = list(_as_far_as_it_goes(self._why(*pair) for pair in each[:MOST_EXPLAINED]))
        why += [Explained()] * (len(each) - len(why))
        for (finding, one), reason in zip(each, why, strict=True):
            yield self._told(finding, one, reason)

    def _walked(self, play: tuple[Step, ...]) -> Replayed:
        """A play, which may miss many things, made once."""
        key = tuple(step.number for step in play)
        if key not in self.replayed:
            walked = tuple(walked_along(self.system.walker, play))
            self.replayed[key] = walked, lines_of(self.system.world, walked)
        return self.replayed[key]

    def _why(self, finding: Finding, one: Missed) -> Explained:
        """Why it never comes any more, as far as that can be told by what may still come."""
        self.budget.spend(EXPLAIN * len(self.system.steps))
        walked, _ = self._walked(one.play)
        future = Future(self.relaxation, one.values)
        reasons = Reasons(self.system, Relaxed(future), made_along(walked[: one.moves]))
        return explained(reasons, reasons.of_having(finding.subject))

    def _told(self, finding: Finding, one: Missed, why: Explained) -> Told:
        walked, lines = self._walked(one.play)
        return replace(
            told_of(finding, lines[: one.moves], why.lines()),
            why=why.why,
            shortest=False,
            proof=Proof((), lines[one.moves :]),
            deal=deal_of(self.system.world, walked),
        )


def _finding(thing: Missable) -> Finding:
    return Finding("missable", "warning", thing.subject, thing.words, thing.span)
