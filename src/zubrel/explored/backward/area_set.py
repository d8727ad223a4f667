"""A set of reached situations, of which it is found out when it matters whether it is empty."""

from __future__ import annotations

from typing import Protocol

from zubrel.explored.backward.areas import Areas, holds_any, joined, shared, without
from zubrel.explored.space import NotAsked


class Decides(Protocol):
    """Whoever can tell whether plays come to some of a set."""

    def is_reached(self, situations: AreaSet) -> bool: ...


class AreaSet:
    """Those situations of one diagram an area that plays come to.

    `avoiding`: only by plays that are never there. `origin`: only by plays that go on from there.
    Sets that different plays come to cannot be combined: `NotAsked`.
    """

    __slots__ = ("areas", "avoiding", "origin", "space")

    def __init__(
        self,
        space: Decides,
        areas: Areas,
        avoiding: Areas | None = None,
        origin: AreaSet | None = None,
    ) -> None:
        self.space = space
        self.areas = areas
        self.avoiding = avoiding
        self.origin = origin

    def with_areas(self, areas: Areas) -> AreaSet:
        """Other situations that the same plays come to."""
        return AreaSet(self.space, areas, self.avoiding, self.origin)

    @property
    def is_plain(self) -> bool:
        """Whether all plays count."""
        return self.avoiding is None and self.origin is None

    @property
    def holds_any(self) -> bool:
        """Whether it holds any situations, reached or not."""
        return holds_any(self.areas)

    def _like(self, other: AreaSet) -> bool:
        return self.avoiding == other.avoiding and self.origin is other.origin

    def __and__(self, other: AreaSet) -> AreaSet:
        areas = shared(self.areas, other.areas)
        # what only some plays come to is part of what all come to
        if self._like(other) or other.is_plain:
            return self.with_areas(areas)
        if self.is_plain:
            return other.with_areas(areas)
        raise NotAsked("sets that different plays come to")

    def __or__(self, other: AreaSet) -> AreaSet:
        if not self._like(other):
            # nothing is nothing, whichever plays count
            if not other.holds_any:
                return self
            if not self.holds_any:
                return other
            raise NotAsked("sets that different plays come to")
        return self.with_areas(joined(self.areas, other.areas))

    def __sub__(self, other: AreaSet) -> AreaSet:
        if not self._like(other) and not other.is_plain:
            raise NotAsked("sets that different plays come to")
        return self.with_areas(without(self.areas, other.areas))

    def __bool__(self) -> bool:
        return self.space.is_reached(self)
