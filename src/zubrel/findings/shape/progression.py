"""What every win includes, in which order, and when each thing can be had."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Sequence
from typing import Any

from msgspec import Struct

from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.compiled.formulas import Formula, Within
from zubrel.explored.space import Distance
from zubrel.findings.dealt import beginnings
from zubrel.findings.detectors.missable import closings, missables, walks_without
from zubrel.findings.judged import Judged


class MustHave(Struct, frozen=True):
    """Something that every win includes, first had after `first`.

    `merged_with` are others that are always had from the same move on.
    """

    id: str
    section: str
    first: Distance
    merged_with: tuple[str, ...] = ()


class Window(Struct, frozen=True):
    """From when something can be had, and what may close it.

    `first` is None where nothing ever has it. `closed_by` are rules, each with the number of the
    move in which it can do so at the earliest; without any the window stays open to the end.
    """

    id: str
    section: str
    first: Distance | None
    closed_by: tuple[tuple[str, Distance], ...]


class Progression(Struct, frozen=True):
    """`order` are pairs of must-haves, the first of which every play has before the second.

    Pairs that follow from others are left out.
    """

    must_haves: tuple[MustHave, ...]
    order: tuple[tuple[str, str], ...]
    windows: tuple[Window, ...]


def progression(judged: Judged[Any], with_windows: bool = True) -> Progression | None:
    """All of it; None when a limit cut the search short. Without windows there are none in it."""
    if not judged.complete:
        return None
    must_haves, order = _must_haves(judged)
    return Progression(must_haves, order, tuple(_windows(judged)) if with_windows else ())


def had_formulas(judged: Judged[Any]) -> Iterator[tuple[str, str, Formula]]:
    """Id, section, and where it is had."""
    world, numbers = judged.system.world, judged.system.numbers
    # things that an author thinks in: what is held, opened, finished and found
    for item in world.items.values():
        if item.most > 0:
            yield item.id, "item", Within(numbers[keys.held(item.id)], 1, item.most)
    for lock in world.locks.values():
        yield lock.id, "lock", Within(numbers[keys.lock_open(lock.id)], 1, 1)
    for quest in world.quests.values():
        yield quest.id, "quest", Within(numbers[keys.quest(quest.id)], DONE, DONE)
    for key, number in numbers.items():
        if key[0] == "taken":
            yield key[1], "find", Within(number, 1, 1)


def _must_haves(judged: Judged[Any]) -> tuple[tuple[MustHave, ...], tuple[tuple[str, str], ...]]:
    if not judged.won:
        return (), ()
    space = judged.space
    start = beginnings(space)
    every = [(i, s, space.where(f)) for i, s, f in had_formulas(judged)]
    # what is had from the start is no milestone, and what is never had no must
    every = [(i, s, had_where) for i, s, had_where in every if had_where and not had_where & start]
    # a thing is a must exactly if no win is reached without it
    without = space.reached_without([had_where for _, _, had_where in every])
    needed = [
        (i, s, had_where, free)
        for (i, s, had_where), free in zip(every, without, strict=True)
        if not free & judged.won
    ]
    # how soon each can be had puts those in an order that nothing else orders
    firsts = [space.walks().moves_to(w) or Distance(0) for _, _, w, _ in needed]
    # who comes into b without ever being in a has had b first
    without_a = space.meetings([w for _, _, w, _ in needed], [free for _, _, _, free in needed])
    before = [
        _bits(not met for met in row) & possible
        for row, possible in zip(without_a, _possibly_before(firsts), strict=True)
    ]
    return _arranged(before, [(i, s) for i, s, _, _ in needed], firsts)


def _bits(holds: Iterable[bool]) -> int:
    """A set of numbers from 0 on as the bits of a number."""
    return int("0" + "".join("1" if one else "0" for one in holds)[::-1], 2)


def _members(bits: int) -> Iterator[int]:
    while bits:
        lowest = bits & -bits
        yield lowest.bit_length() - 1
        bits ^= lowest


def _possibly_before(firsts: Sequence[Distance]) -> Iterator[int]:
    """For each thing the others but those that surely take more moves, as bits."""
    every = (1 << len(firsts)) - 1
    unsure = _bits(not first.fewest for first in firsts)
    within, upto = 0, dict[int, int]()
    for number in sorted(range(len(firsts)), key=lambda n: firsts[n].steps):
        within |= 1 << number
        upto[firsts[number].steps] = within
    for number, first in enumerate(firsts):
        # numbers of moves tell what comes later only where they are known to be fewest
        yield (upto[first.steps] | unsure if first.fewest else every) & ~(1 << number)


def _arranged(
    before: Sequence[int], things: Sequence[tuple[str, str]], firsts: Sequence[Distance]
) -> tuple[tuple[MustHave, ...], tuple[tuple[str, str], ...]]:
    """Things that always come together as one, and the pairs that do not follow from others.

    `before` are, for each of the `things` (id, section), the numbers of those before it, as bits.
    """
    leader = list(range(len(things)))
    for thing, others in enumerate(before):
        # each comes before the other, which only things had in the same move do
        first = next((o for o in _members(others) if o < thing and before[o] >> thing & 1), thing)
        leader[thing] = leader[first]
    leaders = [n for n, first in enumerate(leader) if first == n]
    followers: dict[int, list[str]] = {n: [] for n in leaders}
    for thing, first in enumerate(leader):
        if thing != first:
            followers[first].append(things[thing][0])
    leading = sum(1 << n for n in leaders)
    # who leads comes before whatever its followers come before
    earlier = {n: before[n] & leading & ~(1 << n) for n in leaders}
    pairs = []
    for b in leaders:
        following = 0
        for c in _members(earlier[b]):
            following |= earlier[c]
        # leave out what follows: the picture would be all lines
        pairs += [(things[a][0], things[b][0]) for a in _members(earlier[b] & ~following)]
    must_haves = [MustHave(*things[n], firsts[n], tuple(followers[n])) for n in leaders]
    must_haves.sort(key=lambda m: m.first)
    places = {m.id: n for n, m in enumerate(must_haves)}
    pairs.sort(key=lambda pair: (places[pair[1]], places[pair[0]]))
    return tuple(must_haves), tuple(pairs)


def _windows(judged: Judged[Any]) -> Iterator[Window]:
    """For items, finds and quests."""
    space, world = judged.space, judged.system.world
    unended = space.everything - judged.ended
    # only finds that leave a mark: of the others no situation tells whether they were found
    finds = {key[1] for key in judged.system.numbers if key[0] == "taken"}
    sections: dict[str, Container[str]] = {
        "item": world.items,
        "quest": world.quests,
        "find": finds,
    }
    every = [
        (s, section)
        for s in missables(judged.system)
        for section, ids in sections.items()
        if s.subject in ids
    ]
    # sets first, so that all backward searches are made together
    had_where = [space.where(subject.attained) for subject, _ in every]
    for (subject, section), has, can in zip(
        every, had_where, space.reaching(had_where), strict=True
    ):
        first = space.walks().moves_to(has)
        closed: dict[str, Distance] = {}
        # where the game has ended nothing is needed any more
        too_late = unended - can
        if first is not None and too_late:
            walks, never = walks_without(judged, subject, has)
            still = ((can - has) & walks.reached) - never
            for closing in closings(judged, walks, still, (too_late & walks.reached) - never):
                closed[closing.rule] = Distance(closing.trace.moves, closing.trace.shortest)
        yield Window(subject.subject, section, first, tuple(closed.items()))
