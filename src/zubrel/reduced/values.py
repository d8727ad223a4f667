"""What no variable ever is need not be asked for.

Each variable has a set of values that it may ever have (`System.possible_values`, an
over-approximation: the least sets closed under all steps, taken one variable at a time). A test
that all of them pass is true, one that none of them passes is false. A door that asks for more
than can ever be carried is then shut for good, and with it goes all that lies behind. Moves and
happenings that are never possible are left out, so that nobody keeps what they ask for: also those
that ask for values which can only be had one by one (`System.pairs`).

Why this is sound. Formulas differ only in situations that no play comes to.

Condition: the sets are of the whole world, so this is done to it before anything else; a variable
whose meaning a reduction has changed could have other values.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import FALSE, TRUE, Formula, Within, substituted
from zubrel.compiled.possible import mask_of
from zubrel.reduced.result import Rebuilding, Reduced, rewritten


def values(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without tests that are decided by the values that variables may ever have."""
    system = before.system
    possible = system.possible_values

    def decided(test: Within) -> Formula:
        # values as bits of one number: a set of them is compared by one operation
        inside = mask_of(system.variables[test.variable], test.low, test.high)
        mask = possible[test.variable]
        if not mask & inside:
            return FALSE
        return test if mask & ~inside else TRUE

    decided_tests = rewritten(before, lambda formula: substituted(formula, decided))
    return _without_never(decided_tests, system.never, system.never_by_itself)


def _without_never(
    before: Reduced, never: Collection[int], never_by_itself: Collection[int]
) -> Reduced:
    """The same without what is never possible: steps by their numbers, settlers by their places."""
    system, new = before.system, Rebuilding(before)
    for move in system.moves:
        # a move that is never possible would keep alive all that it asks for. Luck does not choose
        # whether a move is possible: where one outcome never comes, none does
        if move.guard != FALSE and not any(step.number in never for step in move.steps):
            new.add(move, move.steps)
    happening = [
        n for n, s in enumerate(system.settlers) if s.guard != FALSE and n not in never_by_itself
    ]
    smaller = new.without_the_impossible
    return replace(
        smaller,
        system=replace(
            smaller.system,
            settlers=tuple(system.settlers[n] for n in happening),
            # an ending by a formula that never holds; those that moves lead to are not in this
            # list
            endings=tuple((f, n) for f, n in system.endings if f != FALSE),
        ),
        settlers=tuple(before.settlers[n] for n in happening),
        never_by_itself=frozenset(before.settlers) - {before.settlers[n] for n in happening},
    )
