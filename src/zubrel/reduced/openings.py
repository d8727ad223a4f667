"""Openings that cost nothing are not made: what they would open stands open where they could be.

A mark `m` is a free opening if
 1. it begins low, and exactly one move changes it: one without luck, that does nothing else;
 2. that move asks, beside for `m` to be low, only for a condition `G` that stays true once it is
    true (whatever anybody does), and that does not ask where the player stands;
 3. everything that asks for `m` asks that it be high, in the guard of a move that is possible only
    in areas where the opening is.
Then `m` is left out, and whoever asked for it asks for `G`.

Why this is sound. Let a situation be without `m` where `G` holds, and compare it with the one that
differs from it in `m` alone. What the second can do, the first can: before the first move that
asks for `m`, the player stands in an area where the opening is, `G` still holds, and opening
disturbs nothing, since nobody is hindered by `m`. So from both the same endings can be reached;
the opening is never what dooms, and other moves doom in one exactly if they do in the other. A
play of the smaller system becomes one of the larger by opening at the last moment, which is where
`woven` puts it.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import Formula, both, substituted, variables_in, variables_of
from zubrel.compiled.system import ENDING, PLACE, Move, Operation, Step, System
from zubrel.reduced.cone import Reduced
from zubrel.reduced.rising import Rising, is_low, only_high, parts_of


def openings(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system without its free openings, but for those that are `asked` for."""
    system = before.system
    rising, readers = Rising(system), _Readers(system)
    given: dict[int, Formula] = {}
    for move in system.moves:
        mark = _mark_of(system, move, readers)
        if mark is None or mark in variables_in((*asked, *given.values())):
            continue
        condition = both(p for p in parts_of(move.guard) if not is_low(system, mark, p))
        barred = {mark, PLACE, ENDING, *given}
        if (
            not variables_of(condition) & barred and rising.for_good(condition)
            and readers.only_here(move, mark)
        ):  # fmt: skip
            given[mark] = condition
    if not given:
        return before
    return _without(before, given)


def _mark_of(system: System, move: Move, readers: _Readers) -> int | None:
    """The mark that a move sets, if it does nothing else and nothing else changes the mark."""
    if len(move.steps) != 1 or len(move.steps[0].changes) != 1:
        return None
    (change,) = move.steps[0].changes
    domain = system.variables[change.variable]
    if domain.size != 2 or domain.start != domain.low or change.variable in (PLACE, ENDING):
        return None
    if change.operation is not Operation.SET or change.number != domain.high:
        return None
    if readers.writers[change.variable] != 1 or change.variable in readers.settled:
        return None
    return change.variable if not variables_of(change.when) else None


class _Readers:
    """Which moves ask for a variable in their guards, and what is asked for elsewhere."""

    def __init__(self, system: System) -> None:
        self.system = system
        self.moves: dict[int, list[Move]] = {}
        for move in system.moves:
            for variable in variables_of(move.guard):
                self.moves.setdefault(variable, []).append(move)
        elsewhere: list[Formula] = [f for f, _ in system.endings]
        elsewhere += [s.guard for s in system.settlers]
        elsewhere += [c.when for s in system.settlers for c in s.changes]
        elsewhere += [c.when for s in system.steps for c in s.changes]
        self.elsewhere = variables_in(elsewhere)
        self.writers: dict[int, int] = {}
        for step in system.steps:
            for variable in {c.variable for c in step.changes}:
                self.writers[variable] = self.writers.get(variable, 0) + 1
        self.settled = {c.variable for s in system.settlers for c in s.changes}

    def only_here(self, opening: Move, mark: int) -> bool:
        """Only guards of moves ask for a mark, that it be high, and where the opening is."""
        if mark in self.elsewhere:
            return False
        high = self.system.variables[mark].high
        for move in self.moves.get(mark, ()):
            if move is not opening:
                if opening.areas is not None and (
                    move.areas is None or not set(move.areas) <= set(opening.areas)
                ):
                    return False
                if not only_high([move.guard], mark, high):
                    return False
        return True


def _without(before: Reduced, given: dict[int, Formula]) -> Reduced:
    system = before.system
    moves: list[Move] = []
    steps: list[Step] = []
    originals: list[Step] = []
    woven = dict(before.woven)
    for move in system.moves:
        changed = {c.variable for s in move.steps for c in s.changes}
        if len(changed) == 1 and changed <= set(given):
            continue
        own = []
        for step in move.steps:
            number = len(steps)
            original = before.originals[step.number]
            asked = variables_of(move.guard) & set(given)
            if asked:
                opened = tuple(
                    before.originals[s.number] for m in sorted(asked) for s in system.steps
                    if any(c.variable == m for c in s.changes)
                )  # fmt: skip
                woven[original.number] = (*opened, *before.woven.get(original.number, ()))
            own.append(replace(step, number=number))
            steps.append(own[-1])
            originals.append(original)
        guard = substituted(move.guard, lambda test: given.get(test.variable, test))
        moves.append(replace(move, guard=guard, steps=tuple(own)))
    variables = tuple(
        replace(v, high=v.low, names=()) if n in given else v
        for n, v in enumerate(system.variables)
    )
    smaller = replace(system, variables=variables, moves=tuple(moves), steps=tuple(steps))
    return replace(before, system=smaller, originals=tuple(originals), woven=woven)
