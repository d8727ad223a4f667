"""A system that ends well where something is asked for, and nowhere else.

What finds a win finds a play to that then, and what proves that there is none proves that no play
comes to it.
"""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from zubrel.base.source import Source, Span
from zubrel.checked.things import Ending
from zubrel.compiled.formulas import FALSE, Formula, variables_of
from zubrel.compiled.parts import ENDING, Change
from zubrel.compiled.system import System

ASKED, AVOIDED = "what is asked for", "what is avoided"
"""Endings that no author can name so."""
NOWHERE = Span(Source("", ()), 1, 1, 1)


def asking(
    system: System, formula: Formula, avoided: Formula = FALSE, going_on: bool = False
) -> System | None:
    """The system as it ends well where a formula holds, and badly where `avoided` does first.

    `going_on`: the formula holds only while the game goes on. None where something may happen that
    ends the game and makes one of the formulas true at once, which nobody would see.
    """
    told = () if going_on else (formula,)
    if _may_hold_at_ends(system, (*told, avoided)):
        return None
    return _ending_well(system, (ASKED,), formula, avoided, going_on)


def asking_to_end(system: System, good: Iterable[str], avoided: Formula = FALSE) -> System | None:
    """The same where it ends with one of these endings of the world."""
    if _may_hold_at_ends(system, (avoided,)):
        return None
    return _ending_well(system, tuple(good), FALSE, avoided, going_on=True)


def _ending_well(
    system: System, good: tuple[str, ...], formula: Formula, avoided: Formula, going_on: bool
) -> System:
    endings = {i: replace(e, good=i in good) for i, e in system.world.endings.items()}
    for name in (ASKED, AVOIDED):
        endings[name] = Ending(name, name, NOWHERE, name in good, None)
    last = system.variables[ENDING].high
    names = (*system.variables[ENDING].names, ASKED, AVOIDED)
    return replace(
        system,
        world=replace(system.world, endings=endings),
        variables=tuple(
            replace(v, high=last + 2, names=names) if n == ENDING else v
            for n, v in enumerate(system.variables)
        ),
        # what ends the game may be what is asked for as well, unless it asks that nothing has
        endings=(
            (avoided, last + 2),
            *(system.endings if going_on else ()),
            (formula, last + 1),
            *(() if going_on else system.endings),
        ),
    )


def _may_hold_at_ends(system: System, formulas: Iterable[Formula]) -> bool:
    """Whether a formula may begin to hold as the game ends, and not by a condition for an end."""
    read = {v for formula in formulas for v in variables_of(formula)}
    # of what happens by itself, nobody knows after what
    if read and any(_ends(settler.changes) for settler in system.settlers):
        return True
    ending = (step for step in system.steps if _ends(step.changes))
    return any(c.variable in read for step in ending for c in step.changes)


def _ends(changes: Iterable[Change]) -> bool:
    return any(change.variable == ENDING for change in changes)
