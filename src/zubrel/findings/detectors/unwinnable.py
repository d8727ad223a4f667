"""Is there any win at all?"""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.explored.space import S
from zubrel.findings.detector import VerdictDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


def unwinnable(judged: Judged[S]) -> Iterator[Finding]:
    """`unwinnable`, about the whole world."""
    if judged.complete and not judged.won:
        endings = judged.system.world.endings.values()
        # the first good ending: that is what a player is kept from
        span = next((e.span for e in endings if e.good), None)
        yield Finding(
            kind="unwinnable",
            severity="error",
            subject="world",
            message="no play whatever comes to a good ending",
            span=span,
            hopeless=True,
        )


UNWINNABLE = VerdictDetector(("unwinnable",), unwinnable)
