"""What a hunt brings home: a move that certainly takes every win away, with its proof."""

from __future__ import annotations

from msgspec import Struct

from zubrel.compiled.parts import Step


class DoomingStep(Struct, frozen=True):
    """A step that leads from where a win is left to where none is, and whether luck decides."""

    step: Step
    by_luck: bool
    walk: tuple[Step, ...]
    """From the start, with the step at its end."""
    onward: tuple[Step, ...]
    """From before the step to a win."""
    after: tuple[int, ...]
    """The situation after the step, as values of the variables."""

    @property
    def kind(self) -> str:
        """The kind of finding that it is."""
        return "bad_luck" if self.by_luck else "softlock"
