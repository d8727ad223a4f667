"""The shape of a world, for whoever draws it: what lies behind what, and how its plays grow."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import combinations
from typing import Any

import msgspec
from msgspec import Struct

from zubrel.checked.conditions import Atom, Holds, LockOpen, atoms_of
from zubrel.checked.world import Rule, World
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.explored.space import Distance, Trace
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import needed_ids
from zubrel.findings.shape.progression import Progression, had_formulas

Arriving = Callable[[int], tuple[Any, Distance | None]]

MOST_GATES = 128
MOST_OPTIONAL = 24
"""Things of which pairs are tried as alternatives."""


class Behind(Struct, frozen=True):
    """An area, the move after which it is first reached (None: never), and its gates.

    `gates` held at some moment of every play that comes here; `last` are those of them that do
    not follow from another one.
    """

    area: str
    first: Distance | None
    gates: tuple[Atom, ...]
    last: tuple[Atom, ...]


class Choice(Struct, frozen=True):
    """Every win includes all of one side or all of another; no id on a side is a must-have.

    `after` are must-haves that come before it in every play, `before` those that come after it.
    """

    sides: tuple[tuple[str, ...], ...]
    first: Distance
    after: tuple[str, ...]
    before: tuple[str, ...]


class Outline(Struct, frozen=True):
    """`growth`: new situations, won and doomed ones, after 0, 1, 2, ... moves (None: too many)."""

    areas: tuple[Behind, ...]
    choices: tuple[Choice, ...]
    growth: tuple[tuple[int, ...], ...] | None


def outline(judged: Judged[Any], progression: Progression) -> Outline:
    """All of it, of a search that was not cut short."""
    growth = judged.space.walks().by_moves([judged.space.everything, judged.won, judged.doomed])
    return Outline(
        tuple(areas_behind(judged)),
        tuple(_choices(judged, progression)),
        None if growth is None else tuple(growth),
    )


def gates(system: System) -> list[tuple[Atom, Formula]]:
    """What may stand between the player and an area."""
    translator = system.translator
    return [(gate, translator.formula(gate)) for gate in _gates(system.world)]


def areas_behind(judged: Judged[Any], arriving: Arriving | None = None) -> Iterator[Behind]:
    """Every area, with what it lies behind. The space has to answer for all `gates`.

    `arriving` tells of an area where the player is in it, and after how many moves (None: never).
    """
    space, system = judged.space, judged.system
    arriving = arriving or partial(_arriving, judged)
    start = space.at_end_of(Trace(()))
    every = [(g, space.where(formula)) for g, formula in gates(system)]
    # what never holds, or holds from the start, keeps nobody out
    every = [(g, there) for g, there in every if there and not there & start]
    without = space.reached_without([there for _, there in every])
    order = _Order([there for _, there in every], without)
    for number, area in enumerate(system.world.areas):
        here, first = arriving(number)
        # nobody comes here who has avoided it
        behind = [n for n, free in enumerate(without) if here and not free & here]
        last = [n for n in behind if not any(order.precedes(n, m) for m in behind)]
        yield Behind(
            area,
            first,
            tuple(every[n][0] for n in behind),
            tuple(every[n][0] for n in last),
        )


def _arriving(judged: Judged[Any], area: int) -> tuple[Any, Distance | None]:
    here = judged.space.where(Within(PLACE, area, area))
    return here, judged.space.walks().moves_to(here)


class _Order:
    """Which of some sets every play comes into before which others."""

    def __init__(self, sets: Sequence[Any], without: Sequence[Any]) -> None:
        self.sets = sets
        self.without = without
        self.known: dict[tuple[int, int], bool] = {}

    def precedes(self, a: int, b: int) -> bool:
        """Every play that comes into `b` has been in `a`; of two that come together, the first."""
        return a != b and self._implied(a, b) and (b > a or not self._implied(b, a))

    def _implied(self, a: int, b: int) -> bool:
        if (a, b) not in self.known:
            self.known[a, b] = not self.without[a] & self.sets[b]
        return self.known[a, b]


def _gates(world: World) -> list[Atom]:
    """What ways, locks and moving deeds ask for, without where it is written."""
    atoms: dict[Atom, None] = {}
    for rule in world.rules:
        if rule.kind == "lock" or moves(rule):
            conditions = [rule.needs]
            conditions += [world.areas[a].needs for a in _destinations(rule) if a in world.areas]
            for condition in conditions:
                atoms |= {_anywhere(atom): None for atom in atoms_of(condition)}
            atoms |= {Holds(take.item, ">=", take.count): None for take in rule.takes}
            if rule.lock:
                atoms[LockOpen(rule.lock)] = None
    return list(atoms)[:MOST_GATES]


def _anywhere(atom: Atom) -> Atom:
    return msgspec.structs.replace(atom, span=None) if hasattr(atom, "span") else atom


def moves(rule: Rule) -> bool:
    """A rule that can take the player elsewhere."""
    return any(_destinations(rule))


def _destinations(rule: Rule) -> list[str]:
    return [o.destination for o in rule.outcomes if o.destination is not None]


def _choices(judged: Judged[Any], progression: Progression) -> Iterator[Choice]:
    """Pairs of things of which every win has one, joined into sides where they belong together."""
    if not judged.won:
        return
    space = judged.space
    had_where = {i: space.where(f) for i, s, f in had_formulas(judged) if s != "find"}
    needed = {m.id for m in progression.must_haves}
    needed |= {other for m in progression.must_haves for other in m.merged_with}
    asked, start = needed_ids(judged.system.world), space.at_end_of(Trace(()))
    optional = [
        i
        for i, set_ in had_where.items()
        if i not in needed and i in asked and set_ and not set_ & start
    ]
    pairs = list(combinations(optional[:MOST_OPTIONAL], 2))
    unions = [had_where[a] | had_where[b] for a, b in pairs]
    frees = space.reached_without(unions)
    by_pair = {
        # a win that avoids both would be a third side
        pair: u
        for pair, u, free in zip(pairs, unions, frees, strict=True)
        if not free & judged.won
    }
    free_of = dict(zip(pairs, frees, strict=True))
    musts = {m.id: had_where[m.id] for m in progression.must_haves if m.id in had_where}
    without = dict(zip(musts, space.reached_without(list(musts.values())), strict=True))
    earlier = {b: {a for a, x in progression.order if x == b} for b in musts}
    later = {a: {b for x, b in progression.order if x == a} for a in musts}
    for sides in _sides(by_pair):
        one = (sides[0][0], sides[1][0])
        pair = one if one in by_pair else one[::-1]
        union, free = by_pair[pair], free_of[pair]
        before = {m for m in musts if not without[m] & union}
        after = {m for m, there in musts.items() if not free & there}
        yield Choice(
            sides,
            space.walks().moves_to(union) or Distance(0),
            tuple(m for m in musts if m in before and not later[m] & before),
            tuple(m for m in musts if m in after and not earlier[m] & after),
        )


def _sides(pairs: dict[tuple[str, str], Any]) -> Iterator[tuple[tuple[str, ...], ...]]:
    """The two sides of each choice: everything of one with everything of the other is a pair."""
    left = dict.fromkeys(pairs)
    while left:
        a, b = next(iter(left))
        one, other = [a], [b]
        for x in dict.fromkeys(i for pair in left for i in pair):
            for mine, across in ((one, other), (other, one)):
                if x not in one + other and all(_paired(left, x, y) for y in across):
                    mine.append(x)
        for x in one:
            for y in other:
                left.pop((x, y), None)
                left.pop((y, x), None)
        yield tuple(one), tuple(other)


def _paired(pairs: dict[tuple[str, str], None], a: str, b: str) -> bool:
    return (a, b) in pairs or (b, a) in pairs
