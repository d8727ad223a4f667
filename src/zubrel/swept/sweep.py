"""Variants of a world, each searched completely by whatever workers there are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from zubrel.base.progress import Progress
from zubrel.mended.files import Files
from zubrel.swept.kept import Kept
from zubrel.swept.outcome import BROKEN, OpenFinding, VariantOutcome
from zubrel.swept.settings import Texts, asked_span
from zubrel.swept.variants import Variant
from zubrel.swept.workers import Workers


class VariantRow(Struct, frozen=True):
    """A variant and what was proved of it; `new` and `gone` are findings against the unchanged."""

    variant: Variant
    outcome: VariantOutcome
    new: tuple[OpenFinding, ...]
    gone: tuple[OpenFinding, ...]
    known: bool
    """It was kept from an earlier time, and not searched now."""


class Sweep:
    """Searches variants of the files of a world, and keeps what is proved."""

    def __init__(
        self, texts: Texts, workers: Workers, progress: Progress, kept: Kept[VariantOutcome]
    ) -> None:
        self.texts = texts
        self.workers = workers
        self.progress = progress
        self.kept = kept

    def rows(self, variants: Sequence[Variant]) -> Iterator[VariantRow]:
        """What was proved of each variant, in their order; the first is the unchanged world.

        Raises `InvalidInput` where a variant cannot be made, `OSError` where nothing can be kept.
        """
        # all of them are made before the first is searched: a mistake is told at once
        made = [self._files(variant) for variant in variants]
        first: VariantOutcome | None = None
        for variant, (outcome, known) in zip(variants, self._outcomes(made), strict=True):
            first = first or outcome
            new, gone = outcome.against(first)
            yield VariantRow(variant, outcome, new, gone, known)

    def _files(self, variant: Variant) -> Files:
        span = variant.span or asked_span("the sweep", variant.name)
        return self.texts.changed(variant.settings, span)

    def _outcomes(self, made: Sequence[Files]) -> Iterator[tuple[VariantOutcome, bool]]:
        names = [self.kept.name_of(files.texts) for files in made]
        known = {name: self.kept.find(name) for name in names}
        # files that read alike are searched once
        left = {n: f for n, f in zip(names, made, strict=True) if known[n] is None}
        searched, outcomes = self.workers.outcomes(list(left.values())), dict[str, VariantOutcome]()
        for number, name in enumerate(names):
            outcome = known[name]
            if outcome is not None:
                yield outcome, True
                continue
            if name not in outcomes:
                self.progress.stage(f"variant {number} of {len(made) - 1}")
                outcomes[name] = next(searched)
                # what a limit cut short may come out otherwise next time
                if outcomes[name].complete or outcomes[name].verdict == BROKEN:
                    self.kept.keep(name, outcomes[name])
            yield outcomes[name], False
