"""Questions that one reduced system can answer, and what is told by it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import Formula, Within, variables_in
from zubrel.compiled.parts import PLACE, Move
from zubrel.compiled.system import System
from zubrel.explored.space import Space, Trace
from zubrel.findings.detector import Question
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.registry import BY_KIND, SUBJECT_DETECTORS
from zubrel.quotient.lens import Lens
from zubrel.quotient.making import lens_for
from zubrel.reduced.reduce import EVERY

BATCH, QUESTS = 48, 16
"""Different questions that are asked of one reduced system; about quests fewer."""


class AskedQuestion(Struct, frozen=True):
    """A question, and the kind of finding that it is about."""

    kind: str
    question: Question

    @property
    def subject(self) -> str:
        return self.question.subject

    def formulas(self, system: System) -> tuple[Formula, ...]:
        """Formulas over everything that the answer depends on."""
        formulas = dict.fromkeys(self.question.formulas)
        # outcomes of one move read the same: one of them stands for all
        moves = {system.move_of[step.number].rule.id: step for step in self.question.steps}
        for step in moves.values():
            formulas |= dict.fromkeys(_of(system.move_of[step.number], system))
        return tuple(formulas)


def _of(move: Move, system: System) -> Iterator[Formula]:
    """What a move reads, and tests of all that it changes; where it leads away, from each area."""
    changes = [c for step in move.steps for c in step.changes]
    yield move.guard
    yield from (c.when for c in changes)
    for variable in dict.fromkeys(c.variable for c in changes if c.variable != PLACE):
        high = system.variables[variable].high
        # one test is enough for a variable to be kept, with all its values
        yield Within(variable, high, high)
    ends = [c.number for c in changes if c.variable == PLACE]
    if ends:
        areas = dict.fromkeys((*(move.areas or ()), *ends))
        # a move between areas is only seen where they are told apart
        yield from (Within(PLACE, area, area) for area in areas)


def every_question(system: System) -> Iterator[AskedQuestion]:
    """All that the subject detectors have to know."""
    for detector in SUBJECT_DETECTORS:
        for question in detector.questions(system):
            yield AskedQuestion(detector.kind, question)


def answer(judged: Judged[Any], asked: Sequence[AskedQuestion]) -> list[Finding]:
    """What a lens says that was made for some questions, with plays of the whole world.

    Raises `NotAsked` where it was not made for them.
    """
    findings: list[Finding] = []
    # in the order of the registry, not of the batch: findings come out sorted by kind
    for kind, detector in BY_KIND.items():
        questions = [a.question for a in asked if a.kind == kind]
        if questions:
            findings += detector.decide(judged, questions)
    lens = judged.space
    return [spelled_out(lens, f) for f in findings]


def spelled_out(lens: Space[Any], finding: Finding) -> Finding:
    """The finding with plays of the whole world."""
    # numbers of classes are no numbers of situations
    return replace(with_plays(finding, lens.spelled_out), situations=None, deals=None)


def with_plays(finding: Finding, change: Callable[[Trace], Trace]) -> Finding:
    """The finding with all its plays changed."""
    trace = finding.trace and change(finding.trace)
    closings = tuple(replace(c, trace=change(c.trace)) for c in finding.closings)
    return replace(finding, trace=trace, closings=closings)


def whole_lens_for(
    system: System,
    asked: Sequence[Formula],
    budget: Budget,
    progress: Progress,
    using: Sequence[str] = EVERY,
    forward: float | None = None,
) -> Lens[Any]:
    """A lens for some formulas, searched to its end. Raises `LimitReached` where a limit ends it,
    `WorkSpent` where its share of work does."""
    lens = lens_for(system, asked, budget, progress, using, forward)
    if lens.stopped is not None:
        raise LimitReached(lens.stopped)
    return lens


def in_batches(system: System, asked: Sequence[AskedQuestion]) -> Iterator[list[AskedQuestion]]:
    """What asks about the same things together; a quest has a long tail of variables.

    Questions that depend on the very same formulas count as one.
    """
    # whoever can be missed can be unreachable too, and both depend on the same formula
    alike: dict[tuple[bool, tuple[Formula, ...]], list[AskedQuestion]] = {}
    for one in asked:
        long = one.subject in system.world.quests
        # quests apart from others: one long tail would make the whole batch large
        alike.setdefault((long, one.formulas(system)), []).append(one)
    for size, long in ((BATCH, False), (QUESTS, True)):
        keys = sorted(
            (key for key in alike if key[0] == long),
            # neighbours among the variables mostly stand near each other in the world, and share
            # what they depend on
            key=lambda key: max(variables_in(key[1]), default=0),
        )
        left = iter(keys)
        while batch := list(islice(left, size)):
            yield [one for key in batch for one in alike[key]]
