"""Forgetting: what nothing ahead can read is set back on the way there.

The areas fall into regions, each of which can be walked to and fro (strongly connected components
of the graph of all ways, gates ignored). Whoever goes from one region into another never comes
back. A variable that no rule, ending or happening of the new region or of those after it reads is
then set back to its start: situations that differ only in it have the same future (they are
bisimilar), and become one class.

Condition: the move begins in one region only. A variable that is added to counts as read there,
because adding must find it within its domain.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import Formula, variables_in, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Change, Operation
from zubrel.compiled.system import System
from zubrel.reduced.result import Reduced


def forgetting(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system in which moves into another region forget, but never what is `asked` for."""
    system = before.system
    region = system.regions
    # where one can come back from everywhere nothing is ever behind
    if len(set(region.values())) < 2:
        return before
    ahead = _read_ahead(system, region, variables_in(asked))
    steps, forgotten = list(system.steps), set[int]()
    for move in system.moves:
        begins = {region[a] for a in move.areas} if move.areas is not None else set(region.values())
        # a move that can be made in several regions leaves none of them for good
        if len(begins) != 1:
            continue
        (old,) = begins
        for step in move.steps:
            # a step may lead to several areas, each under a condition of its own
            ends = {c.number for c in step.changes if c.variable == PLACE}
            plain = [c for c in step.changes if c.variable == PLACE and not variables_of(c.when)]
            # with luck, or a condition, the player may stay where the variable is read
            if len(ends) != 1 or len(plain) != 1:
                continue
            new = region[ends.pop()]
            # what was unread before is set back already, and need not be again
            unread = ahead[old] - ahead[new]
            if new != old and unread:
                forgotten |= unread
                # set back, and not left out: then all situations that differ only in it become one
                back = (Change(v, Operation.SET, system.variables[v].start) for v in sorted(unread))
                kept = tuple(c for c in step.changes if c.variable not in unread)
                steps[step.number] = replace(step, changes=(*kept, *back))
    moves = tuple(replace(m, steps=tuple(steps[s.number] for s in m.steps)) for m in system.moves)
    smaller = replace(system, moves=moves, steps=tuple(steps))
    known = {v: frozenset(a for a in region if v in ahead[region[a]]) for v in forgotten}
    return replace(before, system=smaller, forgotten=known)


def _read_ahead(
    system: System, region: Mapping[int, int], asked: frozenset[int]
) -> dict[int, frozenset[int]]:
    """For each region: what it or one after it reads."""
    always: set[int] = {PLACE, ENDING, *asked}
    # endings and what happens by itself read wherever the player is
    for formula, _ in system.endings:
        always |= variables_of(formula)
    for settler in system.settlers:
        always |= variables_of(settler.guard) | _read_by(settler.changes)
        # what happens by itself could undo that a variable was set back
        always |= {c.variable for c in settler.changes}
    here: dict[int, set[int]] = {n: set(always) for n in region.values()}
    after: dict[int, set[int]] = {n: set() for n in here}
    for move in system.moves:
        read = variables_of(move.guard) | _read_by(c for s in move.steps for c in s.changes)
        for area in region if move.areas is None else move.areas:
            here[region[area]] |= read
    for start, end in system.ways:
        after[region[start]].add(region[end])
    ahead: dict[int, frozenset[int]] = {}
    for number in sorted(here, reverse=True):  # what comes after has a greater number
        # regions are numbered so that ways lead from lower to higher numbers
        later = (ahead[n] for n in after[number] if n != number)
        ahead[number] = frozenset(here[number].union(*later))
    return ahead


def _read_by(changes: Iterable[Change]) -> frozenset[int]:
    """What decides whether changes take place.

    To add to a variable is not to read it: a sum that nobody reads any more may be any sum.
    """
    return variables_in(change.when for change in changes)
