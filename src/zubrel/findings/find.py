"""Space -> findings: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from zubrel.checked.world import World
from zubrel.findings.finding import Finding
from zubrel.findings.missable import missable
from zubrel.findings.softlocks import softlocks
from zubrel.findings.unreachable import unreachable
from zubrel.findings.unwinnable import unwinnable
from zubrel.findings.verdict import AnySpace, Judged, judge

Detector = Callable[[Judged], Iterator[Finding]]
DETECTORS: tuple[Detector, ...] = (unwinnable, softlocks, unreachable, missable)


class Found(Struct, frozen=True):
    """The verdict's sets and every finding, the gravest first."""

    judged: Judged
    findings: tuple[Finding, ...]


def find(space: AnySpace) -> Found:
    """Everything that the detectors see in `space`."""
    judged = judge(space)
    findings = [f for detector in DETECTORS for f in detector(judged)]
    findings = [_with_acceptance(f, judged.system.world) for f in findings]
    return Found(judged, tuple(sorted(findings, key=Finding.order)))


def _with_acceptance(finding: Finding, world: World) -> Finding:
    """The finding, marked when the author accepts it."""
    for entry in world.accepted:
        if (entry.finding, entry.subject) == (finding.kind, finding.subject):
            return replace(finding, accepted=True, because=entry.because)
    return finding
