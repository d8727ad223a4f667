"""System -> Certain: the stage function of this folder."""

from __future__ import annotations

import logging
from contextlib import suppress
from functools import cached_property

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached
from zubrel.certain.hunt import Doom, Hunt, every_doom
from zubrel.certain.wins import Seeker
from zubrel.compiled.formulas import Formula
from zubrel.compiled.operators import Domains
from zubrel.compiled.parts import Step
from zubrel.compiled.relaxation import Relaxation
from zubrel.compiled.system import System

FOR_A_WIN = 0.6
"""The share of the work that may go by until a first win is found."""
FOR_DOOMS = 0.75
"""The share of the work that has gone by when plays are made shorter instead of looking on."""

log = logging.getLogger(__name__)


class Certain(Struct, frozen=True):
    """What is certain, whatever else a proof may find.

    `win` are the steps of a win, which may not be the shortest (None: none was found).
    `unwinnable`: there is none. `dooms` are not all that there are.
    """

    system: System
    relaxation: Relaxation
    win: tuple[Step, ...] | None
    unwinnable: bool
    dooms: tuple[Doom, ...]

    @property
    def whole(self) -> Future:
        """All that may ever come."""
        return Future(self.relaxation, tuple(v.start for v in self.system.variables))


class Future(Struct, frozen=True, dict=True):
    """All that may still come after the situation with these `values`, and perhaps more."""

    relaxation: Relaxation
    values: tuple[int, ...]

    @cached_property
    def domains(self) -> Domains:
        """For each variable the values that it may still have."""
        return self.relaxation.fixpoint(self.relaxation.domains(self.values))

    def may_hold(self, formula: Formula) -> bool:
        """Whether a formula may still come to hold. False is certain."""
        masks = self.relaxation.operators.masks
        return masks.holds(masks.of(formula), self.domains)


def certain(system: System, work: float, budget: Budget) -> Certain:
    """What can be told for certain with so much work, within the limits of `budget`.

    Raises `EndlessSettling` where a play that is looked at never comes to rest.
    """
    aside = budget.aside()
    seeker = Seeker(system, aside)
    hunt = Hunt(seeker)
    if seeker.is_hopeless(hunt.start):
        log.info("there is no win, as sets of values tell, %.0f units of work", aside.work)
        return Certain(system, seeker.relaxation, None, True, ())
    won = False
    with suppress(LimitReached, MemoryError), aside.within(work * FOR_A_WIN):
        won = hunt.first_win()
    log.info("a win %s, %.0f units of work", "is known" if won else "was not found", aside.work)
    if not won:
        return Certain(system, seeker.relaxation, None, False, ())
    for search, until in ((hunt.run, FOR_DOOMS), (hunt.shorten, 1.0)):
        with suppress(LimitReached, MemoryError), aside.within(work * until - aside.work):
            search()
    dooms = tuple(every_doom(hunt))
    log.info("%d moves certainly doom, %.0f units of work", len(dooms), aside.work)
    return Certain(system, seeker.relaxation, hunt.win(), False, dooms)
