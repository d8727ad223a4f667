"""The shape of a world, for whoever draws it: what lies behind what, and how its plays grow."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import combinations
from typing import Any

import msgspec
from msgspec import Struct

from zubrel.checked.conditions import All, Atom, Cond, CountOf, Holds, LockOpen, atoms_of
from zubrel.checked.conditions import Any as AnyOf
from zubrel.checked.world import Rule, World
from zubrel.compiled.formulas import AtLeast, Formula, Within
from zubrel.compiled.parts import PLACE
from zubrel.compiled.system import System
from zubrel.explored.space import Distance
from zubrel.findings.dealt import beginnings
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import needed_ids, subjects_of
from zubrel.findings.shape.progression import Progression, had_formulas

Arriving = Callable[[int], tuple[Any, Distance | None]]

MOST_GATES = 128
MOST_GROUPS, MOST_MEMBERS = 24, 12
"""Groups of things of which any so many may do, and things of one group."""
MOST_OPTIONAL = 24
"""Things of which pairs are tried as alternatives."""


class AreaBehindGates(Struct, frozen=True):
    """An area, the move after which it is first reached (None: never), and its gates.

    `gates` held at some moment of every play that comes here; `last` are those of them that do
    not follow from another one.
    """

    area: str
    first: Distance | None
    gates: tuple[Atom, ...]
    last: tuple[Atom, ...]


class Choice(Struct, frozen=True):
    """Every win includes all of `count` of the sides at least; no id on a side is a must-have.

    `after` are must-haves that come before it in every play, `before` those that come after it.
    """

    sides: tuple[tuple[str, ...], ...]
    first: Distance
    after: tuple[str, ...]
    before: tuple[str, ...]
    count: int = 1


class Outline(Struct, frozen=True):
    """`growth`: new situations, won and doomed ones, after 0, 1, 2, ... moves (None: too many)."""

    areas: tuple[AreaBehindGates, ...]
    choices: tuple[Choice, ...]
    growth: tuple[tuple[int, ...], ...] | None


def outline(judged: Judged[Any], progression: Progression) -> Outline:
    """All of it, of a search that was not cut short."""
    # won and doomed are parts of everything, so that the picture can stack them
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


def areas_behind(
    judged: Judged[Any], arriving: Arriving | None = None
) -> Iterator[AreaBehindGates]:
    """Every area, with what it lies behind. The space has to answer for all `gates`.

    `arriving` tells of an area where the player is in it, and after how many moves (None: never).
    """
    space, system = judged.space, judged.system
    arriving = arriving or partial(_arriving, judged)
    start = beginnings(space)
    every = [(g, space.where(formula)) for g, formula in gates(system)]
    # what never holds, or holds from the start, keeps nobody out
    every = [(g, there) for g, there in every if there and not there & start]
    without = space.reached_without([there for _, there in every])
    # gates are compared by the plays that avoid one and come into the other, never by what is
    # written of them
    order = _Order([there for _, there in every], without)
    for number, area in enumerate(system.world.areas):
        here, first = arriving(number)
        # nobody comes here who has avoided it
        behind = [n for n, free in enumerate(without) if here and not free & here]
        # a gate that another one lies behind says nothing new about this area
        last = [n for n in behind if not any(order.precedes(n, m) for m in behind)]
        yield AreaBehindGates(
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
        # two that imply each other are met in the same move: the order of the file decides, so that
        # one of them is left
        return a != b and self._implied(a, b) and (b > a or not self._implied(b, a))

    def _implied(self, a: int, b: int) -> bool:
        if (a, b) not in self.known:
            self.known[a, b] = not self.without[a] & self.sets[b]
        return self.known[a, b]


def _gates(world: World) -> list[Atom]:
    """What ways, locks and moving deeds ask for, without where it is written."""
    atoms: dict[Atom, None] = {}
    for rule in world.rules:
        # what keeps nobody from walking on is no gate, however much it asks for
        if rule.kind == "lock" or moves(rule):
            conditions = [rule.needs]
            # an area that asks for something is a gate of every way that leads to it
            conditions += [world.areas[a].needs for a in _destinations(rule) if a in world.areas]
            for condition in conditions:
                atoms |= {_anywhere(atom): None for atom in atoms_of(condition)}
            # a price keeps people out as a condition does
            atoms |= {Holds(take.item, ">=", take.count): None for take in rule.takes}
            if rule.lock:
                atoms[LockOpen(rule.lock)] = None
    # in the order of the file: which are left out then does not change from run to run
    return list(atoms)[:MOST_GATES]


def _anywhere(atom: Atom) -> Atom:
    # the same condition in two places is one gate
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
    asked, start = needed_ids(judged.system.world), beginnings(space)
    optional = [
        i
        for i, set_ in had_where.items()
        if i not in needed and i in asked and set_ and not set_ & start
    ]
    # their number grows with the square, and each pair is a search
    pairs = list(combinations(optional[:MOST_OPTIONAL], 2))
    unions = [had_where[a] | had_where[b] for a, b in pairs]
    frees = space.reached_without(unions)
    by_pair = {
        # a win that avoids both would be a third side
        pair: u
        for pair, u, free in zip(pairs, unions, frees, strict=True)
        if not free & judged.won
    }
    # kept for the choices, which ask for plays that avoid both sides once more
    free_of = dict(zip(pairs, frees, strict=True))
    musts = _Musts(judged, progression)
    groups = list(_groups(judged, progression, musts))
    for group in groups:  # that of two of them every win has one follows from it
        members = {i for side in group.sides for i in side}
        by_pair = {pair: u for pair, u in by_pair.items() if not members.issuperset(pair)}
    for sides in _sides(by_pair):
        one = (sides[0][0], sides[1][0])
        # pairs are kept in one order only
        pair = one if one in by_pair else one[::-1]
        yield musts.choice(sides, 1, by_pair[pair], free_of[pair])
    yield from groups


class _Musts:
    """The must-haves of a world, and which of them come before and after a choice."""

    def __init__(self, judged: Judged[Any], progression: Progression) -> None:
        space = judged.space
        had_where = {i: space.where(f) for i, s, f in had_formulas(judged) if s != "find"}
        self.space = space
        self.had = {m.id: had_where[m.id] for m in progression.must_haves if m.id in had_where}
        free = space.reached_without(list(self.had.values()))
        # by must-have: where plays come that have not had it yet
        self.without = dict(zip(self.had, free, strict=True))
        self.earlier = {b: {a for a, x in progression.order if x == b} for b in self.had}
        self.later = {a: {b for x, b in progression.order if x == a} for a in self.had}

    def choice(
        self, sides: tuple[tuple[str, ...], ...], count: int, chosen: Any, free: Any
    ) -> Choice:
        """A choice that is made where `chosen` is first come into; `free` are the situations of
        plays that never do."""
        # nobody comes to the choice without having had it
        before = {m for m in self.had if not self.without[m] & chosen}
        # nobody has it who has not made the choice
        after = {m for m, there in self.had.items() if not free & there}
        return Choice(
            sides,
            self.space.walks().moves_to(chosen) or Distance(0),
            # only the nearest: what lies further off follows from these
            tuple(m for m in self.had if m in before and not self.later[m] & before),
            tuple(m for m in self.had if m in after and not self.earlier[m] & after),
            count,
        )


def _groups(judged: Judged[Any], progression: Progression, musts: _Musts) -> Iterator[Choice]:
    """Things of which every win has so many, whichever they are."""
    space = judged.space
    needed = {m.id for m in progression.must_haves}
    needed |= {other for m in progression.must_haves for other in m.merged_with}
    for group in list(_alike(judged))[:MOST_GROUPS]:
        members = {i: f for i, f in group.items() if i not in needed}
        if not 3 <= len(members) <= MOST_MEMBERS:
            continue  # of two things every win has one: that is told as a pair
        counts = range(1, len(members))
        chosen = [space.where(AtLeast(n, tuple(members.values()))) for n in counts]
        free = space.reached_without(chosen)
        # no win does with fewer
        surely = [n for n in counts if not free[n - 1] & judged.won]
        # so many at least are in every win; the largest such number tells most
        if surely:
            most = surely[-1]
            sides = tuple((i,) for i in members)
            yield musts.choice(sides, most, chosen[most - 1], free[most - 1])


def _alike(judged: Judged[Any]) -> Iterator[dict[str, Formula]]:
    """Groups of things that do the same: finds of one item, and what an "n of" names."""
    system = judged.system
    world = system.world
    taken = {i: f for i, section, f in had_formulas(judged) if section == "find"}
    finds: dict[str, dict[str, Formula]] = {}
    for rule in world.rules:
        if rule.kind == "find" and rule.owner in taken and rule.gives:
            # places where the same item lies do the same
            finds.setdefault(rule.gives[0].item, {})[rule.owner] = taken[rule.owner]
    yield from finds.values()
    conditions = [rule.needs for rule in world.rules]
    conditions += [area.needs for area in world.areas.values()]
    conditions += [ending.when for ending in world.endings.values() if ending.when is not None]
    conditions += [goal.condition for quest in world.quests.values() for goal in quest.goals]
    counted: dict[tuple[str, ...], dict[str, Formula]] = {}
    for condition in conditions:
        for parts in _counted_in(condition):
            named = {" ".join(subjects_of(part)): system.formula(part) for part in parts}
            # the same things counted in two conditions are one group
            counted.setdefault(tuple(sorted(named)), named)
    yield from counted.values()


def _counted_in(condition: Cond) -> Iterator[tuple[Atom, ...]]:
    """The atoms of each "n of" in a condition that counts nothing but atoms."""
    match condition:
        # of a part that is itself joined it could not be said which thing it is
        case CountOf(_, parts) if all(list(atoms_of(p)) == [p] for p in parts):
            yield tuple(atom for part in parts for atom in atoms_of(part))
        case All(parts) | AnyOf(parts) | CountOf(_, parts):
            for part in parts:
                yield from _counted_in(part)


def _sides(pairs: dict[tuple[str, str], Any]) -> Iterator[tuple[tuple[str, ...], ...]]:
    """The two sides of each choice: everything of one with everything of the other is a pair."""
    left = dict.fromkeys(pairs)
    while left:
        # a side grows as long as each of its things makes a pair with each thing across
        a, b = next(iter(left))
        one, other = [a], [b]
        for x in dict.fromkeys(i for pair in left for i in pair):
            for mine, across in ((one, other), (other, one)):
                if x not in one + other and all(_paired(left, x, y) for y in across):
                    mine.append(x)
        # every pair of the two sides is told by them
        for x in one:
            for y in other:
                left.pop((x, y), None)
                left.pop((y, x), None)
        yield tuple(one), tuple(other)


def _paired(pairs: dict[tuple[str, str], None], a: str, b: str) -> bool:
    return (a, b) in pairs or (b, a) in pairs
