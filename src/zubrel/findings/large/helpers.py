"""Whoever answers batches of questions beside this process."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from msgspec import Struct

from zubrel.base.budget import Limits
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding
from zubrel.findings.large.questions import AskedQuestion


class BatchResult(Struct, frozen=True):
    """What was found, what was tried in vain, and what has to be asked again, by its places in the
    batch; and the work that it took."""

    findings: list[Finding]
    undecided: tuple[int, ...]
    again: tuple[int, ...]
    work: float


class HelperGone(Exception):
    """What was asked of a helper is not known, and has to be done by somebody else."""


class PendingAnswer(Protocol):
    """What a helper will say of a batch."""

    def done(self) -> bool: ...

    def wait(self, seconds: float) -> None:
        """For the answer, but not longer than this."""
        ...

    def result(self) -> BatchResult:
        """The answer, once it is there. Raises `HelperGone`."""
        ...


class Helpers(Protocol):
    """Workers that know a system, and answer batches of questions about it."""

    @property
    def count(self) -> int:
        """How many can be at work at once; with none, nobody is asked."""
        ...

    def begin(self, system: System, limits: Limits) -> None:
        """Make them ready. Each answer is to keep within the limits."""
        ...

    def submit(self, batch: Sequence[AskedQuestion]) -> PendingAnswer:
        """Have a batch answered. Raises `HelperGone`."""
        ...

    def end(self) -> None:
        """Whatever is still at work ends; nothing is asked any more."""
        ...
