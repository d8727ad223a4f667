"""Spaces for what is asked further about the findings of a large world: why each of them is so."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from zubrel.base.budget import Allowance, Budget, LimitReached
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import Formula
from zubrel.explored.explore import explore_after
from zubrel.findings.judged import AnySpace
from zubrel.findings.large.questions import whole_lens_for
from zubrel.policy import ALONE_IN_ALL, FORWARD_AGAIN, FORWARD_THERE
from zubrel.quotient.lens import Lens


class Further:
    """Makes them of the world behind a lens; None wherever that takes too long."""

    def __init__(self, lens: Lens[Any], budget: Budget, progress: Progress) -> None:
        self.lens = lens
        self.system = lens.system
        self.budget = budget
        self.progress = progress
        self._alone = Allowance(ALONE_IN_ALL)

    def closer(self, asked: Sequence[Formula]) -> Lens[Any] | None:
        """A space that answers some formulas, from the start on."""
        # where what is reached was too much for the end of the game, it is so for most else
        forward = None if self.lens.at_once else FORWARD_AGAIN
        try:
            return whole_lens_for(self.system, asked, self.budget, self.progress, forward=forward)
        except LimitReached:
            return None

    def after(self, values: Sequence[int], work: float) -> AnySpace | None:
        """Every situation that comes after one, given as values of the variables, by so much work
        at most; for all who ask together there is a share."""
        try:
            with self.budget.sharing(self._alone, work):
                return explore_after(self.system, values, self.budget)
        except LimitReached:
            return None

    def there(self, values: Sequence[int], asked: Sequence[Formula]) -> AnySpace:
        """A space that answers some formulas from such a situation on.

        Raises `LimitReached` where a limit or a share of work comes first.
        """
        begun_there = self.system.begun_with(values)
        return whole_lens_for(begun_there, asked, self.budget, self.progress, forward=FORWARD_THERE)
