"""Counting situations, and telling which are live, by islands instead of areas.

A node stands for a situation and all those that the player can walk to from it and back without
changing anything (`OpenWays`). Whatever can be reached from one of them can be reached from all,
so that a node is live if one of its situations is, and the sizes of the islands add up to exactly
the number of situations. A situation at the end of the game stands for itself. How many steps
something takes is lost.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.explored.listed.large_search import refuse_if_endless, rules_by_area
from zubrel.explored.listed.links import Links
from zubrel.explored.listed.numbering import Numbers, NumberTable, Rows
from zubrel.explored.listed.open_ways import OpenWays
from zubrel.explored.packed.kernel import Kernel, Test, Update
from zubrel.explored.packed.packing import pack_into_words
from zubrel.explored.packed.settling_arrays import VectorSettling
from zubrel.explored.space import TooMany

CHUNK = 65_536


class Islands:
    """All nodes of a searched system, with the steps between them if those were kept."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        self.budget = budget
        self.packing = pack_into_words(system.variables)
        self.kernel = Kernel(system.variables, self.packing, np.uint64(1))
        self.open_ways = OpenWays(system, self.kernel)
        self.rows = Rows(self.packing.words)
        # without the number of the step: only what leads where is asked of islands
        self.edges: list[tuple[Numbers, Numbers]] = []
        self.stopped: str | None = None
        self.situations = 0
        """How many situations the nodes stand for."""
        self._sizes: list[npt.NDArray[np.int64]] = []

    @property
    def nodes(self) -> int:
        return len(self.rows)

    def where(self, formula: Formula) -> npt.NDArray[np.bool_]:
        """The nodes in which a formula holds that does not ask for the place."""
        (test,) = self.kernel.tests([formula])
        truths: npt.NDArray[np.bool_] = np.zeros(self.nodes, np.bool_)
        # a formula that is always true comes back as a single value
        truths[:] = test(*self.rows.columns(0, self.nodes))
        return truths

    def count(self, nodes: npt.NDArray[np.bool_]) -> int:
        """How many situations some nodes stand for."""
        return int(np.concatenate(self._sizes)[nodes].sum())

    def reaching(self, target: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
        """The nodes from which some node of `target` can be reached."""
        none = np.empty(0, np.uint32)
        sources = np.concatenate([none, *(s for s, _ in self.edges)])
        ends = np.concatenate([none, *(t for _, t in self.edges)])
        # links are read by their source, as a row that begins at `starts`
        order = np.argsort(sources, kind="stable")
        starts = np.zeros(self.nodes + 1, np.int64)
        np.cumsum(np.bincount(sources, minlength=self.nodes), out=starts[1:])
        # which step it was does not matter here
        steps = np.zeros(len(ends), np.uint16)
        links = Links(starts, ends[order], steps, [0, self.nodes], self.budget)
        bits = target.astype(np.uint8)
        links.close(bits, True)
        reached: npt.NDArray[np.bool_] = bits != 0
        return reached

    def number_of(self, situation: Mapping[Key, Value]) -> int | None:
        """The node that stands for a situation; None when no play comes there."""
        words = self.packing.pack(self.system.values(situation))
        columns = [np.array([word], np.uint64) for word in words]
        # the situation may be any of its island; nodes are kept by its first area
        self.join(columns)
        numbers = np.arange(self.nodes)
        number = np.flatnonzero(self.rows.same(numbers, [column[0] for column in columns]))
        return int(number[0]) if len(number) else None

    def join(self, columns: list[Any]) -> npt.NDArray[np.int64]:
        """Put unended situations, in place, on the first area of their island; its size."""
        place, ending = (self.packing.fields[v] for v in (PLACE, ENDING))
        ended = (columns[ending.word] & np.uint64(ending.mask)) != 0
        # a game that has ended stays in its area: nobody walks any more
        going_on: Any = np.flatnonzero(~ended) if ended.any() else slice(None)
        sizes = np.ones(len(columns[0]), np.int64)
        here = [column[going_on] for column in columns]
        settings = self.open_ways.settings(here)
        areas = (here[place.word] & np.uint64(place.mask)).astype(np.int64)
        # the first area stands for the island, so that two situations on it get one number
        first = self.open_ways.first[settings, areas].astype(np.uint64)
        columns[place.word][going_on] = here[place.word] & ~np.uint64(place.mask) | first
        sizes[going_on] = self.open_ways.sizes[settings, areas]
        return sizes

    def add_sizes(self, sizes: npt.NDArray[np.int64]) -> None:
        """The sizes of the nodes that were numbered last."""
        self._sizes.append(sizes)
        self.situations += int(sizes.sum())


class IslandMoves:
    """Makes every move out of islands, from wherever on them it is possible."""

    def __init__(self, islands: Islands) -> None:
        self.islands = islands
        self.place, self.ending = (islands.packing.fields[v] for v in (PLACE, ENDING))
        # walking on an island is no move between nodes
        plain = {(way.step, way.here): way.there for way in islands.open_ways.ways}
        self.at: list[list[tuple[Test, list[Update], int | None]]] = [
            [
                (test, updates, plain.get((move.steps[0].number, area)))
                for move, test, updates in here
            ]
            for area, here in enumerate(rules_by_area(islands.system, islands.kernel))
        ]
        """The rules of each area; of plain ways also where they lead."""

    def out_of(self, words: list[Any], numbers: Numbers) -> tuple[Numbers, list[Any]]:
        """What the moves out of islands, given word by word, lead to before it settles, and the
        number of the island that each of them leaves."""
        # an end is an island of its own, with no moves
        going_on = np.flatnonzero((words[self.ending.word] & np.uint64(self.ending.mask)) == 0)
        words = [w[going_on] for w in words]
        settings = self.islands.open_ways.settings(words)
        areas = (words[self.place.word] & np.uint64(self.place.mask)).astype(np.int64)
        sources: list[Any] = [np.empty(0, np.uint32)]
        results: list[list[Any]] = [[np.empty(0, np.uint64)] * len(words)]
        # area by area: the rules that can be tried there, for all islands that it is part of
        for area, moves in enumerate(self.at):
            if not moves:
                continue
            # on which island the area lies depends on which ways are open
            first_area = self.islands.open_ways.first[settings, area]
            here = np.flatnonzero(first_area == areas)
            if len(here):
                own = [w[here] for w in words]
                # the same situation, with the player walked to the area whose rules are tried
                remaining = own[self.place.word] & ~np.uint64(self.place.mask)
                own[self.place.word] = remaining | np.uint64(area)
                leaving = numbers[going_on[here]]
                self._move(moves, own, settings[here], areas[here], leaving, sources, results)
        # all areas together: few large arrays instead of many small
        after = [np.concatenate([r[n] for r in results]) for n in range(len(words))]
        return np.concatenate(sources), after

    def _move(
        self,
        moves: list[tuple[Test, list[Update], int | None]],
        words: list[Any],
        settings: Any,
        areas: Any,
        numbers: Numbers,
        sources: list[Any],
        results: list[list[Any]],
    ) -> None:
        """What the rules of an area make of situations there."""
        for test, updates, there in moves:
            truths = np.broadcast_to(np.asarray(test(*words)), numbers.shape)
            if there is not None:  # on the island itself nothing changes
                truths = truths & (self.islands.open_ways.first[settings, there] != areas)
            if not truths.any():
                continue
            before = [w[truths] for w in words]
            for update in updates:
                # outcomes are kept in pieces, to be settled and numbered together
                sources.append(numbers[truths])
                results.append([np.array(w) for w in update(*before)])


def search_islands(
    system: System,
    budget: Budget,
    progress: Progress,
    with_edges: bool = True,
    most: int | None = None,
) -> Islands:
    """Find every node. Raises `TooMany` past `most` nodes, `EndlessSettling` as it says."""
    islands = Islands(system, budget)
    _IslandSearch(islands, budget, progress, with_edges, most).run()
    return islands


class _IslandSearch:
    def __init__(
        self,
        islands: Islands,
        budget: Budget,
        progress: Progress,
        with_edges: bool,
        most: int | None,
    ) -> None:
        self.islands = islands
        self.budget = budget
        self.progress = progress
        # counting needs no edges, which take more room than the situations
        self.with_edges = with_edges
        self.most = most
        self.table = NumberTable(islands.rows)
        self.settling = VectorSettling(islands.system, islands.kernel, islands.packing)
        self.moves = IslandMoves(islands)

    def run(self) -> None:
        islands = self.islands
        # one row, a column a word
        start = np.array([islands.packing.pack(islands.system.start)], np.uint64)
        self._enter([start[:, n].copy() for n in range(start.shape[1])])
        explored = 0
        try:
            while explored < islands.nodes:
                self.progress.reached(islands.situations, islands.nodes - explored)
                self.budget.check_limits(islands.situations, self.table.bytes_to_grow(2 * CHUNK))
                if self.most is not None and islands.nodes > self.most:
                    raise TooMany
                end = min(explored + CHUNK, islands.nodes)
                self._expand(explored, end)
                self.budget.spend(2 * (end - explored))
                explored = end
        # a share of work that is spent is somebody else's business, a limit ends this search
        except WorkSpent:
            raise
        except LimitReached as limit:
            islands.stopped = str(limit)

    def _expand(self, first: int, last: int) -> None:
        """All moves from all areas of the islands numbered `first` to `last`."""
        words = self.islands.rows.columns(first, last)
        sources, after = self.moves.out_of(words, np.arange(first, last, dtype=np.uint32))
        if len(sources):
            targets = self._enter(after)
            if self.with_edges:
                self._keep(sources, targets)

    def _enter(self, columns: list[Any]) -> Numbers:
        """Settle, join islands, and number."""
        if self.settling.needed:
            self.settling.settle(columns, self._refuse_if_endless)
        sizes = self.islands.join(columns)
        known = self.islands.nodes
        numbers = self.table.numbers_of(columns)
        # a node may have been come to several times in this chunk, and counts once
        fresh = np.zeros(self.islands.nodes - known, np.int64)
        new = numbers >= known
        fresh[numbers[new] - known] = sizes[new]
        self.islands.add_sizes(fresh)
        return numbers

    def _refuse_if_endless(self, row: list[int]) -> None:
        islands = self.islands
        refuse_if_endless(islands.system, islands.packing, row, self.budget, self.progress)

    def _keep(self, sources: Numbers, targets: Numbers) -> None:
        # to stay where one is leads nowhere, and would only make rows longer
        moving = sources != targets
        self.islands.edges.append((sources[moving], targets[moving]))
