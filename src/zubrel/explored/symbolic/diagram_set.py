"""A set of situations that is a decision diagram."""

from __future__ import annotations

from zubrel.explored.symbolic.encoding import Diagram


class DiagramSet:
    """A set of situations as a diagram.

    `asks` are the variables that decide who is in it, where that is known.
    """

    __slots__ = ("asks", "diagram")

    def __init__(self, diagram: Diagram, asks: frozenset[int] | None = None) -> None:
        self.diagram = diagram
        self.asks = asks

    def __and__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(self.diagram & other.diagram)

    def __or__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(self.diagram | other.diagram)

    def __sub__(self, other: DiagramSet) -> DiagramSet:
        return DiagramSet(other.diagram.imp_strict(self.diagram))

    def __bool__(self) -> bool:
        return bool(self.diagram.satisfiable())
