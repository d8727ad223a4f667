"""What becomes of aimless plays, told in a report: as far as that is cheap, or the whole of it."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from msgspec.structs import replace

from zubrel.base.budget import Budget, LimitReached
from zubrel.base.kinds import DOOMING
from zubrel.findings.dealt import inner_of
from zubrel.findings.judged import Judged
from zubrel.narrated.report import Aimless, Report, Spread
from zubrel.narrated.shares import EXACT_ENOUGH
from zubrel.odds.blame import blamed
from zubrel.policy import FOLLOWING


def with_aimless(report: Report, judged: Judged[Any], whole: bool, budget: Budget) -> Report:
    """The report with shares of aimless plays; as it is where situations are not listed.

    `whole`: also of worlds where nothing is doomed, and all that pictures show.
    """
    return replace(_told(report, judged, whole, budget), seconds=budget.seconds())


def _told(report: Report, judged: Judged[Any], whole: bool, budget: Budget) -> Report:
    # only listed situations have chances: the merged ones stand for many with other choices
    space = inner_of(judged.space)
    if space.engine != "explicit" or space.stopped is not None or not judged.live:
        return report
    # only with a share of the work: a report does not wait long for its figures
    if whole:
        with suppress(LimitReached, MemoryError), budget.within(FOLLOWING):
            known = _whole(report, judged, budget)
            # solved, and exact enough to be told without errors
            if known is not None:
                return known
    # nothing to compute: nobody can get stuck
    if not judged.doomed:
        return replace(report, aimless=Aimless(0.0))
    # the cheap part: which moves are to blame, without lengths and curves
    shares = blamed(judged, budget)
    if shares is None:
        return report
    told = Aimless(shares.doomed, shares.won)
    return _with_shares(report, told, shares.by_rule, {})


def _whole(report: Report, judged: Judged[Any], budget: Budget) -> Report | None:
    # SciPy takes a third of a second to be loaded: who wants no picture does without
    from zubrel.odds.board import board_of
    from zubrel.odds.entangled import Unsolved
    from zubrel.odds.fates import ENDS, Fate, fates_of
    from zubrel.odds.players import aimless

    def spread(fate: Fate) -> Spread | None:
        return None if fate.mean is None else Spread(fate.mean, fate.quartiles)

    board = board_of(judged.space)
    try:
        fates = fates_of(board, aimless(board), budget)
    except Unsolved:
        return None
    if fates.error >= EXACT_ENOUGH:  # reports have no room for errors
        return None
    endings = judged.system.world.endings
    # wins are told by their own share
    lost = [f for f in fates.ends if f.id not in endings or not endings[f.id].good]
    told = Aimless(
        fates.doomed.share,
        fates.won.share,
        tuple((ENDS.get(f.id) or endings[f.id].name, f.share) for f in lost),
        tuple((part.id, part.share) for part in fates.lost_in),
        spread(fates.won),
        spread(fates.doomed),
        fates.curve,
    )
    blame = {part.id: part.share for part in fates.blamed}
    return _with_shares(report, told, blame, {part.id: part.share for part in fates.missed})


def _with_shares(
    report: Report, told: Aimless, blame: Mapping[str, float], missed: Mapping[str, float]
) -> Report:
    """The report with what becomes of plays, and its findings with what is known of their shares:
    the culprits by their rules, and what is missed."""
    shares = {("missable", subject): share for subject, share in missed.items()}
    shares |= {(kind, rule): share for kind in DOOMING for rule, share in blame.items()}
    findings = [replace(f, aimless=shares.get((f.kind, f.subject))) for f in report.findings]
    return replace(report, aimless=told, findings=tuple(findings))
