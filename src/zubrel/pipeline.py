"""The stages in a row: a world file goes in at the top and comes out as a report.

This is also the public Python interface: `load`, `survey`, `report`.
"""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.atoms.budget import Budget, Limits
from zubrel.atoms.diagnostics import Diagnostic, InvalidInput
from zubrel.atoms.progress import Progress, Silence
from zubrel.authored.conditions import Condition
from zubrel.authored.document import read_document
from zubrel.checked.check import check
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling
from zubrel.findings.find import find
from zubrel.findings.verdict import AnySpace
from zubrel.narrated.narrate import narrate
from zubrel.narrated.report import Report


def load(path: str, asked: Iterable[Condition] = ()) -> World:
    """The world in the file at `path`. Raises `InvalidInput` with every problem of the file.

    `asked` are further conditions to be resolved against it, for example of a command line.
    """
    return check(read_document(path), asked)


def survey(world: World, budget: Budget, progress: Progress | None = None) -> AnySpace:
    """Every situation of `world`. Raises `InvalidInput` when it never comes to rest."""
    system = compile_world(world)
    try:
        return explore(system, budget, progress or Silence())
    except EndlessSettling as endless:
        raise InvalidInput([_never_rests(world, endless)]) from None


def report(world: World, limits: Limits | None = None, progress: Progress | None = None) -> Report:
    """What can be proved about `world` within `limits`, and what was found."""
    progress = progress or Silence()
    budget = Budget(limits or Limits())
    space = survey(world, budget, progress)
    progress.stage("looking for trouble")
    found = find(space)
    progress.stage("writing it up")
    return narrate(found, budget.seconds())


def _never_rests(world: World, endless: EndlessSettling) -> Diagnostic:
    """What goes round in a circle, and the moves that set it off."""
    spans = {h.id: h.span for h in world.happenings}
    first, *others = endless.cycle
    moves = [f"“{step.rule.label}”" for step in endless.trace.steps]
    after = "after these moves: " + ", ".join(moves) if moves else "at the very start"
    circle = " and ".join(f'"{h}"' for h in endless.cycle)
    return Diagnostic(
        "never-rests",
        f"{circle} goes on happening for ever, {after}" if not others else
        f"{circle} undo each other for ever, {after}",
        spans[first],
        'Let what happens make its own "when" false, or say "once: true".',
        tuple(("together with this", spans[other]) for other in others),
    )  # fmt: skip
