"""Regions: areas between which the player can walk to and fro, gates ignored.

Strongly connected components of the graph of all ways. Whoever goes from one region into another
never comes back.
"""

from __future__ import annotations

from collections.abc import Iterable

import networkx

from zubrel.compiled.system import PLACE, Move, System


def regions(system: System) -> dict[int, int]:
    """For each area the number of its region; whatever can be entered from a region comes later."""
    graph = networkx.DiGraph()
    graph.add_nodes_from(range(system.variables[PLACE].size))
    graph.add_edges_from(every_way(system))
    joined = networkx.condensation(graph)
    order = networkx.lexicographical_topological_sort(
        joined, lambda n: min(joined.nodes[n]["members"])
    )
    return {a: n for n, node in enumerate(order) for a in joined.nodes[node]["members"]}


def _ways(system: System, move: Move) -> Iterable[tuple[int, int]]:
    starts = range(system.variables[PLACE].size) if move.areas is None else move.areas
    for step in move.steps:
        for change in step.changes:
            if change.variable == PLACE:
                for start in starts:
                    yield start, change.number


def every_way(system: System) -> Iterable[tuple[int, int]]:
    """From where to where moves lead; what happens by itself may send the player from anywhere."""
    for move in system.moves:
        yield from _ways(system, move)
    for settler in system.settlers:
        for change in settler.changes:
            if change.variable == PLACE:
                for start in range(system.variables[PLACE].size):
                    yield start, change.number
