"""A better order of the variables for sets as they have become.

How large a diagram is depends on the order of its variables more than on anything else, and an
order that is chosen before anything is known of the sets may make them ten times as large as they
need be. Here each variable is moved through the others, and stays where the sets are smallest
(sifting: Rudell, Dynamic variable ordering for ordered binary decision diagrams, 1993; the bits of
a variable stay together: Panda, Somenzi, Who are the variables in your neighborhood, 1995).
"""

from __future__ import annotations

import logging
from collections.abc import Iterator, Sequence
from contextlib import suppress
from itertools import groupby

from oxidd.bdd import BDDManager

from zubrel.base.budget import WorkSpent, address_space_left
from zubrel.explored.symbolic.encoding import LEAST_SPACE, SPACE_BYTES, Diagram, Encoding

log = logging.getLogger(__name__)

CACHE = 1 << 8
"""Results that the manager remembers in which orders are tried: each change of the order clears
that memory, which takes longer than all the rest where it is large."""
ROOM, LEAST_ROOM = 8, 1 << 16
"""Times the nodes that are copied, and nodes at least, for which that manager has room."""
TOO_LARGE = 1.2
"""A variable is moved on until the sets are so many times as large as at its best place so far."""
COPIED, PER_MOVE = 2, 40
"""Units of work to copy a node, and nodes that are looked at for a unit when a variable is moved
(measured: 0.25 s for 1,500 moves with 11,000 nodes, 3.7 s with 95,000)."""

Group = tuple[int, ...]
"""Bits that stay together, from the top down."""


def reorder(encoding: Encoding, sets: Sequence[Diagram], work: float) -> float:
    """Give the manager of `encoding` the best order that is found for some sets in so much work.

    Returns how many times the nodes from before the sets have now. Every diagram stays the set that
    it is. Nothing is done where the address space is limited, and too little of it is left for
    copies.
    """
    room = max(LEAST_ROOM, ROOM * sum(s.node_count() for s in sets))
    # where memory is limited by the system, a failed allocation would end the whole program
    space = address_space_left()
    if space is not None and space < LEAST_SPACE + room * SPACE_BYTES:
        return 1.0
    # sifting is tried out on copies: the sets themselves stay as they are until it has paid
    sifting = _Sifting(encoding, sets, room)
    before = sifting.smallest
    sifting.run(work)
    log.info("%d nodes in another order, %d before", sifting.smallest, before)
    if sifting.smallest < before:
        # what nobody uses any more would be moved as well
        encoding.collect()
        encoding.manager.set_var_order(sifting.order_of(sifting.best))
    return sifting.smallest / max(1, before)


class _Sifting:
    """Copies of some sets in a manager of their own, in which orders are tried.

    `best` is the best order so far, in which they have `smallest` nodes together.
    """

    def __init__(self, encoding: Encoding, sets: Sequence[Diagram], room: int) -> None:
        self.encoding = encoding
        levels = range(len(encoding.selectors), encoding.count)
        bits = [encoding.manager.level_to_var(level) for level in levels]
        self.groups = list(_groups(encoding, bits))
        """The order that is tried, below the selectors, which stay on top."""
        self.manager = BDDManager(room, CACHE, 1)
        self.manager.add_vars(encoding.count)
        self._establish()
        self.asking = [0] * encoding.count
        """By bit, the nodes that ask for it."""
        # as long as somebody holds them, their nodes are counted
        self.sets = self._copied(sets)
        self.best, self.smallest = list(self.groups), self._size()

    def order_of(self, groups: Sequence[Group]) -> list[int]:
        """All bits from the top down, where these groups follow one another."""
        return [*self.encoding.selectors, *(bit for group in groups for bit in group)]

    def _size(self) -> int:
        return int(self.manager.num_inner_nodes())

    def _copied(self, sets: Sequence[Diagram]) -> list[Diagram]:
        """The sets in the other manager."""
        variables = [self.manager.var(bit) for bit in range(self.encoding.count)]
        made = {
            self.encoding.true: self.manager.true(),
            self.encoding.false: self.manager.false(),
        }
        copies = []
        for diagram in sets:
            # from the leaves up, without recursion: a node is made when both below it are
            waiting = [diagram]
            while waiting:
                node = waiting[-1]
                if node in made:
                    waiting.pop()
                    continue
                cofactors, bit = node.cofactors(), node.node_var()
                assert cofactors is not None and bit is not None, "only leaves have none"
                high, low = cofactors
                below = [n for n in (low, high) if n not in made]
                if below:
                    waiting += below
                    continue
                # variables with the most nodes are moved first: they have the most to gain
                self.asking[bit] += 1
                made[node] = variables[bit].ite(made[high], made[low])
            copies.append(made[diagram])
        self.encoding.budget.spend(COPIED * len(made))
        return copies

    def run(self, work: float) -> None:
        """Move one variable after the other to its best place, those with most nodes first."""
        with suppress(WorkSpent), self.encoding.budget.within(work):
            for group in sorted(self.groups, key=lambda g: -sum(self.asking[b] for b in g)):
                self._sift(group)

    def _sift(self, group: Group) -> None:
        start = self.groups.index(group)
        ways = [range(start + 1, len(self.groups)), range(start - 1, -1, -1)]
        # the nearer end first: it has to come back from there
        for way in sorted(ways, key=len):
            for place in way:
                self._move(group, place)
                if self._size() > TOO_LARGE * self.smallest:
                    break
        self.groups = list(self.best)
        self._establish()

    def _move(self, group: Group, place: int) -> None:
        self.encoding.budget.spend(1 + self._size() // PER_MOVE)
        self.groups.remove(group)
        self.groups.insert(place, group)
        self._establish()
        if self._size() < self.smallest:
            self.best, self.smallest = list(self.groups), self._size()

    def _establish(self) -> None:
        self.manager.set_var_order(self.order_of(self.groups))


def _groups(encoding: Encoding, ordered: Sequence[int]) -> Iterator[Group]:
    """The bits of each variable, its second row among them, as they follow one another."""
    owner = {
        bit: v for rows in (encoding.bits, encoding.copies) for v, r in rows.items() for bit in r
    }
    for _, bits in groupby(ordered, key=owner.__getitem__):
        yield tuple(bits)
