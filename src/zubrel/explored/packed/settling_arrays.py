"""What happens by itself, for whole columns of situations at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import count
from typing import Any

import numpy as np

from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import ENDING, Change, Operation
from zubrel.compiled.system import System
from zubrel.explored.packed.kernel import Kernel, Test
from zubrel.explored.packed.packing import Packing

MANY_ROUNDS = 1_000


class VectorSettling:
    """The settlers and endings of a system as functions on columns."""

    def __init__(self, system: System, kernel: Kernel, packing: Packing) -> None:
        self.kernel = kernel
        # in the order of the file, as for one situation, with functions that take columns
        tests = kernel.tests(s.guard for s in system.settlers)
        updates = kernel.updates(s.changes for s in system.settlers)
        self.settlers = list(zip(tests, updates, strict=True))
        ends = kernel.tests(guard for guard, _ in system.endings)
        changes = [(Change(ENDING, Operation.SET, number),) for _, number in system.endings]
        self.endings = list(zip(ends, kernel.updates(changes), strict=True))
        self.field = packing.fields[ENDING]
        self.needed = bool(self.settlers or self.endings)
        self.events: Mapping[int, Formula] = {}
        self.watched: dict[int, Test] = {}
        self.met: Any = None

    def watch(self, events: Mapping[int, Formula]) -> None:
        """Formulas by the number of a settler: `met` becomes true where it happens and they hold.

        `met` has to be provided, as long as the columns.
        """
        # compiled once for many columns: whoever asks mostly asks the same
        if events != self.events:
            self.events = events
            self.watched = dict(zip(events, self.kernel.tests(events.values()), strict=True))

    def settle(self, words: list[Any], examine: Callable[[list[int]], None]) -> None:
        """Settle the columns in place.

        After many rounds `examine` is given one of the situations that still do not rest; it
        raises when that one never will.
        """
        # only what still moves is looked at in the next round
        restless = np.flatnonzero(self._going_on(words))
        quiet = [restless[:0]]
        for number in count(1):
            restless, resting = self._round(words, restless)
            quiet.append(resting)
            if not len(restless):
                break
            if number % MANY_ROUNDS == 0:
                examine([int(w[restless[0]]) for w in words])
        self._end(words, np.concatenate(quiet))

    def _going_on(self, words: list[Any]) -> Any:
        return (words[self.field.word] & self.field.mask) == 0

    def _round(self, words: list[Any], active: Any) -> tuple[Any, Any]:
        """The first thing happens to each; those where something did, those that are at rest."""
        # in the order of the list: to each only the first thing happens that changes it
        waiting = active
        moved = [active[:0]]
        for number, (test, update) in enumerate(self.settlers):
            if not len(waiting):
                break
            here = [w[waiting] for w in words]
            truths = np.broadcast_to(np.asarray(test(*here)), waiting.shape)
            # a test may hold where the update changes nothing: that is no happening
            candidates = waiting[truths]
            if not len(candidates):
                continue
            before = [w[candidates] for w in words]
            after = update(*before)
            changed = np.zeros(len(candidates), np.bool_)
            for old, new in zip(before, after, strict=True):
                changed |= old != new
            happened = candidates[changed]
            if number in self.watched:
                holds = self.watched[number](*[w[happened] for w in words])
                self.met[happened] |= holds
            for column, new in zip(words, after, strict=True):
                column[happened] = new[changed]
            moved.append(happened)
            # those to which nothing happened go on to the next thing
            kept = np.ones(len(waiting), np.bool_)
            kept[np.flatnonzero(truths)[changed]] = False
            waiting = waiting[kept]
        happened = np.concatenate(moved)
        going_on = self._going_on([w[happened] for w in words])
        return happened[going_on], waiting

    def _end(self, words: list[Any], resting: Any) -> None:
        """The first ending whose guard holds ends the game."""
        for test, update in self.endings:
            here = [w[resting] for w in words]
            truths = np.broadcast_to(np.asarray(test(*here)), resting.shape)
            ending = resting[truths]
            for column, new in zip(words, update(*[w[ending] for w in words]), strict=True):
                column[ending] = new
            resting = resting[~truths]  # the first ending that holds is the one
