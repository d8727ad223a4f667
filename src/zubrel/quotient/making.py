"""Which lens answers a question, with how much work: forwards first, or sets closed backwards."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from itertools import count
from typing import Any

from zubrel.base.budget import Budget, WorkSpent
from zubrel.base.progress import Progress
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.system import System
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.symbolic.search import SymbolicSearch, explore_symbolic
from zubrel.policy import BACKWARD, FAR, FORWARD, LONGER
from zubrel.quotient.lens import Lens
from zubrel.reduced.reduce import EVERY, reduce
from zubrel.reduced.result import Reduced

log = logging.getLogger(__name__)


def lens_for(
    system: System,
    asked: Sequence[Formula],
    budget: Budget,
    progress: Progress,
    using: Iterable[str] = EVERY,
    forward: float | None = None,
) -> Lens[Any]:
    """The world through a lens for `asked`. Raises `EndlessSettling` as a search does.

    `forward` is the work on all that is reached, before sets are closed backwards instead (None:
    `FORWARD`).
    """
    reduced = reduced_for(system, asked, budget, using)
    # whoever asks many questions gives each of them less
    most = FORWARD if forward is None else forward
    lens = forward_lens(system, reduced, budget, progress, most)
    return lens or backward_lens(system, reduced, budget)


def forward_lens(
    system: System, reduced: Reduced, budget: Budget, progress: Progress, work: float
) -> Lens[Any] | None:
    """A reduced system with all that is reached; None where that takes more than so much work."""
    try:
        with budget.within(work):
            # fewest steps there are not fewest moves of the world, and cost most of the evidence
            space = explore_symbolic(reduced.system, budget, progress, fewest=not reduced.shortens)
            return Lens(system, reduced, space)
    except WorkSpent:
        log.info("all that is reached is too much work: sets are closed backwards")
        return None


def backward_lens(system: System, reduced: Reduced, budget: Budget) -> Lens[Any]:
    """A reduced system with sets closed backwards, whatever of them is asked for."""
    return Lens(system, reduced, BackwardSpace(reduced.system, budget))


def reduced_for(
    system: System, asked: Sequence[Formula], budget: Budget, using: Iterable[str] = EVERY
) -> Reduced:
    """The world made smaller, with what answers `asked` kept."""
    # what happens by itself is kept whole where a world that never rests has to be found out
    settled = [] if system.always_rests else sorted(system.settled)
    kept: list[Formula] = [
        Within(v, system.variables[v].low, system.variables[v].low) for v in settled
    ]
    if system.world.deals:
        kept.append(system.begun)
    reduced = reduce(system, (*asked, *kept), tuple(using), budget)
    left, _ = reduced.size
    log.info("a lens for %d formulas: %d variables left", len(asked), left)
    return reduced


def first_lens(
    system: System,
    budget: Budget,
    progress: Progress,
    *asking: Callable[[Lens[Any]], object],
    reduced: Reduced | None = None,
) -> Lens[Any]:
    """The world through a lens for its end, which answers what is asked, one after the other;
    `reduced` for that, where it was made smaller before.

    Forwards and backwards in turn, each time with more work: either may be hopeless where the
    other takes a second. Each answer is waited for longer than the one before; what leads to a win
    is found first, and where that is known backwards, and not half of all is reached, the second
    turn goes on backwards at once. Raises what `lens_for` does.
    """
    if reduced is None:
        reduced = reduced_for(system, (), budget)
    forward = SymbolicSearch(reduced.system, budget, progress, fewest=not reduced.shortens)
    space: BackwardSpace | None = None
    work = more = float(FORWARD)
    for turn in count():
        if turn != 1 or forward.is_far or space is None or not space.has_closed:
            began = budget.work
            with suppress(WorkSpent), budget.within(more):
                forward.run()
                return Lens(system, reduced, forward.space)
            log.info("all that is reached takes more than %.0f units of work", budget.work - began)
        with suppress(WorkSpent):
            with budget.within(BACKWARD * work):
                space = space or BackwardSpace(reduced.system, budget)
            backward = Lens(system, reduced, space)
            for number, ask in enumerate(asking):
                with budget.within(BACKWARD * work * LONGER**number):
                    ask(backward)  # what it finds out is known from then on
            return backward
        log.info("what is asked takes more than %.0f units of work", BACKWARD * work)
        budget.spend(1)  # a share that is all spent outside of here ends this
        work *= 4
        # what is behind for good stays small, and half of the way is no bad sign for the rest
        more = FAR * work if forward.is_far else work
    raise AssertionError("turns go on until an answer or a limit")
