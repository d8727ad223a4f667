"""What was proved of the files of a variant."""

from __future__ import annotations

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached
from zubrel.base.diagnostics import InvalidInput
from zubrel.checked.check import check
from zubrel.mended.files import Files
from zubrel.narrated.report import Report
from zubrel.pipeline import report, words_of

BROKEN = "invalid"
"""The verdict on a variant that is no world."""


class OpenFinding(Struct, frozen=True):
    """An open finding: kind, subject and severity."""

    kind: str
    subject: str
    severity: str


class VariantOutcome(Struct, frozen=True):
    """What was proved of one variant.

    `verdict` is that of a report, or `invalid` with what is wrong as `stopped`; a search that was
    cut short is `incomplete`, and `stopped` names the limit. `length` is the shortest win, at most
    where it is not the `shortest` for sure; None: there is none, or none is known. `must_haves` are
    None where a limit, or the size of the world, kept them from being proved; `undecided` are
    kinds and subjects of what may be found, perhaps, with more work.
    """

    verdict: str
    stopped: str | None
    length: int | None
    shortest: bool
    findings: tuple[OpenFinding, ...]
    must_haves: tuple[str, ...] | None
    situations: int | None
    undecided: tuple[tuple[str, str], ...] = ()

    @property
    def complete(self) -> bool:
        return self.stopped is None

    def against(
        self, first: VariantOutcome
    ) -> tuple[tuple[OpenFinding, ...], tuple[OpenFinding, ...]]:
        """The open findings that are new against those of another world, and those that are gone.

        What one of both has left out, or open, is neither.
        """
        if not (self.complete and first.complete):
            return (), ()
        return self._beside(first), first._beside(self)

    def _beside(self, other: VariantOutcome) -> tuple[OpenFinding, ...]:
        """The open findings of which another world is known to have none."""
        there = set(other.findings)
        return tuple(
            f
            for f in self.findings
            if f not in there and (f.kind, f.subject) not in other.undecided
        )

    def of_kind(self, *kinds: str) -> tuple[str, ...]:
        """The subjects of the open findings of some kinds."""
        return tuple(f.subject for f in self.findings if f.kind in kinds)


def outcome_of(files: Files, budget: Budget) -> VariantOutcome:
    """What can be proved of some files, read as a world, within the limits of a budget."""
    try:
        world = check(files.document())
        told = report(world, budget, with_progression=True, with_reasons=False, with_windows=False)
    except InvalidInput as invalid:
        first = invalid.diagnostics[0]
        where = f"{first.span.place}: " if first.span is not None else ""
        return VariantOutcome(BROKEN, f"{where}{first.message}", None, False, (), None, None)
    except (LimitReached, MemoryError) as limit:
        return cut_short(words_of(limit))
    return _outcome(told)


def cut_short(words: str) -> VariantOutcome:
    """Nothing is known: a limit, or the end of whoever was at work, came first."""
    return VariantOutcome("incomplete", words, None, False, (), None, None)


def _outcome(told: Report) -> VariantOutcome:
    win, progress = told.shortest_win, told.progress
    return VariantOutcome(
        told.verdict,
        told.stopped,
        None if win is None else len(win.moves),
        win is not None and win.shortest,
        tuple(OpenFinding(f.kind, f.subject, f.severity) for f in told.findings if not f.accepted),
        None if progress is None else tuple(m.id for m in progress.must_haves),
        told.situations,
        told.undecided,
    )
