"""Levers at hand: what can be set to any value wherever somebody asks for it need not be known.

A variable is left out if only *levers* change it, moves that set it and do nothing else, and if in
every area where another move asks for it there are levers that lead from each of its values to each
other, asking for nothing but these values. Such a move then asks for what it would ask for with the
best of the values.

Why this is sound. Before every move that asks for the variable, the player can give it any value,
on the spot and without changing anything else; so situations that differ only in it have the same
future, but for levers, and no lever dooms.

Conditions: no ending, nothing that happens by itself, no condition of a change and nothing that is
asked for reads the variable.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import networkx
from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    Formula,
    Within,
    both,
    either,
    substituted,
    variables_of,
)
from zubrel.compiled.parts import PLACE, Move, Operation
from zubrel.compiled.system import System
from zubrel.reduced.result import Rebuilding, Reduced, fixed, losing
from zubrel.reduced.users import Users


def levers(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without the variables that can always be set to what is wanted."""
    system = before.system
    at_hand = _at_hand(system, asked)
    if not at_hand:
        return before
    before = losing(before, at_hand)
    new, silent = Rebuilding(before), {s.number: s for s in before.silent}
    for move in system.moves:
        changed = {c.variable for s in move.steps for c in s.changes}
        # the levers themselves are left out: nobody dooms by pulling one
        if changed and changed <= at_hand:
            silent |= {s.number: s for s in (before.originals[s.number] for s in move.steps)}
            continue
        guard = move.guard
        for variable in sorted(variables_of(guard) & at_hand):
            # several variables are chosen one after the other: each lever asks for its own alone
            guard = _with_some_value(system, guard, variable)
        new.add(replace(move, guard=guard), move.steps)
    smaller = new.reduced
    return replace(smaller, system=fixed(smaller.system, at_hand), silent=tuple(silent.values()))


def _with_some_value(system: System, guard: Formula, variable: int) -> Formula:
    """What a guard asks for, if a variable may have the best of its values."""
    values = range(system.variables[variable].low, system.variables[variable].high + 1)
    parts = parts_of(guard)
    asking = both(p for p in parts if variable in variables_of(p))
    # all that asks for the variable must like the same value, so it is chosen for them together
    chosen = either(substituted(asking, _being(variable, value)) for value in values)
    return both((*(p for p in parts if variable not in variables_of(p)), chosen))


def _being(variable: int, value: int) -> Callable[[Within], Formula]:
    """What tests say where a variable has a value."""

    def test(test: Within) -> Formula:
        if test.variable != variable:
            return test
        return TRUE if test.low <= value <= test.high else FALSE

    return test


def _at_hand(system: System, asked: Sequence[Formula]) -> set[int]:
    """The variables that can be set to any value wherever a move asks for them."""
    users = Users(system, asked)
    barred = set(users.barred)
    pulled: dict[int, list[Move]] = {}
    for move in system.moves:
        changed = {c.variable for s in move.steps for c in s.changes}
        if _is_lever(move):
            pulled.setdefault(changed.pop(), []).append(move)
        else:
            # whatever else changes it cannot be undone at will
            barred |= changed
    return {
        variable
        for variable, moves in pulled.items()
        if variable not in barred
        and all(
            _everywhere(system, variable, moves, reader)
            for reader in users.readers.get(variable, ())
            # levers may ask for their own variable: the graph below knows of that
            if reader not in moves
        )
    }


def _is_lever(move: Move) -> bool:
    """Whether a move does nothing but set one variable, and asks for nothing else."""
    if len(move.steps) != 1 or len(move.steps[0].changes) != 1:
        return False
    (change,) = move.steps[0].changes
    return (
        change.operation in (Operation.SET, Operation.FLIP)
        and change.when == TRUE
        and variables_of(move.guard) <= {change.variable}
    )


def _everywhere(system: System, variable: int, levers: Sequence[Move], reader: Move) -> bool:
    """Whether a variable can be given any value wherever another move may be made."""
    areas = reader.areas if reader.areas is not None else range(system.variables[PLACE].size)
    domain = system.variables[variable]
    for area in areas:
        graph = networkx.DiGraph()
        # a value that no lever leads to or from keeps the graph from being connected
        graph.add_nodes_from(range(domain.low, domain.high + 1))
        for lever in levers:
            if lever.areas is None or area in lever.areas:
                graph.add_edges_from(_turns(system, variable, lever))
        if not networkx.is_strongly_connected(graph):
            return False
    return True


def _turns(system: System, variable: int, lever: Move) -> Iterator[tuple[int, int]]:
    """From which value to which a lever leads."""
    domain, (change,) = system.variables[variable], lever.steps[0].changes
    for value in range(domain.low, domain.high + 1):
        if substituted(lever.guard, _being(variable, value)) == TRUE:
            flipped = domain.low + domain.high - value
            yield value, change.number if change.operation is Operation.SET else flipped
