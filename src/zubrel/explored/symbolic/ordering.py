"""In which order the variables of a system stand in a decision diagram.

Variables that rules use together should stand near each other. FORCE moves each one to the middle
of the rules that use it until that helps no more (Aloul, Markov, Sakallah: FORCE, a fast and
easy-to-implement variable-ordering heuristic, 2003). It starts from the order of the map, which
tells most already. The place stands on top, the ending last.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence

from zubrel.compiled.formulas import variables_of
from zubrel.compiled.parts import ENDING, PLACE, Change
from zubrel.compiled.system import System

ROUNDS = 60


def order_of(system: System) -> list[int]:
    """The numbers of the variables with more than one value, the topmost first."""
    counted = [n for n, v in enumerate(system.variables) if v.size > 1 and n not in (PLACE, ENDING)]
    edges = _edges(system)
    order = _force(counted, edges, _map_positions(system, counted))
    # nearly every rule asks for the place: below others it would be repeated in each of their
    # branches
    top = [PLACE] if system.variables[PLACE].size > 1 else []
    # the ending is written by many and read by none until the end
    last = [ENDING] if system.variables[ENDING].size > 1 else []
    return top + order + last


def used_by(guard: Iterable[int], changes: Sequence[Change]) -> frozenset[int]:
    """The variables that a rule asks about or changes."""
    used = set(guard)
    for change in changes:
        used.add(change.variable)
        used |= variables_of(change.when)
    return frozenset(used)


def _edges(system: System) -> list[frozenset[int]]:
    # each rule pulls together what it reads and what it writes, guards and changes alike
    edges = [
        used_by(variables_of(move.guard), step.changes)
        for move in system.moves
        for step in move.steps
    ]
    edges += [used_by(variables_of(s.guard), s.changes) for s in system.settlers]
    edges += [variables_of(formula) for formula, _ in system.endings]
    here: dict[int, set[int]] = {}
    for move, edge in zip(
        (m for m in system.moves for _ in m.steps), edges[: len(system.steps)], strict=True
    ):
        for area in move.areas or ():
            here.setdefault(area, set()).update(edge)
    # what is done in one area belongs together a little, even if no rule joins it
    edges += [frozenset(weights) for weights in here.values()]
    return edges


def _map_positions(system: System, variables: Sequence[int]) -> dict[int, float]:
    """For each variable the middle of the areas whose rules use it, areas in walking order."""
    places = _walking_order(system)
    positions: dict[int, list[int]] = {v: [] for v in variables}
    for move in system.moves:
        if move.areas is None:
            continue
        for step in move.steps:
            for variable in used_by(variables_of(move.guard), step.changes):
                if variable in positions:
                    # a variable used in several areas stands in their middle
                    positions[variable] += [places[a] for a in move.areas]
    middle = len(places) / 2
    return {v: sum(at) / len(at) if at else middle for v, at in positions.items()}


def _walking_order(system: System) -> dict[int, int]:
    """Each area's place in a breadth-first walk over all ways, gates ignored."""
    names = {area: n for n, area in enumerate(system.variables[PLACE].names)}
    after: dict[int, list[int]] = {}
    for move in system.moves:
        # what a way asks for does not matter here: areas that lie side by side are near each other
        for outcome in move.rule.outcomes:
            if outcome.destination is not None:
                for area in move.areas or ():
                    after.setdefault(area, []).append(names[outcome.destination])
    start = system.variables[PLACE].start
    order = {start: 0}
    queue = deque([start])
    while queue:
        for there in after.get(queue.popleft(), ()):
            if there not in order:
                order[there] = len(order)
                queue.append(there)
    for area in names.values():
        # areas that no way leads to stand last
        order.setdefault(area, len(order))
    return order


def _force(
    variables: Sequence[int], edges: Iterable[frozenset[int]], start: dict[int, float]
) -> list[int]:
    known = set(variables)
    kept = [e & known for e in edges]
    # many rules use the same variables, and would pull as often as there are rules
    kept = [e for e in dict.fromkeys(kept) if len(e) > 1]
    of: dict[int, list[int]] = {v: [] for v in variables}
    for number, edge in enumerate(kept):
        for variable in edge:
            of[variable].append(number)
    # an edge pulls the less the more variables share it
    weights = [1 / (len(edge) - 1) ** 2 for edge in kept]
    order = sorted(variables, key=lambda v: start[v])
    best, least = order, float("inf")
    for _ in range(ROUNDS):
        at = {v: n for n, v in enumerate(order)}
        spans = [[at[v] for v in edge] for edge in kept]
        # the span of an edge is about what the diagram has to remember across it
        cost = sum(w * (max(s) - min(s)) for s, w in zip(spans, weights, strict=True))
        if cost < least:
            best, least = order, cost
        middles = [sum(s) / len(s) for s in spans]
        pulled = {
            v: sum(weights[e] * middles[e] for e in of[v]) / sum(weights[e] for e in of[v])
            if of[v]
            else float(at[v])
            for v in order
        }
        # ties keep their places: the same world gives the same order
        after = sorted(order, key=lambda v: (pulled[v], at[v]))
        if after == order:
            break
        order = after
    return best
