"""Random worlds that are small enough to be listed, with all their situations."""

from tests.test_against_reference import scalar, world_of
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import EndlessSettling


def small_worlds(seeds, makers):
    """The name, the system and the space of one world a seed and maker, unless it never rests."""
    for seed in seeds:
        for make in makers:
            system = compile_world(world_of(make(seed)))
            try:
                yield f"{make.__name__} {seed}", system, scalar(system)
            except EndlessSettling:
                continue
