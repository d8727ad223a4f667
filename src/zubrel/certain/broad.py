"""Wins found by looking at many rooms at once, by what a win costs from each.

All moves out of some dozens of rooms are made at once, on columns, and what wins cost from what
they lead to is worked out in one go (`costs`). A quarter of the rooms that are left are those from
which a win seems the cheapest. Where costs mislead, others have their turn: rooms with a value that
no room of the same cost had before, and rooms with two such at once (best-first width search:
Lipovetzky, Geffner: Best-first width search, exploration and exploitation in classical planning,
2017); and rooms that are drawn from all kinds alike, a kind being what a win costs and how many
moves away the room is (Xie, Mueller, Holte, Imai: Type-based exploration with multiple search
queues for satisficing planning, 2014).
"""

from __future__ import annotations

import heapq
from math import log2
from random import Random
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget
from zubrel.certain.bringing import Row
from zubrel.certain.costs import FAR, Costs
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.wins import Path, Seeker
from zubrel.compiled.parts import ENDING
from zubrel.explored.listed.islands import IslandMoves, Islands
from zubrel.explored.listed.numbering import NumberTable
from zubrel.explored.packed.novelty_arrays import NEW_PAIR, NEW_VALUE, VectorNovelty
from zubrel.explored.packed.packing import WORD
from zubrel.explored.packed.settling_arrays import VectorSettling

BATCH = 64
"""Rooms that are left at once: of 16 worlds as people write them 12 are won by this search alone in
6 million units of work, as with half as many and with twice as many."""
DRAWN, NEW_VALUES, NEW_PAIRS = 0.25, 0.25, 0.25
"""The shares of them that are drawn, and in which something is new."""
CELLS = 2_000_000
"""Costs of values that are worked out at once."""
EXACT = 1_000
"""Costs up to which those that differ by one make kinds of their own."""
MOST_VALUES = 5_000
"""Values of all variables together up to which costs are worked out."""
PER_ROOM = 20
"""Units of work for each room that is left or met, what a win costs from it aside."""
LOOKED_UP = 250
"""Values, and two at once, of which it is looked up for a unit of work whether they are new."""


class BroadSearch:
    """One search for a win from a room."""

    def __init__(self, seeker: Seeker, start: Room) -> None:
        self.seeker = seeker
        self.rooms = seeker.rooms
        self.start = start
        self._made: _Broad | None = None

    def run(self) -> Path | None:
        """A way to a win; None where nothing more is left to look at, or where amounts are too
        large to be looked at value by value.

        Raises what `spend` does, and goes on from there when it is called again.
        """
        # a table of a million grains of sand would take all the work there is
        if sum(variable.size for variable in self.rooms.system.variables) > MOST_VALUES:
            return None
        # functions on columns are written first when they are wanted: most worlds are won without
        if self._made is None:
            self._made = _Broad(self.seeker, self.start)
        return self._made.run()


class _Broad:
    def __init__(self, seeker: Seeker, start: Room) -> None:
        self.rooms = seeker.rooms
        self.budget: Budget = seeker.budget
        self.start = start
        self.islands = Islands(seeker.system, self.budget)
        self.moves = IslandMoves(self.islands)
        self.table = NumberTable(self.islands.rows)
        self.settling = VectorSettling(seeker.system, self.islands.kernel, self.islands.packing)
        self.costs = Costs(seeker.relaxation, seeker.domains(start.name))
        self.random = Random(start.name)  # the same for the same room
        self.came = np.empty(0, np.int64)
        """By node, which is an island, the one from which it was met first."""
        self.far = np.empty(0, np.int32)
        """How many moves from the start each was met."""
        self.left = bytearray()
        """Which of them were left."""
        # of equal ones the one that was met last
        self.queue: list[tuple[float, int]] = []
        self.kinds: dict[tuple[int, int], list[int]] = {}
        self.known_kinds: list[tuple[int, int]] = []
        # that yet another day has gone by is nothing new
        clocks = {clock.variable for clock in seeker.timing.clocks}
        variables = seeker.system.variables
        counted = [n for n in range(len(variables)) if n != ENDING and n not in clocks]
        self.novelty = VectorNovelty(variables, counted)
        self.new: dict[int, list[tuple[float, int]]] = {NEW_VALUE: [], NEW_PAIR: []}
        """Queues like that of all, of rooms in which something is new."""
        self.won: int | None = None
        mask = (1 << WORD) - 1
        words = [start.name >> WORD * n & mask for n in range(self.islands.packing.words)]
        self._meet([np.array([word], np.uint64) for word in words], np.array([-1]))

    def run(self) -> Path | None:
        while self.won is None:
            # between two batches: whoever goes on after a share is spent finds all in its place
            work, self.costs.work = self.costs.work, 0.0
            self.budget.spend(work)
            nodes = self._chosen()
            if not nodes:
                return None
            numbers = np.array(nodes, np.uint32)
            columns = self.islands.rows.columns(0, self.islands.nodes)
            sources, after = self.moves.out_of([c.take(numbers) for c in columns], numbers)
            self._meet(after, sources.astype(np.int64))
        return self._path(self.won)

    def _chosen(self) -> list[int]:
        """Which nodes are left next."""
        chosen = list[int]()
        most = BATCH * DRAWN
        while self.known_kinds and len(chosen) < most:
            self._note_left(self._drawn(), chosen)
        for queue, share in (
            (self.new[NEW_VALUE], NEW_VALUES),
            (self.new[NEW_PAIR], NEW_PAIRS),
            (self.queue, 1),  # all the rest
        ):
            most = min(BATCH, most + BATCH * share)
            while queue and len(chosen) < most:
                self._note_left(heapq.heappop(queue)[1], chosen)
        return chosen

    def _note_left(self, node: int, chosen: list[int]) -> None:
        node = abs(node)
        # it stands in both lists
        if not self.left[node]:
            self.left[node] = True
            chosen.append(node)

    def _drawn(self) -> int:
        """A node of some kind, which is taken out of it."""
        place = self.random.randrange(len(self.known_kinds))
        nodes = self.kinds[self.known_kinds[place]]
        other = self.random.randrange(len(nodes))
        # the last one fills the gap: the order within a kind does not matter
        nodes[other], nodes[-1] = nodes[-1], nodes[other]
        node = nodes.pop()
        if not nodes:
            del self.kinds[self.known_kinds[place]]
            self.known_kinds[place] = self.known_kinds[-1]
            self.known_kinds.pop()
        return node

    def _meet(self, columns: list[Any], sources: npt.NDArray[np.int64]) -> None:
        """Situations that moves out of some nodes lead to."""
        if not len(sources):
            return
        if self.settling.needed:
            self.settling.settle(columns, self._refuse_if_endless)
        self.islands.join(columns)
        known = self.islands.nodes
        numbers = self.table.numbers_of(columns)
        new = np.flatnonzero(numbers >= known)
        count = self.islands.nodes - known
        came = np.full(count, -1, np.int64)
        # of several moves that lead to one node the first, which is written last
        came[numbers[new][::-1] - known] = sources[new][::-1]
        far = self.far[came] + 1 if known else np.zeros(count, np.int32)
        self.came, self.far = (_with(a, known, b) for a, b in ((self.came, came), (self.far, far)))
        self.left += bytes(count)
        self._rank(known, count, far)
        self.costs.work += PER_ROOM * (count + BATCH)

    def _rank(self, known: int, count: int, far: npt.NDArray[np.int32]) -> None:
        """Put new nodes where they are chosen from, by what a win costs from them."""
        words = self.islands.rows.columns(known, known + count)
        values = np.array(
            [
                (words[f.word] >> np.uint64(f.shift)).astype(np.int64) & (1 << f.bits) - 1
                for f in self.islands.packing.fields
            ]
        )
        ended = values[ENDING] != 0
        for place in np.flatnonzero(ended).tolist():
            # a game that is over before the first move is no play
            is_won = known and int(values[ENDING][place]) in self.rooms.good
            if is_won and self.won is None:
                self.won = known + place
        going_on = np.flatnonzero(~ended)
        if not len(going_on):
            return
        # in parts: what a move of a large world leads to may be too much for one table
        most = max(1, CELLS // self.costs.rows)
        parts = [going_on[first : first + most] for first in range(0, len(going_on), most)]
        costs = np.concatenate([self._costs(values, part) for part in parts])
        # nothing that is known leads from the others to a win
        going_on, costs = going_on[costs < FAR], costs[costs < FAR]
        rounded = [_rounded(cost) for cost in costs.tolist()]
        new = self.novelty.of(values[:, going_on], np.array(rounded, np.int64))
        self.costs.work += len(going_on) * self.novelty.looked_up / LOOKED_UP
        for place, cost, alike, newness in zip(
            going_on.tolist(), costs.tolist(), rounded, new.tolist(), strict=True
        ):
            node, kind = known + place, (alike, int(far[place]))
            for queue in (self.queue, self.new.get(newness)):
                if queue is not None:
                    heapq.heappush(queue, (cost, -node))
            if kind not in self.kinds:
                self.known_kinds.append(kind)
            self.kinds.setdefault(kind, []).append(node)

    def _costs(self, values: npt.NDArray[np.int64], part: npt.NDArray[np.int64]) -> Row:
        self.budget.check_limits()
        return self.costs.of(values[:, part])

    def _refuse_if_endless(self, row: list[int]) -> None:
        self.rooms.settled(_joined(row))

    def _path(self, node: int) -> Path:
        """Exits of rooms along which a node was met."""
        line = [node]
        while (before := int(self.came[line[-1]])) >= 0:
            line.append(before)
        path, room = Path(), self.start
        for here in line[-2::-1]:
            word = _joined(self.islands.rows.row(here))
            over = self.rooms.is_over(word)
            # rooms may be wider than islands: what a door leads to may be walked to and fro
            if over or self.rooms.room(word).name != room.name:
                path.append(self._exit(room, word))
            if not over:
                room = self.rooms.room(word)
        return path

    def _exit(self, room: Room, word: int) -> Exit:
        """The exit of a room that leads to another, or to an end."""
        for exit_ in room.exits:
            if exit_.target == word:
                return exit_
            if self.rooms.is_over(exit_.target) or self.rooms.is_over(word):
                continue
            if self.rooms.room(exit_.target).name == self.rooms.room(word).name:
                return exit_
        raise AssertionError("a move of an island leads out of its room")


def _with(array: npt.NDArray[Any], known: int, new: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """An array of which so many entries are known, and new ones behind them."""
    end = known + len(new)
    if end > len(array):
        # twice as long each time, so that all copies together are no longer than it is
        array = np.concatenate([array[:known], np.zeros(end, array.dtype)])
    array[known:end] = new
    return array


def _rounded(cost: float) -> int:
    """What costs are taken as where kinds of rooms are told apart: large ones by their size."""
    return int(cost) if cost < EXACT else int(EXACT + 8 * log2(cost / EXACT))


def _joined(words: list[int]) -> int:
    """The words of a situation as one, in which its fields stand in the same order."""
    return sum(word << WORD * place for place, word in enumerate(words))
