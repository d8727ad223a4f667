"""What no variable ever is need not be asked for.

Each variable has a set of values that it may ever have (`System.possible_values`, an
over-approximation: the least sets closed under all steps, taken one variable at a time). A test
that all of them pass is true, one that none of them passes is false. A door that asks for more
than can ever be carried is then shut for good, and with it goes all that lies behind.

Why this is sound. Formulas differ only in situations that no play comes to.

Condition: the sets are of the whole world, so this is done to it before anything else; a variable
whose meaning a reduction has changed could have other values.
"""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.formulas import FALSE, TRUE, Formula, Within, substituted
from zubrel.compiled.possible import mask_of
from zubrel.reduced.result import Reduced, rewritten


def values(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without tests that are decided by the values that variables may ever have."""
    system = before.system
    possible = system.possible_values

    def decided(test: Within) -> Formula:
        inside = mask_of(system.variables[test.variable], test.low, test.high)
        mask = possible[test.variable]
        if not mask & inside:
            return FALSE
        return test if mask & ~inside else TRUE

    return rewritten(before, lambda formula: substituted(formula, decided))
