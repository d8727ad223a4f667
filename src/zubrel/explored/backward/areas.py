"""Sets of situations with one diagram an area, combined area by area."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.explored.symbolic.encoding import Diagram

Areas = tuple[Diagram, ...]
"""A set of situations: for each area those in it."""


def shared(one: Areas, other: Areas) -> Areas:
    """What lies in both of two sets."""
    return tuple(a & b for a, b in zip(one, other, strict=True))


def joined(one: Areas, other: Areas) -> Areas:
    """What lies in one of two sets."""
    return tuple(a | b for a, b in zip(one, other, strict=True))


def without(one: Areas, other: Areas) -> Areas:
    """What lies in one set, and not in the other."""
    return tuple(a & ~b for a, b in zip(one, other, strict=True))


def holds_any(areas: Areas) -> bool:
    """Whether a set holds any situation, reached or not."""
    return any(area.satisfiable() for area in areas)


def lies_in_any(areas: Areas, others: Iterable[Areas]) -> bool:
    """Whether all of a set lies in one of some others."""
    # most sets lie in few areas
    held = [number for number, diagram in enumerate(areas) if diagram.satisfiable()]
    return any(
        not any((areas[number] & ~other[number]).satisfiable() for number in held)
        for other in others
    )


def nodes_of(areas: Areas) -> int:
    """How many nodes the diagrams of a set have."""
    return sum(diagram.node_count() for diagram in areas)
