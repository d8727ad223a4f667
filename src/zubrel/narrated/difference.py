"""Two reports -> what an edit has changed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeVar

from msgspec import Struct

from zubrel.base.kinds import GRAVITY
from zubrel.narrated.report import ProgressChain, Report, Told
from zubrel.narrated.shares import percent

RANKS = ("solvable", "softlocks", "unwinnable")
"""Verdicts from the best to the worst; an incomplete search has no rank."""


class Difference(Struct, frozen=True):
    """`old` and `new` are the reports. Findings are the same when kind, subject and cause are.

    `must_haves` that are `gained` or `lost` are ids, pairs of the order likewise; None where
    either search was cut short.
    """

    old: Report
    new: Report
    appeared: tuple[Told, ...]
    gone: tuple[Told, ...]
    still: tuple[Told, ...]
    unsure: tuple[Told, ...]
    """What is found in one of them, and left undecided in the other: neither new nor gone."""
    gained: tuple[str, ...] | None
    lost: tuple[str, ...] | None
    order_gained: tuple[tuple[str, str], ...] | None
    order_lost: tuple[tuple[str, str], ...] | None
    shares: tuple[tuple[Told, Told], ...] = ()
    """Open findings that stay, then and now, of which the share of aimless plays has changed."""

    @property
    def complete(self) -> bool:
        return self.old.complete and self.new.complete

    def worse(self, bar: str) -> bool:
        """The verdict is worse, or a finding at or above `bar` is new and not accepted."""
        if self.complete and RANKS.index(self.new.verdict) > RANKS.index(self.old.verdict):
            return True
        return _as_grave_as(bar, self.appeared)

    def leaves_open(self, bar: str) -> bool:
        """Whether it is not known of a finding at or above `bar` that it is new, or gone."""
        return not self.complete or _as_grave_as(bar, self.unsure)


def _as_grave_as(bar: str, findings: Iterable[Told]) -> bool:
    return any(GRAVITY[f.severity] >= GRAVITY[bar] and not f.accepted for f in findings)


def difference(old: Report, new: Report) -> Difference:
    """What is new in `new`, what of `old` is gone, and what stays.

    An accepted finding that no longer is counts as new, one that has come to be accepted as gone.
    """
    # a finding is the same if it is of the same kind about the same subject, wherever it stands
    before = {_identity(f): f for f in old.findings}
    after = {_identity(f): f for f in new.findings}
    appeared, unknown_before = _decided((f for i, f in after.items() if i not in before), old)
    gone, unknown_now = _decided((f for i, f in before.items() if i not in after), new)
    return Difference(
        old,
        new,
        appeared,
        gone,
        tuple(f for i, f in after.items() if i in before),
        (*unknown_before, *unknown_now),
        *_changes(_needed(old.progress), _needed(new.progress)),
        *_changes(_order(old.progress), _order(new.progress)),
        tuple(
            (before[i], f)
            for i, f in after.items()
            if not (f.accepted or f.cause) and i in before and _differ(before[i].aimless, f.aimless)
        ),
    )


def _decided(findings: Iterable[Told], report: Report) -> tuple[tuple[Told, ...], tuple[Told, ...]]:
    """The findings of which a report knows that there are none, and those that it leaves open."""
    every = tuple(findings)
    unknown = tuple(f for f in every if (f.kind, f.subject) in report.undecided)
    return tuple(f for f in every if f not in unknown), unknown


def _differ(old: float | None, new: float | None) -> bool:
    """Whether a share has changed so much that it is told in other words."""
    return old is not None and new is not None and percent(old) != percent(new)


def _identity(finding: Told) -> tuple[str, str, str | None, bool]:
    return finding.kind, finding.subject, finding.cause, finding.accepted


def _needed(progress: ProgressChain | None) -> dict[str, None] | None:
    if progress is None:
        return None
    every = ((m.id, *(other for other, _ in m.merged_with)) for m in progress.must_haves)
    return dict.fromkeys(i for ids in every for i in ids)


def _order(progress: ProgressChain | None) -> dict[tuple[str, str], None] | None:
    if progress is None:
        return None
    return dict.fromkeys((a, m.id) for m in progress.must_haves for a in m.after)


T = TypeVar("T")


def _changes(
    old: dict[T, None] | None, new: dict[T, None] | None
) -> tuple[tuple[T, ...] | None, tuple[T, ...] | None]:
    if old is None or new is None:
        return None, None
    return tuple(i for i in new if i not in old), tuple(i for i in old if i not in new)
