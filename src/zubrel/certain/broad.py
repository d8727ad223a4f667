"""Wins found by looking at many rooms at once, by what a win costs from each.

All moves out of some dozens of rooms are made at once, on columns, and what wins cost from what
they lead to is worked out in one go (`costs`). Which rooms those are is chosen by what a win costs,
by what is new, and at random (`frontier`).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget
from zubrel.certain.bringing import Row
from zubrel.certain.costs import FAR, Costs
from zubrel.certain.frontier import BATCH, Frontier
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.wins import Path, Seeker
from zubrel.compiled.parts import ENDING
from zubrel.explored.listed.islands import IslandMoves, Islands
from zubrel.explored.listed.numbering import NumberTable
from zubrel.explored.packed.packing import WORD
from zubrel.explored.packed.settling_arrays import VectorSettling

CELLS = 2_000_000
"""Costs of values that are worked out at once."""
MOST_VALUES = 5_000
"""Values of all variables together up to which costs are worked out."""
PER_ROOM = 20
"""Units of work for each room that is left or met, what a win costs from it aside."""


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
        # that yet another day has gone by is nothing new
        clocks = {clock.variable for clock in seeker.timing.clocks}
        values = self.rooms.values(start.name)
        lows = (variable.low for variable in seeker.system.variables)
        before = [value - low for value, low in zip(values, lows, strict=True)]
        # the same for the same room
        self.frontier = Frontier(seeker.system, before, clocks, seed=start.name)
        self.came = np.empty(0, np.int64)
        """By node, which is an island, the one from which it was met first."""
        self.far = np.empty(0, np.int32)
        """How many moves from the start each was met."""
        self.won: int | None = None
        mask = (1 << WORD) - 1
        words = [start.name >> WORD * n & mask for n in range(self.islands.packing.words)]
        self._meet([np.array([word], np.uint64) for word in words], np.array([-1]))

    def run(self) -> Path | None:
        while self.won is None:
            # between two batches: whoever goes on after a share is spent finds all in its place
            work = self.costs.work + self.frontier.work
            self.costs.work = self.frontier.work = 0.0
            self.budget.spend(work)
            nodes = self.frontier.leave()
            if not nodes:
                return None
            numbers = np.array(nodes, np.uint32)
            columns = self.islands.rows.columns(0, self.islands.nodes)
            sources, after = self.moves.out_of([c.take(numbers) for c in columns], numbers)
            self._meet(after, sources.astype(np.int64))
        return self._path(self.won)

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
        nodes = (known + going_on).tolist()
        self.frontier.meet(nodes, values[:, going_on], costs, far[going_on])

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


def _joined(words: list[int]) -> int:
    """The words of a situation as one, in which its fields stand in the same order."""
    return sum(word << WORD * place for place, word in enumerate(words))
