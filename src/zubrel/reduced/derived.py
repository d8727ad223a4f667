"""What happens by itself and only tells that something else is so need not be remembered.

A happening that sets marks, asks for what stays true once it is true, and is the only one to set
them, leaves them set exactly where what it asks for is true, in every situation at rest in which
the game goes on. So the marks are left out, and whoever asks for one asks for that instead.

Why this is sound. Situations at rest correspond one to one, and so do the steps between them; where
the game has ended nobody asks for the marks any more.

Conditions: they begin low, and at the start what is asked for is not true, or the happening takes
place then; nothing that happens by itself asks for the marks, which might be about to be set;
nobody has `asked` for them, who might want to know them after the end; the happening changes
nothing else, and does not ask where the player stands.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    TRUE,
    Formula,
    Load,
    both,
    pieces_of,
    variables_in,
    variables_of,
)
from zubrel.compiled.parts import ENDING, PLACE, Operation, Settler
from zubrel.compiled.system import System
from zubrel.reduced.result import Reduced, fixed, formulas_of, losing, rewritten, telling


def derived(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without marks that only tell that something else is so."""
    system = before.system
    # by mark: what it says
    told: dict[int, Formula] = {}
    left_out: list[int] = []
    staying = _staying(system, asked)
    for number, settler in enumerate(system.settlers):
        marks = _marks(system, settler)
        condition = both(
            p for p in parts_of(settler.guard) if not any(system.is_low(m, p) for m in marks)
        )
        # what is asked beside the marks is what they tell; each of them is asked to be low only
        # so that it happens once
        asks = variables_of(condition)
        if marks and not (
            marks & staying
            or asks & {*marks, *told, PLACE, ENDING}
            or not system.rising.for_good(condition)
        ):
            told |= dict.fromkeys(sorted(marks), condition)
            left_out.append(number)
            # what stands in for a mark must not be left out in its turn in this round
            staying |= asks
    if not told:
        return before
    smaller = replace(
        before,
        system=replace(
            system,
            settlers=tuple(s for n, s in enumerate(system.settlers) if n not in left_out),
        ),
        settlers=tuple(o for n, o in enumerate(before.settlers) if n not in left_out),
    )

    # a folded area whose link asks for a mark is asked for later than the moves are; it is lost
    # rather than wrong
    smaller = rewritten(losing(smaller, told), telling(system, told))
    return replace(smaller, system=fixed(smaller.system, told))


def _marks(system: System, settler: Settler) -> set[int]:
    """The marks that a happening sets, if that is all that it does, and it alone sets them."""
    marks = {c.variable for c in settler.changes}
    alone = all(
        c.operation is Operation.SET
        and c.when == TRUE
        and c.number == system.variables[c.variable].high
        for c in settler.changes
    )
    # set by anybody else, a mark would not tell that the condition holds
    others = [c for s in system.steps for c in s.changes]
    others += [c for s in system.settlers if s is not settler for c in s.changes]
    if not alone or marks & {c.variable for c in others}:
        return set()
    low = all(
        system.variables[m].size == 2 and system.variables[m].start == system.variables[m].low
        for m in marks
    )
    return marks if low else set()


def _staying(system: System, asked: Sequence[Formula]) -> set[int]:
    """Variables that somebody asks for who might see them before they are set, or after the end."""
    by_itself = [*asked, *(s.guard for s in system.settlers)]
    by_itself += [c.when for s in system.settlers for c in s.changes]
    # a load weighs the mark itself, and a formula has no weight
    loads = [p for f in formulas_of(system) for p in pieces_of(f) if isinstance(p, Load)]
    return {PLACE, ENDING, *variables_in((*by_itself, *loads))}
