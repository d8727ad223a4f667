"""What is sure where the player stands need not be asked for there.

Whoever has come to an area has come by some way, and what that way asked for and stays true is
still true. What all ways into an area have in common, those into the areas before them included,
holds in every situation in which the player stands there: a greatest fixpoint over the ways (a
"must" analysis of data flow: Kildall, A unified approach to global program optimization, 1973).
A move that asks for such a thing may as well not, and one that asks for the opposite is none there.

Why this is sound. Guards differ only in situations that no play comes to. A way back then asks for
nothing, so that what opened the way forth need not be at hand on the far side.

Conditions: what is sure stays true whatever anybody does, and does not ask where the player stands.
Areas to which something that happens by itself may lead are sure of nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec.structs import replace

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import FALSE, Formula, Within, both, variables_of
from zubrel.compiled.parts import PLACE, Move
from zubrel.compiled.system import System
from zubrel.reduced.result import Rebuilding, Reduced

Sure = frozenset[Formula]


def standing(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system in which no move asks for what is sure in all of its areas."""
    system = before.system
    if system.variables[PLACE].size == 1:
        return before
    sure = _sure(system)
    new, changed = Rebuilding(before), False
    for move in system.moves:
        asked_for = parts_of(move.guard)
        if move.areas is not None:
            # where the opposite is sure the move is never possible: it leaves the area, and stays
            # elsewhere
            areas = tuple(a for a in move.areas if not _contradict(sure.get(a, ()), asked_for))
            if areas != move.areas:
                changed = True
                move = replace(move, areas=areas) if areas else replace(move, guard=FALSE)
        everywhere = range(system.variables[PLACE].size) if move.areas is None else move.areas
        # areas that are never come to ask for nothing at all
        known = [sure[area] for area in everywhere if area in sure]
        needless = frozenset.intersection(*known) if known else frozenset()
        # only what is sure in every area of the move is known wherever it is made
        parts = parts_of(move.guard)
        guard = both(p for p in parts if p not in needless)
        changed = changed or guard != move.guard
        new.add(replace(move, guard=guard), move.steps)
    return new.reduced if changed else before


def _contradict(sure: Iterable[Formula], asked_for: Sequence[Formula]) -> bool:
    """Whether something is asked for that what is sure rules out."""
    return any(
        isinstance(known, Within)
        and isinstance(part, Within)
        and known.variable == part.variable
        and (part.high < known.low or known.high < part.low)
        for known in sure
        for part in asked_for
    )


def _sure(system: System) -> dict[int, Sure]:
    """By area what holds whenever the player is there; nothing of areas that are never come to."""
    # an area is entered by moves, or by what happens by itself; the start is entered with nothing
    entries = list(_entries(system))
    start = system.variables[PLACE].start
    # areas that nobody has come to yet are missing, which stands for everything being sure there
    sure: dict[int, Sure] = {start: frozenset()}
    for settler in system.settlers:
        for change in settler.changes:
            if change.variable == PLACE:
                sure[change.number] = frozenset()
    settled = frozenset(sure)
    again = True
    while again:
        again = False
        for starts, asked, end in entries:
            if end in settled:
                continue
            for area in starts:
                if area not in sure:
                    continue
                # what was sure there is still true here, since it stays true
                arriving = sure[area] | asked
                # sets only become smaller, so this comes to an end
                common = arriving if end not in sure else sure[end] & arriving
                if end not in sure or common != sure[end]:
                    sure[end], again = common, True
    return sure


def _entries(system: System) -> Iterator[tuple[Sequence[int], Sure, int]]:
    """From which areas, asking for what that stays true, moves lead into which area."""
    for move in system.moves:
        ends = {c.number for s in move.steps for c in s.changes if c.variable == PLACE}
        if ends:
            # what may become false again says nothing about a later time
            asked = frozenset(p for p in parts_of(move.guard) if stays_true(system, p))
            every = range(system.variables[PLACE].size)
            for end in sorted(ends):
                yield _starts(move, every), asked, end


def _starts(move: Move, every: Sequence[int]) -> Sequence[int]:
    return every if move.areas is None else move.areas


def stays_true(system: System, part: Formula) -> bool:
    """Whether a formula that does not ask for the place holds for good once it holds."""
    return PLACE not in variables_of(part) and system.rising.for_good(part)
