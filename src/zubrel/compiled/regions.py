"""Regions: areas between which the player can walk to and fro, gates ignored.

Strongly connected components of the graph of all ways. Whoever goes from one region into another
never comes back.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import product

from zubrel.compiled.parts import PLACE, Move, Settler, Variable


def regions_of(areas: Iterable[int], ways: Iterable[tuple[int, int]]) -> dict[int, int]:
    """For each area the number of its region; whatever can be entered from a region comes later."""
    import networkx  # takes longer to load than a small world to check

    graph = networkx.DiGraph()
    graph.add_nodes_from(areas)
    graph.add_edges_from(ways)
    joined = networkx.condensation(graph)
    order = networkx.lexicographical_topological_sort(
        joined, lambda n: min(joined.nodes[n]["members"])
    )
    return {a: n for n, node in enumerate(order) for a in joined.nodes[node]["members"]}


def every_way(
    variables: Sequence[Variable], moves: Iterable[Move], settlers: Iterable[Settler]
) -> Iterator[tuple[int, int]]:
    """From where to where moves lead; what happens by itself may send the player from anywhere."""
    everywhere = range(variables[PLACE].size)
    for move in moves:
        ends = [c.number for s in move.steps for c in s.changes if c.variable == PLACE]
        yield from product(everywhere if move.areas is None else move.areas, ends)
    for settler in settlers:
        ends = [c.number for c in settler.changes if c.variable == PLACE]
        yield from product(everywhere, ends)
