"""What comes around: of it something is made of which it is made again."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from typing import TypeVar

import networkx

T = TypeVar("T", bound=Hashable)


def on_circles(links: Iterable[tuple[T, T]]) -> frozenset[T]:
    """Whatever links lead away from and back to, by way of something else: its strongly connected
    component is more than itself."""
    components = networkx.strongly_connected_components(networkx.DiGraph(links))
    return frozenset[T]().union(*(c for c in components if len(c) > 1))
