"""Every detector. A kind of finding that has none is a mistake that the first import tells."""

from __future__ import annotations

from typing import Any

from zubrel.base.kinds import KINDS, STALE
from zubrel.explored.space import S, Space
from zubrel.findings.detector import Detector, FileDetector, SubjectDetector, VerdictDetector
from zubrel.findings.detectors.bad_deal import BAD_DEAL
from zubrel.findings.detectors.constant import CONSTANT
from zubrel.findings.detectors.double_way import DOUBLE_WAY
from zubrel.findings.detectors.empty_hands import EMPTY_HANDS
from zubrel.findings.detectors.endless import ENDLESS
from zubrel.findings.detectors.exact_count import EXACT_COUNT
from zubrel.findings.detectors.idle import ALIKE_VALUES, EMPTY_AREA
from zubrel.findings.detectors.lone_either import LONE_EITHER
from zubrel.findings.detectors.luck import LUCK_NEEDED
from zubrel.findings.detectors.missable import MISSABLE
from zubrel.findings.detectors.near_ids import NEAR_IDS
from zubrel.findings.detectors.no_gate import NO_GATE
from zubrel.findings.detectors.promises import BROKEN_PROMISES
from zubrel.findings.detectors.same_name import SAME_NAME
from zubrel.findings.detectors.skippable import SKIPPABLE
from zubrel.findings.detectors.softlocks import SOFTLOCKS
from zubrel.findings.detectors.swallowed import SWALLOWED
from zubrel.findings.detectors.texts import SILENT, UNHEARD
from zubrel.findings.detectors.too_early import TOO_EARLY
from zubrel.findings.detectors.two_way_toll import TWO_WAY_TOLL
from zubrel.findings.detectors.unchanging import UNCHANGING
from zubrel.findings.detectors.unreachable import UNREACHABLE
from zubrel.findings.detectors.unused import ONLY_TOLD, UNUSED
from zubrel.findings.detectors.unwinnable import UNWINNABLE
from zubrel.findings.detectors.wasted_use import WASTED_USE
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, judge

FILE_DETECTORS: tuple[FileDetector, ...] = (
    UNUSED,
    DOUBLE_WAY,
    CONSTANT,
    UNCHANGING,
    TWO_WAY_TOLL,
    LONE_EITHER,
    NEAR_IDS,
    ONLY_TOLD,
    EMPTY_AREA,
    ALIKE_VALUES,
)
VERDICT_DETECTORS: tuple[VerdictDetector, ...] = (UNWINNABLE, SOFTLOCKS)
STRATEGY_DETECTORS: tuple[VerdictDetector, ...] = (LUCK_NEEDED,)
"""These ask how somebody would play, not what can happen: the verdict does not wait for them."""
SUBJECT_DETECTORS: tuple[SubjectDetector[Any], ...] = (
    BAD_DEAL,
    BROKEN_PROMISES,
    UNREACHABLE,
    MISSABLE,
    TOO_EARLY,
    NO_GATE,
    EXACT_COUNT,
    SWALLOWED,
    EMPTY_HANDS,
    WASTED_USE,
    ENDLESS,
    SILENT,
    UNHEARD,
    SKIPPABLE,
    SAME_NAME,
)
BY_KIND = {detector.kind: detector for detector in SUBJECT_DETECTORS}


def kinds_of(detector: Detector) -> tuple[str, ...]:
    """The kinds of findings that a detector finds."""
    return detector.kinds if isinstance(detector, VerdictDetector) else (detector.kind,)


def end_of(space: Space[S]) -> tuple[Judged[S], list[Finding]]:
    """What is asked first of a world: its verdict, and the moves that decide how it ends."""
    judged = judge(space)
    return judged, [f for detector in VERDICT_DETECTORS for f in detector.find(judged)]


def check_registry() -> None:
    """Raises `LookupError` unless each kind of finding has its detector."""
    # kinds of the file alone, of the verdict, of the best way to play, and of single subjects
    every: tuple[Detector, ...] = (
        *FILE_DETECTORS,
        *VERDICT_DETECTORS,
        *STRATEGY_DETECTORS,
        *SUBJECT_DETECTORS,
    )
    # sorted lists and no sets: a kind with two detectors is a mistake as well
    known = sorted(kind for detector in every for kind in kinds_of(detector))
    if known != sorted(set(KINDS) - {STALE}):
        raise LookupError(f"kinds without a detector of their own: {set(KINDS) ^ set(known)}")


check_registry()
