"""Situations met one by one, and the rooms that they form.

A *room* is a set of situations that differ only in where the player stands, and between which the
player can walk to and fro as the doors stand at the moment. All of them can be won, or none.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence

from msgspec import Struct

from zubrel.base.budget import Budget
from zubrel.compiled.formulas import variables_of
from zubrel.compiled.parts import ENDING, PLACE, Change, Step, wins_of
from zubrel.compiled.possible import Among
from zubrel.compiled.system import System
from zubrel.explored.packed.expansion import Expansion
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_one
from zubrel.explored.packed.settling import Settling
from zubrel.explored.space import EndlessSettling, Trace

EXPAND = 30
"""Units of work to find out what is possible in a situation."""
AREA = 6
"""The same for each area of a room, where what is possible in it is known (measured: 9)."""
MOST_KEPT = 400_000
"""Results that are remembered before all of them are forgotten."""

Link = tuple[int, int]
"""The number of a step, and the situation to which it leads."""


class Exit(Struct, frozen=True):
    """A step out of a room: from which situation, by which step, into which."""

    source: int
    step: int
    target: int


class Room(Struct, frozen=True, eq=False):
    """A room by its `name`, the situation of it with the lowest area; its areas and its exits.

    `walks` are the steps that lead to and fro within it.
    """

    name: int
    areas: frozenset[int]
    exits: tuple[Exit, ...]
    walks: frozenset[int]


class Rooms:
    """Finds rooms of a system. A situation is one packed word; all of them are settled."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        self.budget = budget
        self.packing = pack_into_one(system.variables)
        kernel = Kernel(system.variables, self.packing, 1)
        self.settling = Settling(system, kernel, self.packing)
        self.expansion = Expansion(system, kernel)
        fields = self.packing.fields
        self.place, self.ended = fields[PLACE].mask, fields[ENDING].mask
        self.shift = fields[ENDING].shift
        self.good = frozenset(wins_of(system.world))
        # what is possible in an area, and what it changes, depends on few variables: all others
        # are masked out of the key
        self._matters = [self._mask_of(area) for area in range(len(self.expansion.moves))]
        # by area: what was found out for each key
        self._known: list[dict[int, tuple[Link, ...]]] = [{} for _ in self._matters]
        self._kept = 0
        self._rooms: dict[int, Room] = {}

    def start(self) -> int:
        """The start, settled. Raises `EndlessSettling` where it never is."""
        word = self.packing.pack(self.system.start)[0]
        return self.settled(word)

    def values(self, word: int) -> list[int]:
        return self.packing.unpack([word])

    def is_won(self, word: int) -> bool:
        return (word & self.ended) >> self.shift in self.good

    def is_over(self, word: int) -> bool:
        return bool(word & self.ended)

    def has(self, word: int, among: Among) -> bool:
        """Whether a variable has one of some values in a situation."""
        field = self.packing.fields[among.variable]
        # counted from the least value on
        return bool(among.mask >> ((word & field.mask) >> field.shift) & 1)

    def settled(self, word: int) -> int:
        """What a situation comes to rest as. Raises `EndlessSettling` where it never does."""
        rested = self.settling.settled(word)
        if not isinstance(rested, int):
            raise EndlessSettling(Trace(()), rested)
        return rested

    # steps

    def links(self, word: int) -> tuple[Link, ...]:
        """All that can be done in a situation.

        What differs by a step depends only on what its area reads and changes, so that results are
        shared by all situations that agree in that.
        """
        if word & self.ended:
            return ()
        # keys are per area: what is possible in another one is none of its business
        area = word & self.place
        key = word & self._matters[area]
        # the difference is kept, not the result: it is the same wherever else the situations differ
        known = self._known[area].get(key)
        if known is None:
            self.budget.spend(EXPAND)
            known = tuple((step, after ^ word) for step, after in self._fresh(word, area))
            self._kept += 1
            # all at once: which results are asked for again nobody knows
            if self._kept > MOST_KEPT:
                self._kept = 0
                for results in self._known:
                    results.clear()
            self._known[area][key] = known
        return tuple((step, word ^ difference) for step, difference in known)

    def _fresh(self, word: int, area: int) -> Iterator[Link]:
        for place, results in self.expansion.functions[area](word):
            after = [self.settled(result) for result in results]
            if any(target != word for target in after):  # what changes nothing is no move
                yield from zip(self.expansion.steps[area][place], after, strict=True)

    def _mask_of(self, area: int) -> int:
        """The bits that what is possible in an area reads or changes."""
        system = self.system
        # every step leads from an area, and none from an end
        matters = {PLACE, ENDING}
        for move in self.expansion.moves[area]:
            matters |= variables_of(move.guard)
            # what is written matters as well: an amount that is added to makes a difference in all
            # its bits
            matters |= _touched([c for s in move.steps for c in s.changes])
        # what happens by itself may follow any step, so all that it reads matters everywhere
        for settler in system.settlers:
            matters |= variables_of(settler.guard) | _touched(settler.changes)
        for formula, _ in system.endings:
            matters |= variables_of(formula)
        mask = 0
        for variable in matters:
            mask |= self.packing.fields[variable].mask
        return mask

    # rooms

    def room(self, word: int) -> Room:
        """The room of a situation in which the game goes on."""
        known = self._rooms.get(word)
        if known is None:
            known = self._found(word)
            # forgotten all at once: which are old is not worth knowing, since plays come back to
            # few
            if len(self._rooms) > MOST_KEPT:
                self._rooms.clear()
            carried = word & ~self.place
            # all situations of a room find it by themselves from now on
            for area in known.areas:
                self._rooms[carried | area] = known
        return known

    def _found(self, word: int) -> Room:
        carried, here = word & ~self.place, word & self.place
        links: dict[int, tuple[Link, ...]] = {here: self.links(word)}
        # first all areas that can be walked to, then those of them from which one can walk back
        before: dict[int, list[int]] = {}
        waiting = deque([here])
        while waiting:
            area = waiting.popleft()
            for _, target in links[area]:
                if target & ~self.place == carried:
                    there = target & self.place
                    before.setdefault(there, []).append(area)
                    if there not in links:
                        links[there] = self.links(target)
                        waiting.append(there)
        self.budget.spend(AREA * len(links))
        areas, waiting = {here}, deque([here])
        while waiting:  # those from which one comes back
            for area in before.get(waiting.popleft(), ()):
                if area not in areas:
                    areas.add(area)
                    waiting.append(area)
        exits, walks = list[Exit](), set[int]()
        for area in sorted(areas):
            for step, target in links[area]:
                # a walk to where there is no way back leaves the room, though nothing but the place
                # differs
                if target & ~self.place == carried and target & self.place in areas:
                    walks.add(step)
                else:
                    exits.append(Exit(carried | area, step, target))
        return Room(carried | min(areas), frozenset(areas), tuple(exits), frozenset(walks))

    def after(self, word: int, step: int) -> int | None:
        """Where a step leads; None: it is not possible."""
        return next((target for number, target in self.links(word) if number == step), None)

    def along(self, steps: Sequence[int], word: int | None = None) -> Iterator[tuple[int, int]]:
        """Before and after each step of a play from a situation (None: the start), all of which
        are possible."""
        word = self.start() if word is None else word
        for step in steps:
            after = self.after(word, step)
            assert after is not None, "the play was made before"
            yield word, after
            word = after

    def walk_to(self, word: int, area: int) -> list[Link] | None:
        """The shortest walk to an area, whether or not there is a way back; None: there is none."""
        # breadth first, so that walks are never longer than they must be
        carried, here = word & ~self.place, word & self.place
        came: dict[int, tuple[int, Link] | None] = {here: None}
        waiting = deque([here])
        while area not in came and waiting:
            source = waiting.popleft()
            for link in self.links(carried | source):
                there = link[1] & self.place
                if link[1] & ~self.place == carried and there not in came:
                    came[there] = (source, link)
                    waiting.append(there)
        if area not in came:
            return None
        walk = list[Link]()
        while (before := came[area]) is not None:
            area, link = before
            walk.append(link)
        return walk[::-1]

    def steps_of(self, numbers: Sequence[int]) -> tuple[Step, ...]:
        return tuple(self.system.steps[number] for number in numbers)


def _touched(changes: Sequence[Change]) -> set[int]:
    touched: set[int] = set()
    for change in changes:
        touched |= {change.variable} | variables_of(change.when)
    return touched
