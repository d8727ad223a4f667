"""Space -> findings: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, nullcontext, suppress
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.base.kinds import STALE
from zubrel.checked.things import Acceptance
from zubrel.checked.world import World
from zubrel.compiled.formulas import Formula
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding, by_gravity, soonest
from zubrel.findings.judged import AnySpace, Judged, judge
from zubrel.findings.registry import (
    BY_KIND,
    FILE_DETECTORS,
    STRATEGY_DETECTORS,
    SUBJECT_DETECTORS,
    VERDICT_DETECTORS,
)
from zubrel.findings.shape.outline import Outline, outline
from zubrel.findings.shape.progression import Progression, progression


class Conclusions(Struct, frozen=True):
    """The verdict's sets and every finding, the gravest first.

    `undecided` are pairs of a kind and a subject. `listed` is of all situations, where `judged` is
    of classes of them and the situations were found all the same. `closer` makes a space that
    answers some formulas, where `judged` does not answer all; None where that takes too long.
    `explaining` bounds the work on explanations, which may be given so much at most. `after` finds
    every situation that comes after one, given as values of the variables; None where that takes
    more than so much work. `there` makes a space of the same that answers some formulas, or raises
    `LimitReached`.
    """

    judged: Judged[Any]
    findings: tuple[Finding, ...]
    progression: Progression | None = None
    outline: Outline | None = None
    undecided: tuple[tuple[str, str], ...] = ()
    listed: Judged[Any] | None = None
    closer: Callable[[Sequence[Formula]], AnySpace | None] | None = None
    explaining: Callable[..., AbstractContextManager[object]] = nullcontext
    after: Callable[[Sequence[int], float], AnySpace | None] | None = None
    there: Callable[[Sequence[int], Sequence[Formula]], AnySpace] | None = None


def find(
    space: AnySpace, with_progression: bool = False, with_outline: bool = False
) -> Conclusions:
    """Everything that the detectors see in `space`, and if wanted what every win includes.

    `with_outline`: also what pictures need beyond that.
    """
    return find_in(judge(space), with_progression, with_outline)


def find_in(
    judged: Judged[Any],
    with_progression: bool = False,
    with_outline: bool = False,
    with_windows: bool = True,
) -> Conclusions:
    """`find`, where the situations are judged already."""
    findings = with_acceptance(_everything_in(judged), judged.system.world)
    if judged.complete:
        # after a limit, what is not found may still be there
        findings += stale_acceptance(judged.system.world, findings)
    # by gravity, then as the detectors found them, which follows the file
    order = tuple(sorted(findings, key=by_gravity))
    chain, drawn = None, None
    # where a limit cuts this short, the verdict and the findings are whole all the same
    with suppress(LimitReached, MemoryError):
        if with_progression or with_outline:
            chain = progression(judged, with_windows)
        drawn = outline(judged, chain) if with_outline and chain else None
    return Conclusions(judged, order, chain, drawn)


def _everything_in(judged: Judged[Any]) -> Iterator[Finding]:
    yield from found_in(judged)
    yield from in_file(judged.system)


def in_file(system: System) -> Iterator[Finding]:
    """What is found without any search."""
    for of_file in FILE_DETECTORS:
        yield from of_file.find(system)


def found_in(judged: Judged[Any]) -> Iterator[Finding]:
    """What is found in situations, kind by kind."""
    system, space = judged.system, judged.space
    for of_verdict in (*VERDICT_DETECTORS, *STRATEGY_DETECTORS):
        yield from of_verdict.find(judged)
    for detector in SUBJECT_DETECTORS:
        # some kinds are certain of what was seen; others need to know that nothing else comes
        if judged.complete or not detector.whole:
            questions = [
                q
                for q in detector.questions(system)
                # far cheaper than what `decide` would do to find the same
                if not any(space.possible(step) for step in q.refuted_by)
            ]
            findings = soonest(detector.decide(judged, questions))
            yield from detector.conclude(system.world, findings)


def is_found(judged: Judged[Any], kind: str, subject: str) -> bool | None:
    """Whether `find_in` would find this, for less than it takes; None where that is not known, as
    of softlocks and bad luck, of which `culprits` tells."""
    if kind == "unwinnable":
        return not judged.won
    # kinds about the whole world have no questions of single subjects
    detector = BY_KIND.get(kind)
    if detector is None:
        return None
    asked = [q for q in detector.questions(judged.system) if q.subject == subject]
    return any(f.subject == subject for f in detector.decide(judged, asked))


def with_acceptance(findings: Iterable[Finding], world: World) -> list[Finding]:
    """The findings, those marked that the author accepts.

    An item and its only source are missed as one, and so are accepted as one.
    """
    every = list(findings)
    # of two entries the first counts
    entries = {(e.finding, e.subject): e for e in reversed(world.accepted) if not e.closed_by}
    marked = []
    for finding in every:
        entry = entries.get((finding.kind, finding.subject))
        if entry is None and finding.kind == "missable":
            # only of missed things: what else coincides is accepted one by one
            alike = _missed_as_one(finding, every)
            entry = next(
                (entries[finding.kind, i] for i in alike if (finding.kind, i) in entries), None
            )
        if entry is None:
            entry = next((e for e in world.accepted if _means(e, finding)), None)
        marked.append(replace(finding, accepted=True, because=entry.because) if entry else finding)
    return marked


def _means(entry: Acceptance, finding: Finding) -> bool:
    """Whether an entry for all that some moves close is about a finding: no other move that is
    told of closes it."""
    closers = {closing.rule for closing in finding.closings}
    return entry.finding == finding.kind and bool(closers) and closers <= set(entry.closed_by)


def _missed_as_one(finding: Finding, every: Iterable[Finding]) -> Iterator[str]:
    """The other subjects of the item whose only source a `missable` finding is about, or of it."""
    item = finding.cause or finding.subject
    yield item
    yield from (f.subject for f in every if f.kind == finding.kind and f.cause == item)


def stale_acceptance(
    world: World, findings: Iterable[Finding], undecided: Collection[str] = ()
) -> Iterator[Finding]:
    """`stale_accept`: accepted findings that are not found, of kinds that are not `undecided`."""
    every = list(findings)
    known = {(f.kind, f.subject) for f in every}
    mentioned: set[str] = set()
    for entry in world.accepted:
        # what was not decided may be there: the entry is not stale for all that anybody knows
        if entry.finding in undecided:
            continue
        if entry.closed_by:
            is_known = any(_means(entry, f) for f in every)
            words = f"{entry.finding} of all that {entry.subject} closes"
        else:
            is_known = (entry.finding, entry.subject) in known
            words = f"{entry.finding} of {entry.subject}"
        # an entry for several kinds of one subject is told of once
        if not is_known and entry.subject not in mentioned:
            mentioned.add(entry.subject)
            message = f"“{words}” is accepted, but not found"
            yield Finding(STALE, "warning", entry.subject, message, entry.span)
