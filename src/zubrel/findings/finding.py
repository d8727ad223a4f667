"""What a detector says, before it is put into words at length."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from msgspec import Struct

from zubrel.base.kinds import KINDS, SEVERITIES
from zubrel.base.source import Span
from zubrel.explored.space import Trace

Order = tuple[int, int, tuple[str, int, int], str]


class Closing(Struct, frozen=True):
    """A step after which something is out of reach for good, with the shortest way to it."""

    rule: str
    trace: Trace


class Ordered(Protocol):
    """A finding, in words or not."""

    @property
    def kind(self) -> str: ...
    @property
    def severity(self) -> str: ...
    @property
    def subject(self) -> str: ...
    @property
    def span(self) -> Span | None: ...


def by_gravity(finding: Ordered) -> Order:
    """Sort key: the gravest first, then by kind, then by place in the files."""
    place = finding.span.order() if finding.span else ("", 0, 0)
    grave = SEVERITIES.index(finding.severity)
    return (grave, list(KINDS).index(finding.kind), place, finding.subject)


class Finding(Struct, frozen=True):
    """One finding: `kind` and `subject` are its identity.

    `trace` is the evidence, as short as can be. `situations` is how many situations it dooms.
    `closings` are the points of no return of something missable. `cause` is the subject whose
    finding this one follows from.
    `accepted` when the author knows it and wants it so, `because` of something. `hopeless` when
    after the trace no play wins any more. Not `is_shown` when its plays were no longer looked for.
    """

    kind: str
    severity: str
    subject: str
    message: str
    span: Span | None = None
    trace: Trace | None = None
    situations: int | None = None
    closings: tuple[Closing, ...] = ()
    cause: str | None = None
    accepted: bool = False
    because: str | None = None
    hopeless: bool = False
    deals: int | None = None
    """From how many deals it can come about; None where nothing is dealt, or nobody has counted."""
    is_shown: bool = True


def soonest(findings: Iterable[Finding]) -> list[Finding]:
    """One finding of each kind and subject: of several the first with the shortest walk."""
    first: dict[tuple[str, str], Finding] = {}
    for finding in findings:
        identity = (finding.kind, finding.subject)
        # of equal ones the first, so that the order of questions decides and nothing else
        if identity not in first or _moves(finding) < _moves(first[identity]):
            first[identity] = finding
    return list(first.values())


def _moves(finding: Finding) -> int:
    return 0 if finding.trace is None else len(finding.trace.steps)
