"""What plays that look for moves which doom are aimed at, and what they like to do on the way."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.formulas import FALSE
from zubrel.compiled.parts import PLACE, Operation, Step
from zubrel.compiled.system import System

WASTES, SPENDS, GAINS = 20.0, 5.0, 0.1
"""How much more likely a wandering play takes a step that only lowers amounts, or lowers and raises
some, and how much less likely one that only raises them."""
AMOUNTS = ("held", "meter", "stored")


def waste_of(system: System, step: Step) -> float:
    """How much a wandering play likes a step: the more, the more it wastes."""
    lowers = raises = False
    for change in step.changes:
        variable = system.variables[change.variable]
        # amounts only: whether a fact or a lock is spent nobody can tell by its sign
        if variable.key[0] in AMOUNTS:
            if change.operation is Operation.SET:
                lowers |= change.number == variable.low
                raises |= change.number != variable.low
            else:
                lowers |= change.number < 0
                raises |= change.number > 0
    # who pays for something gets it, as often as not: pure waste is more likely to doom
    if lowers:
        return SPENDS if raises else WASTES
    return GAINS if raises else 1.0


def aims_of(system: System, weights: Sequence[float]) -> list[int]:
    """The steps that plays are aimed at: first those that leave a region, then those that waste."""

    def leaves(step: Step) -> bool:
        # a region that is left is never come back to: what was left behind there is gone
        region = system.regions
        ends = [c.number for c in step.changes if c.variable == PLACE]
        # a rule without areas can be tried anywhere
        starts = system.move_of[step.number].areas or range(system.variables[PLACE].size)
        return any(region[start] != region[end] for start in starts for end in ends)

    steps = [s for m in system.moves if m.guard != FALSE for s in m.steps if s.changes]
    return [
        s.number for s in sorted(steps, key=lambda s: (not leaves(s), -weights[s.number], s.number))
    ]
