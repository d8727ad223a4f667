"""What another variable tells in every situation need not be remembered.

A variable of two values that follows from one other (the coop stands exactly where it was built) is
left out, and whoever asks for it asks for the other instead (`System.twins`).

Why this is sound. In every situation that a play comes to, on its way to rest as well, both say the
same; so guards hold where they held, and a step that changed the one changes the other, so that it
still makes a difference.

Conditions: those of `compiled/twins.py`; and twins are those of the whole world, so this is done
before a variable gets another meaning.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from zubrel.compiled.formulas import Formula
from zubrel.reduced.result import Reduced, fixed, rewritten, telling, without_changes


def twins(before: Reduced, told: Mapping[int, Formula]) -> Reduced:
    """The system without variables of which another one tells where they are high."""
    if not told:
        return before
    told_by_others = telling(before.system, told)
    smaller = without_changes(rewritten(before, told_by_others), told.keys())
    return replace(
        smaller,
        system=fixed(smaller.system, told),
        swaps=(*smaller.swaps, told_by_others),
    )
