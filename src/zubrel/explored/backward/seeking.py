"""Plays into many sets at once: what most plays come to first, and the rest from both ends.

Of each set it is asked in turn, each time for longer: whether a play at random comes to it, whether
sums or few variables tell that none does, and whether a play at random comes to where it is known,
by going back from it, that the set can be come to.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable
from contextlib import suppress

from zubrel.base.budget import WorkSpent
from zubrel.explored.backward.areas import Areas, holds_any, lies_in_any
from zubrel.explored.backward.closing import BackwardFixpoint
from zubrel.explored.backward.reaching import Reaching
from zubrel.explored.backward.wandering import Wandering
from zubrel.explored.symbolic.encoding import Diagram
from zubrel.policy import AT_FIRST, GROWING, LATER, SOON, WANDERING

log = logging.getLogger(__name__)


class Seeking:
    """What it finds is known to `back` from then on: plays, and what is out of reach."""

    def __init__(self, back: Reaching) -> None:
        self.back = back
        self.wandering = Wandering(back.system, back.walking, back.known)
        self._sought: list[Areas] = []
        self.refuted: list[Areas] = []
        """Sets that no play comes into."""

    def seek(self, sets: Iterable[Areas], within: Areas) -> None:
        """Look for plays that never leave `within`, as long as it has not taken too much work."""
        # what was refuted meanwhile is left out of what is asked again, so that sets are smaller
        new = [areas for areas in sets if not self._is_refuted(areas)]
        new = [s for s in dict.fromkeys(new) if not lies_in_any(s, self._sought)]
        # most plays come to some of them at once; what is soon refuted is not waited for longer
        left = self._wander(new, within, AT_FIRST)
        left = self._not_refuted(left, SOON)
        left = self._wander(left, within, WANDERING)
        left = self._not_refuted(left, LATER)
        growing = [_Growing(self.back, areas) for areas in left]
        for work in GROWING:
            for one in growing:
                one.grow(work / len(growing))
            self.refuted += [one.areas for one in growing if one.is_refuted]
            growing = [one for one in growing if not one.is_refuted and not one.is_come_into()]
            if not growing:
                break
            log.info("%d of %d sets are sought from both ends", len(growing), len(new))
            self.wandering.seek([one.grown for one in growing], within, WANDERING)
            growing = [one for one in growing if not one.is_come_into()]
        # last: where a share of work ends before, the rest is sought with the next one
        self._sought += new

    def _wander(self, sets: Iterable[Areas], within: Areas, work: float) -> list[Areas]:
        """Those of some sets that no play is known to come into, after some more were made."""
        left = [areas for areas in sets if not self.back.known.come_into(areas)]
        if left:
            self.wandering.seek(left, within, work)
        return [areas for areas in left if not self.back.known.come_into(areas)]

    def _not_refuted(self, sets: Iterable[Areas], work: float) -> list[Areas]:
        """Those of some sets that neither sums nor few variables refute with so much work."""
        left = list[Areas]()
        for areas in sets:
            if self.back.is_soon_refuted(areas, work):
                self.refuted.append(areas)
            # or a play was found that comes to it
            elif not self.back.known.come_into(areas):
                left.append(areas)
        return left

    def known(self, areas: Areas) -> bool | None:
        """Whether plays come into a set, as far as that is known of it or of a larger one."""
        if self._is_refuted(areas):
            return False
        return self.back.known.come_into(areas) or None

    def _is_refuted(self, areas: Areas) -> bool:
        return not holds_any(areas) or lies_in_any(areas, self.refuted)


class _Growing:
    """A set with all from where it is known, so far, that plays lead into it."""

    def __init__(self, back: Reaching, areas: Areas) -> None:
        self.back = back
        self.areas = areas

        def is_met(area: int, diagram: Diagram) -> bool:
            return bool((diagram & back.known.met[area]).satisfiable())

        self.fixpoint = BackwardFixpoint(back.functions, areas, back.possibly, is_met)
        self.closed = False

    @property
    def grown(self) -> Areas:
        return tuple(self.fixpoint.sets)

    def grow(self, work: float) -> None:
        """Go back from it with so much work."""
        with suppress(WorkSpent), self.back.encoding.budget.within(work):
            self.fixpoint.run()
            self.closed = True
            return
        self.back.encoding.budget.spend(1)  # a share that is all spent outside of here ends this

    @property
    def is_refuted(self) -> bool:
        """Whether all that leads into it is known, and no play comes there."""
        return self.closed and not self.fixpoint.hit

    def is_come_into(self) -> bool:
        """Whether a known play comes into what has grown: it is followed on into the set then."""
        if not self.back.known.come_into(self.grown):
            return False
        self.back.follow(self.fixpoint.closure(), self.areas)
        return True
