"""One thing against every combination of what it asks for, in worlds of any size."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS, Cond, Holds, Level, LockOpen, atoms_of
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Formula, Within, variables_of
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked
from zubrel.findings.dealt import begun
from zubrel.findings.judged import standing_formula
from zubrel.findings.large.questions import whole_lens_for
from zubrel.pipeline import refusing_unrest, whole_survey_of, work_on_question
from zubrel.played.combinations import Probe
from zubrel.played.probe import deciding, probe, refusals, rules_named

MANY_VALUES = 100
"""Values of an amount that are asked about one by one."""


def probes_of(world: World, name: str, budget: Budget, progress: Progress) -> list[Probe]:
    """The probes of what belongs to an id; without numbers of situations where there are too many.

    Raises `InvalidInput` where the world never rests, `LimitReached` where a limit comes first.
    """
    system = compile_world(world, budget)
    try:
        with budget.within(work_on_question(budget)):
            space = whole_survey_of(system, budget, progress)
            progress.stage("probing")
            return probe(space, name, budget)
    except WorkSpent:
        budget.spend(1)  # a share that is all spent outside of here ends this
    with refusing_unrest(world, budget):
        lens = begun(whole_lens_for(system, tuple(_asked(system, name)), budget, progress))
    progress.stage("probing")
    try:
        return probe(lens, name, budget)
    except NotAsked:
        raise budget.end(LimitReached("what a smaller world can tell")) from None


def _asked(system: System, name: str) -> Iterator[Formula]:
    """Tests of all that the probes of an id tell apart."""
    world = system.world
    areas, read, conditions = set[int](), set[int](), list[Cond]()
    if name in world.areas:
        areas.add(list(world.areas).index(name))
        conditions += [said.when for said in world.areas[name].says]
    named = rules_named(world, name)
    for move in (m for m in system.moves if m.rule in named):
        areas |= set(range(len(world.areas)) if move.areas is None else move.areas)
        read |= variables_of(move.guard)
        conditions += [move.rule.offered, *deciding(world, move.rule)]
        conditions += [said.when for said in refusals(world, move.rule)]
        conditions += [] if move.rule.lock is None else [LockOpen(move.rule.lock)]
    for atom in (a for c in conditions if c != ALWAYS for a in atoms_of(c)):
        read |= variables_of(system.formula(atom))
        # more than there can be is asked of nothing, and has a column all the same
        if isinstance(atom, Holds):
            read.add(system.numbers[keys.held(atom.item)])
        elif isinstance(atom, Level):
            read.add(system.numbers[keys.meter(atom.meter)])
    yield standing_formula(system, tuple(sorted(areas)))
    for variable in sorted(read - {PLACE, ENDING}):
        low, high = system.variables[variable].low, system.variables[variable].high
        # each value: what other variables tell of one may be less than what they tell of all
        few = range(low, high + 1) if high - low < MANY_VALUES else (high,)
        yield from (Within(variable, n, n) for n in few)
    yield from (Within(PLACE, area, area) for area in sorted(areas))
