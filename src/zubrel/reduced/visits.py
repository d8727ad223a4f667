"""What happens by itself on entering an area becomes part of the moves that lead there.

A goal to visit an area is counted by itself: it would tell that area from all others wherever the
player stands. As part of the moves into the area it does not. A way there is then two moves: a
plain walk for whoever would be counted for nothing, and one that counts.

Why this is sound. In every settled situation in the area nothing is left to count there, and in
none elsewhere is it counted. Whatever leads into the area counts at once what the happening would
have counted next. So the settled situations are the same, and the steps between them.

Conditions, for a happening that asks for one area, and for a condition that does not ask where the
player stands: nothing else that happens by itself asks for the area; it makes the condition false,
and nothing that can be done in the area, or happens by itself because of that or of a visit, makes
it true there; it is not met at the start. What leads into the area does so for sure, and nothing
but moves leads there. If such a move does more than that, nothing that happens by itself asks for
it; several happenings in one area, with all that follows from them, have nothing to do with each
other. It loses no surplus, about which somebody might ask.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.afterwards import Afterwards
from zubrel.compiled.facts import parts_of, settlers_after, touched_by
from zubrel.compiled.formulas import (
    FALSE,
    Formula,
    Within,
    both,
    either,
    holds,
    opposite,
    variables_in,
    variables_of,
)
from zubrel.compiled.parts import ENDING, PLACE, Change, Move, Settler, Step
from zubrel.compiled.system import System
from zubrel.compiled.ways import destination_for_sure, standing_in
from zubrel.reduced.result import Rebuilding, Reduced


class Visit(Struct, frozen=True):
    """A happening (its place in the list) in an area, what else it asks for, what it changes."""

    number: int
    area: int
    condition: Formula
    changes: tuple[Change, ...]

    @property
    def writes(self) -> set[int]:
        return {c.variable for c in self.changes}

    @property
    def touches(self) -> frozenset[int]:
        """All variables that it asks about or changes."""
        return variables_in((self.condition, *(c.when for c in self.changes))) | self.writes


def visits(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system in which moves count visits. What is `asked` for has the same answers."""
    system = before.system
    # an area that is entered without a move would be entered without being counted
    if any(c.variable == PLACE for s in system.settlers for c in s.changes):
        return before
    every = [v for n, s in enumerate(system.settlers) if (v := _visit(n, s)) is not None]
    by_area: dict[int, list[Visit]] = {}
    for visit in every:
        by_area.setdefault(visit.area, []).append(visit)
    counting = {
        area: visits for area, visits in by_area.items() if _Area(system, area, visits).counts()
    }
    return _counted(before, counting) if counting else before


def _visit(number: int, settler: Settler) -> Visit | None:
    """A happening as a visit, if it asks for one area beside what does not ask for any."""
    areas = [p for p in parts_of(settler.guard) if PLACE in variables_of(p)]
    # what is wasted is told of the happening, which would be gone
    if len(areas) != 1 or settler.wastes:
        return None
    (test,) = areas
    # a visit is to one area; a test of several is left to what settles
    if not isinstance(test, Within) or test.low != test.high:
        return None
    changes = tuple(replace(c, when=standing_in(test.low, c.when)) for c in settler.changes)
    # the end of the game comes after all that happens by itself, and has to stay there
    if any(c.variable == ENDING for c in changes):
        return None
    beside = both(p for p in parts_of(settler.guard) if p != test)
    return Visit(number, test.low, beside, changes)


class _Area:
    """The visits of one area, and whether moves into it can count them."""

    def __init__(self, system: System, area: int, visits: Sequence[Visit]) -> None:
        self.system = system
        self.area = area
        self.visits = visits
        self.after = Afterwards(system.variables, system.rising)

    def counts(self) -> bool:
        system = self.system
        numbers = {v.number for v in self.visits}
        # everything below is about what stays a happening
        others = [s for n, s in enumerate(system.settlers) if n not in numbers]
        # what else may happen on entering might do so before
        if any(self._asks_here(s) for s in others):
            return False
        return (
            all(self._enters_or_stays(move, step) for move in system.moves for step in move.steps)
            and all(
                self._keeps(v, s.guard, s.changes) for v in self.visits for s in self._here(others)
            )
            and all(self._is_done(v) for v in self.visits)
            and self._is_apart(others)
        )

    def _here(self, others: Sequence[Settler]) -> Sequence[Settler]:
        """What else may happen while the player is in the area, which all was at rest before."""
        # then all of it may already be on its way when the game begins
        if self.system.variables[PLACE].start == self.area:
            return others
        # a happening was at rest before, so it needs a step that is made here, or a visit, to be
        # set off
        here = (m for m in self.system.moves if m.areas is None or self.area in m.areas)
        sources = [s.changes for m in here for s in m.steps]
        return settlers_after(others, [*sources, *(v.changes for v in self.visits)])

    def _asks_here(self, settler: Settler) -> bool:
        """Whether a happening asks where the player is, and may happen in this area."""
        asked = (settler.guard, *(c.when for c in settler.changes))
        here = standing_in(self.area, settler.guard)
        return PLACE in variables_in(asked) and here != FALSE

    def _is_done(self, visit: Visit) -> bool:
        """Whether a visit is not counted twice, and not at the start."""
        start = self.system.variables[PLACE].start == self.area
        if start and holds(visit.condition, self.system.start):
            return False
        # once counted there is nothing left to count, or it would be counted again and again on
        # the spot
        return self._stays_false(visit, parts_of(visit.condition), visit.changes)

    def _enters_or_stays(self, move: Move, step: Step) -> bool:
        """Whether a step leads into the area for sure, or not there, or leaves nothing to count."""
        end = destination_for_sure(step)
        moved = [c for c in step.changes if c.variable == PLACE]
        # a step that perhaps leads into the area would have to count perhaps
        if moved and end is None and self.area in {c.number for c in moved}:
            return False
        if end == self.area:
            # what else the step changes might set off something that comes before the visit is
            # counted
            more = {c.variable for c in step.changes} - {PLACE}
            asked = {v for s in self.system.settlers for v in touched_by(s)}
            return not more & (asked | {ENDING})
        if end is not None or not (move.areas is None or self.area in move.areas):
            return True
        return all(self._keeps(v, move.guard, step.changes) for v in self.visits)

    def _keeps(self, visit: Visit, guard: Formula, changes: Sequence[Change]) -> bool:
        """Whether there is still nothing to count after changes, where there was nothing before."""
        return all(
            # nothing to count means that some part does not hold: each part is tried as the one
            self._stays_false(visit, (*parts_of(guard), opposite(part)), changes)
            for part in parts_of(visit.condition)
        )

    def _stays_false(
        self, visit: Visit, known: Iterable[Formula], changes: Sequence[Change]
    ) -> bool:
        # as clauses of which one suffices: some part of the condition is false
        denied = [(opposite(part),) for part in parts_of(visit.condition)]
        return self.after.stays(denied, known, changes)

    def _is_apart(self, others: Sequence[Settler]) -> bool:
        """Whether visits have nothing to do with each other, nor has what follows from them."""
        if len(self.visits) == 1:
            return True
        # in which order they are counted must not matter, since a step counts all at once
        touched = [v.touches | self._following(v, others) for v in self.visits]
        return all(not one & other for n, one in enumerate(touched) for other in touched[n + 1 :])

    def _following(self, visit: Visit, others: Sequence[Settler]) -> set[int]:
        """What may be asked about and changed by what happens because of a visit."""
        following = settlers_after(others, [visit.changes])
        return {v for s in following for v in touched_by(s)} - {PLACE}


def _counted(before: Reduced, counting: dict[int, list[Visit]]) -> Reduced:
    new = Rebuilding(before)
    for move in before.system.moves:
        ends = [destination_for_sure(step) for step in move.steps]
        if not any(end in counting for end in ends if end is not None):
            new.add(move, move.steps)
            continue
        steps = [
            step if end is None else _counting(step, counting.get(end, ()))
            for step, end in zip(move.steps, ends, strict=True)
        ]
        if len(steps) > 1:
            new.add(move, steps)
            continue
        entered = [v for end in ends if end is not None for v in counting[end]]
        # denials moved down to single tests, so that others can see what a walk asks for
        nothing = (either(map(opposite, parts_of(v.condition))) for v in entered)
        something = either(v.condition for v in entered)
        # the plain walk comes first: it is the one that can become a link
        new.add(replace(move, guard=both((move.guard, *nothing))), move.steps)
        new.add(replace(move, guard=both((move.guard, something))), steps)
    numbers = {v.number for visits in counting.values() for v in visits}
    smaller = new.reduced
    settlers = [s for n, s in enumerate(smaller.system.settlers) if n not in numbers]
    return replace(
        smaller,
        system=replace(smaller.system, settlers=tuple(settlers)),
        settlers=tuple(o for n, o in enumerate(before.settlers) if n not in numbers),
    )


def _counting(step: Step, visits: Iterable[Visit]) -> Step:
    """A step into an area, with what is counted there."""
    counted = (replace(c, when=both((v.condition, c.when))) for v in visits for c in v.changes)
    return replace(step, changes=(*step.changes, *counted))
