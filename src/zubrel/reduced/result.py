"""A smaller system, and the way back from it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.compiled.formulas import Formula, Within, opposite, substituted, variables_of
from zubrel.compiled.parts import PLACE, Change, Move, Step
from zubrel.compiled.system import System


class Reduced(Struct, frozen=True):
    """A smaller system; `originals` are, by the numbers of its steps, those of the whole.

    `woven` are, by the number of a step of the whole, steps that a play of the whole has to take
    before it, where they are possible and were not taken before; of these, `repeated` ones (by
    their numbers) may be needed several times. `silent` are steps that a play of the whole takes in
    between, without any difference to the smaller system; steps that are `postponed` need not be
    possible yet. `folded` are areas that are left out, with what says of a situation that the
    player can walk there and back at will. `forgotten` are variables that have their true values
    only as long as something ahead reads them, with the areas where they do; `blurred` ones are
    left, but may have other values than in the whole. Of `lost` areas, which are folded, nobody
    knows any more when the player can walk there. `settlers` are, for what happens by itself, the
    places in the list of the whole. Steps that are `never` possible are left out by their numbers,
    what is `never_by_itself` by its place in that list.
    """

    system: System
    originals: tuple[Step, ...]
    woven: dict[int, tuple[Step, ...]] = {}
    silent: tuple[Step, ...] = ()
    swaps: tuple[Callable[[Formula], Formula], ...] = ()
    forgotten: dict[int, frozenset[int]] = {}
    folded: dict[int, Formula] = {}
    repeated: frozenset[int] = frozenset()
    postponed: frozenset[int] = frozenset()
    blurred: frozenset[int] = frozenset()
    lost: frozenset[int] = frozenset()
    settlers: tuple[int, ...] = ()
    never: frozenset[int] = frozenset()
    never_by_itself: frozenset[int] = frozenset()

    def formula(self, formula: Formula) -> Formula:
        """A formula over the variables of the whole, in terms of those that are left.

        Exact for what was asked for when the system was reduced, and for all that endings read.
        """
        # each swap speaks of the variables that the one before has left
        for swap in self.swaps:
            formula = swap(formula)
        return formula

    @property
    def shortens(self) -> bool:
        """Whether plays of the whole may take more steps."""
        return bool(self.woven or self.silent)

    @property
    def size(self) -> tuple[int, int]:
        """How many variables are left, and how many moves."""
        return sum(v.size > 1 for v in self.system.variables), len(self.system.moves)


def sizes_left(system: System) -> list[int]:
    """How many values each variable has, where areas that are left out count no more."""
    # areas keep their numbers when others are left out
    sizes = [v.size for v in system.variables]
    return [_areas_left(system), *sizes[1:]]


def _areas_left(system: System) -> int:
    """In how many areas something can still be done, or where moves lead."""
    # the player begins somewhere, even if nothing can be done there
    areas = {system.variables[PLACE].start}
    for move in system.moves:
        areas |= set(move.areas or ())
        areas |= {c.number for s in move.steps for c in s.changes if c.variable == PLACE}
    return len(areas)


def unreduced(system: System) -> Reduced:
    return Reduced(system, system.steps, settlers=tuple(range(len(system.settlers))))


def formulas_of(system: System) -> list[Formula]:
    """Everything that a system asks, in no order."""
    formulas = [m.guard for m in system.moves] + [s.guard for s in system.settlers]
    formulas += [f for f, _ in system.endings]
    return formulas + whens_of(system)


def whens_of(system: System) -> list[Formula]:
    """The conditions of all changes, of moves and of what happens by itself."""
    changes = [c for s in system.steps for c in s.changes]
    changes += [c for s in system.settlers for c in s.changes]
    return [c.when for c in changes]


def fixed(system: System, variables: Collection[int]) -> System:
    """The system with some variables that nothing asks about any more at their starts."""
    return replace(
        system,
        variables=tuple(
            replace(v, low=v.start, high=v.start, names=()) if n in variables else v
            for n, v in enumerate(system.variables)
        ),
    )


def without_changes(before: Reduced, variables: Collection[int]) -> Reduced:
    """The same where no move changes these variables, and nothing that happens by itself."""
    system = before.system

    def others(changes: Sequence[Change]) -> tuple[Change, ...]:
        return tuple(c for c in changes if c.variable not in variables)

    steps = tuple(replace(s, changes=others(s.changes)) for s in system.steps)
    moves = tuple(replace(m, steps=tuple(steps[s.number] for s in m.steps)) for m in system.moves)
    settlers = tuple(replace(s, changes=others(s.changes)) for s in system.settlers)
    smaller = replace(system, moves=moves, steps=steps, settlers=settlers)
    return replace(before, system=smaller)


def telling(system: System, told: Mapping[int, Formula]) -> Callable[[Formula], Formula]:
    """Puts in place of variables of two values what is `told` of each: where it is high."""

    def test(test: Within) -> Formula:
        if test.variable not in told:
            return test
        domain, condition = system.variables[test.variable], told[test.variable]
        # two values: high says that it is so, low that it is not
        return condition if test.low > domain.low else opposite(condition)

    return lambda formula: substituted(formula, test)


def rewritten(before: Reduced, change: Callable[[Formula], Formula]) -> Reduced:
    """The same with every formula changed, and every condition of a change."""
    system = before.system

    def changed(changes: Sequence[Change]) -> tuple[Change, ...]:
        return tuple(replace(c, when=change(c.when)) for c in changes)

    steps = tuple(replace(step, changes=changed(step.changes)) for step in system.steps)
    moves = tuple(
        replace(m, guard=change(m.guard), steps=tuple(steps[s.number] for s in m.steps))
        for m in system.moves
    )
    settlers = tuple(
        replace(s, guard=change(s.guard), changes=changed(s.changes)) for s in system.settlers
    )
    endings = tuple((change(f), n) for f, n in system.endings)
    smaller = replace(system, moves=moves, steps=steps, settlers=settlers, endings=endings)
    folding = {
        area: formula if area in before.lost else change(formula)
        for area, formula in before.folded.items()
    }
    return replace(before, system=smaller, folded=folding)


def losing(before: Reduced, variables: Collection[int]) -> Reduced:
    """The same, before some variables get other values: ways that ask for them are lost."""
    lost_ways = {
        a for a, formula in before.folded.items() if variables_of(formula) & set(variables)
    }
    return replace(before, lost=before.lost | lost_ways) if lost_ways else before


class Rebuilding:
    """Moves of a smaller system, one after the other, with the numbers of their steps."""

    def __init__(self, before: Reduced) -> None:
        self.before = before
        self.woven = dict(before.woven)
        self.moves: list[Move] = []
        self.steps: list[Step] = []
        self.originals: list[Step] = []

    def add(self, move: Move, steps: Sequence[Step]) -> None:
        """A move with new `steps` in the places of those that it had."""
        numbered = []
        for old, new in zip(move.steps, steps, strict=True):
            numbered.append(replace(new, number=len(self.steps)))
            self.steps.append(numbered[-1])
            self.originals.append(self.before.originals[old.number])
        self.moves.append(replace(move, steps=tuple(numbered)))

    def needs(self, move: Move, steps: Collection[Step]) -> None:
        """Before a move, a play of the whole may have to take some `steps` of the whole."""
        for step in move.steps if steps else ():
            number = self.before.originals[step.number].number
            # what an earlier reduction has woven in comes after: it was asked for by the move as
            # it was then
            known = (*steps, *self.woven.get(number, ()))
            self.woven[number] = tuple({s.number: s for s in known}.values())

    @property
    def without_the_impossible(self) -> Reduced:
        """What it was, with these moves, where all that are missing are never possible."""
        # by the numbers of the whole: one move of it may be several here, or none
        left = {s.number for s in self.originals}
        gone = {s.number for s in self.before.originals} - left
        return replace(self.reduced, never=self.before.never | gone)

    @property
    def reduced(self) -> Reduced:
        """What it was, with these moves."""
        smaller = replace(self.before.system, moves=tuple(self.moves), steps=tuple(self.steps))
        return replace(
            self.before, system=smaller, originals=tuple(self.originals), woven=self.woven
        )
