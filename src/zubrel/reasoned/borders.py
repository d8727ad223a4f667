"""Where a player never comes to: areas with one reason together, and what leads into them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from zubrel.compiled.formulas import Either, Formula, Within, both
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.reasoned.formulas import may_make, plain_form
from zubrel.reasoned.sources import Maker


class Borders:
    """Borders of one future: `is_never` tells what certainly never holds in it."""

    def __init__(
        self, system: System, makers: Sequence[Maker], is_never: Callable[[Formula], bool]
    ) -> None:
        self.system = system
        self.makers = makers
        self._into: dict[int, list[Maker]] = {}
        """By area what leads there."""
        for maker in makers:
            for area in {c.number for c in maker.changes if c.variable == PLACE}:
                self._into.setdefault(area, []).append(maker)
        self.is_never = is_never

    def beyond(self, areas: frozenset[int], others: tuple[Formula, ...]) -> frozenset[int]:
        """The areas from which some areas could be reached, and which are never entered either."""
        beyond, pending = set(areas), list(areas)
        while pending:
            there = pending.pop()
            for maker in self._into.get(there, ()):
                for start in self._begins(maker):
                    at_start = both((Within(PLACE, start, start), *others))
                    # where the others may hold at its start the border is here, and the way
                    # itself is told
                    if start not in beyond and self.is_never(at_start):
                        beyond.add(start)
                        pending.append(start)
        return frozenset(beyond)

    def entering(
        self, beyond: frozenset[int], inside: Formula, others: tuple[Formula, ...]
    ) -> Iterable[Maker]:
        """What leads into some areas from outside of them, and what makes the other parts true."""
        # a way between two areas inside never brings anybody in
        outside = plain_form(inside, self.system.variables, False)
        for maker in self.makers:
            begins = self._begins(maker)
            moves = any(c.variable == PLACE for c in maker.changes)
            makes = any(may_make(self.system, c, p) for c in maker.changes for p in others)
            if makes or not (begins and beyond.issuperset(begins)):
                # what may begin inside as well is asked about from outside only
                if moves and not makes and not set(begins).isdisjoint(beyond):
                    guard = (*maker.guard, outside)
                    yield Maker(maker.id, maker.changes, guard, maker.step)
                else:
                    yield maker

    def _begins(self, maker: Maker) -> tuple[int, ...]:
        """The areas where a maker can be; empty: anywhere."""
        if maker.step is None:
            return ()
        return self.system.move_of[maker.step.number].areas or ()


def areas_of(place: Formula) -> frozenset[int]:
    """The areas that a formula about the place alone names."""
    match place:
        case Within(_, low, high):
            return frozenset(range(low, high + 1))
        case Either(parts):
            return frozenset().union(*(areas_of(p) for p in parts))
    return frozenset()
