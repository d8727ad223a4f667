"""Random worlds that are small enough to be listed, with all their situations."""

from unittest import mock

from tests.test_against_reference import scalar, world_of
from zubrel.base.budget import Budget, Limits
from zubrel.certain.stage import Looking
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import EndlessSettling
from zubrel.findings.find import find
from zubrel.narrated import seen

LOOK, PART = 60_000, 20_000
"""Units of work on what is certain, and on each part of what a sample shows."""


def small_worlds(seeds, makers):
    """The name, the system and the space of one world a seed and maker, unless it never rests."""
    for seed in seeds:
        for make in makers:
            system = compile_world(world_of(make(seed)))
            try:
                yield f"{make.__name__} {seed}", system, scalar(system)
            except EndlessSettling:
                continue


def seen_in_sample(system, situations):
    """What a sample of so many situations shows, as findings in words."""
    looking = Looking(system, Budget(Limits()))
    looking.go_on(LOOK)
    with mock.patch.object(seen, "SAMPLE", situations):
        return seen.findings_seen(looking, (), PART)


def untrue_of(space, told):
    """Those of some findings in words that are not found in all situations."""
    exact = {(finding.kind, finding.subject) for finding in find(space).findings}
    return [one for one in told if (one.kind, one.subject) not in exact]
