"""What is told of a world that never rests."""

from __future__ import annotations

from zubrel.base.diagnostics import Diagnostic
from zubrel.checked.world import World
from zubrel.explored.space import EndlessSettling


def never_rests(world: World, endless: EndlessSettling) -> Diagnostic:
    """What goes round in a circle, and the moves that set it off."""
    spans = {h.id: h.span for h in world.happenings}
    # the first of the circle takes the blame, and the others are pointed at
    first, *others = endless.cycle
    moves = [f"“{step.rule.label}”" for step in endless.trace.steps]
    after = "after these moves: " + ", ".join(moves) if moves else "at the very start"
    circle = " and ".join(f'"{h}"' for h in endless.cycle)
    return Diagnostic(
        "never-rests",
        f"{circle} goes on happening for ever, {after}"
        if not others
        else f"{circle} undo each other for ever, {after}",
        spans[first],
        'Let what happens make its own "when" false, or say "once: true".',
        tuple(("together with this", spans[other]) for other in others),
    )
