"""Questions that one reduced system can answer, and what is told by it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import Formula, variables_in
from zubrel.compiled.system import System
from zubrel.explored.space import Trace
from zubrel.findings.detectors.empty_hands import empty_hands
from zubrel.findings.detectors.endless import endless
from zubrel.findings.detectors.gates import exact_count, no_gate
from zubrel.findings.detectors.missable import Subject, missable_of
from zubrel.findings.detectors.promises import broken_promises
from zubrel.findings.detectors.skippable import skippable
from zubrel.findings.detectors.surplus import swallowed, wasted_use
from zubrel.findings.detectors.texts import silent, unheard
from zubrel.findings.detectors.too_early import too_early
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.large.inquiries import Detector, inquiries
from zubrel.quotient.lens import Lens, look
from zubrel.reduced.reduce import EVERY

BY_SUBJECT: dict[str, Detector] = {
    "broken_promise": broken_promises,
    "too_early": too_early,
    "no_gate": no_gate,
    "exact_count": exact_count,
    "swallowed": swallowed,
    "empty_hands": empty_hands,
    "wasted_use": wasted_use,
    "endless": endless,
    "silent": silent,
    "unheard": unheard,
    "skippable": skippable,
}
"""By kind, those whose subjects have nothing to do with each other."""


BATCH, QUESTS = 48, 16
"""Questions that are asked of one reduced system; about quests fewer."""


class Having(Struct, frozen=True):
    """Does a formula ever hold, and can its subject, where it has one, be missed?"""

    formula: Formula
    subject: Subject | None = None

    @property
    def asked(self) -> tuple[Formula, ...]:
        """All that the answer depends on."""
        if self.subject is None or self.subject.ever is None:
            return (self.formula,)
        return (self.formula, self.subject.ever)

    @property
    def about(self) -> str | None:
        return None if self.subject is None else self.subject.id


class Asking(Struct, frozen=True):
    """What does the detector of a kind say about a subject?"""

    kind: str
    subject: str
    asked: tuple[Formula, ...]
    steps: tuple[int, ...] = ()

    @property
    def about(self) -> str:
        return self.subject


Question = Having | Asking


class Answer(Struct):
    """What was found, with plays of the whole world, and which formulas ever hold."""

    findings: list[Finding]
    known: dict[Formula, bool]


def askings(system: System) -> list[Asking]:
    """All that the detectors would ask."""
    moves = {s.number: m for m in system.moves for s in m.steps}
    return [
        Asking(kind, inquiry.subject, tuple(inquiry.asked(system, moves)), tuple(inquiry.steps))
        for kind, detector in BY_SUBJECT.items()
        for inquiry in inquiries(system, detector)
        if inquiry.formulas or inquiry.steps
    ]


def answer(judged: Judged, questions: Sequence[Question]) -> Answer:
    """What a lens says that was made for some questions."""
    lens = cast(Lens, judged.space)
    having = [q for q in questions if isinstance(q, Having)]
    known = {q.formula: lens.some(q.formula) for q in having}
    things = [q.subject for q in having if q.subject is not None]
    found = list(missable_of(judged, things)) if things else []
    for kind, detector in BY_SUBJECT.items():
        about = {q.subject for q in questions if isinstance(q, Asking) and q.kind == kind}
        if about:
            found += detector(replace(judged, about=about))
    return Answer([spelled_out(lens, f) for f in found], known)


def spelled_out(lens: Lens, finding: Finding) -> Finding:
    """The finding with plays of the whole world."""
    return replace(with_plays(finding, lens.spelled_out), situations=None)


def with_plays(finding: Finding, change: Callable[[Trace], Trace]) -> Finding:
    """The finding with all its plays changed."""
    trace = finding.trace and change(finding.trace)
    closings = tuple(replace(c, trace=change(c.trace)) for c in finding.closings)
    return replace(finding, trace=trace, closings=closings)


def look_through(
    system: System,
    asked: Sequence[Formula],
    budget: Budget,
    progress: Progress,
    using: Sequence[str] = EVERY,
) -> Lens:
    """A lens for some formulas, searched to its end. Raises `LimitReached` where a limit ends it,
    `WorkSpent` where its share of work does."""
    lens = look(system, asked, budget, progress, using)
    if lens.stopped is not None:
        raise LimitReached(lens.stopped)
    return lens


def in_batches(system: System, questions: Sequence[Question]) -> Iterator[list[Question]]:
    """What asks about the same things together; a quest has a long tail of variables."""
    quests = system.world.quests
    for size, long in ((BATCH, False), (QUESTS, True)):
        some = [q for q in questions if (q.about in quests) == long]
        some.sort(key=lambda q: max(variables_in(q.asked), default=0))
        yield from (some[n : n + size] for n in range(0, len(some), size))
