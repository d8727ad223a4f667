"""What can certainly be missed: a play loses it for good before it has had it, and can still win.

That a win is left there are plays to show; that the thing never comes any more, sets of values do.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Protocol

from msgspec import Struct

from zubrel.certain.hunt import spread
from zubrel.compiled.formulas import Formula
from zubrel.compiled.future import Future
from zubrel.compiled.parts import Step
from zubrel.compiled.relaxation import Relaxation
from zubrel.explored.listed.sampled import SampledSpace
from zubrel.explored.listed.small import Numbers

MOST_ENDS = 40
"""Situations right before a win from which nothing may come any more that are looked at. Each takes
a fixpoint, and what a play has missed at its end it has missed for good."""

LOOKED_AT = 1
"""Units of work for each situation of a play, to see whether it has something."""


class Attainable(Protocol):
    """Something to have: `attained` holds where a play has it (`lasting`: or has had it).

    `ever`, where it is known, holds exactly where a play has had it.
    """

    @property
    def attained(self) -> Formula: ...
    @property
    def lasting(self) -> bool: ...
    @property
    def ever(self) -> Formula | None: ...


class Missed(Struct, frozen=True):
    """A play that wins, and loses something for good within so many `moves` that it has not had.

    `thing` is its place among those that were wanted, `values` the situation after those moves.
    """

    thing: int
    play: tuple[Step, ...]
    moves: int
    values: tuple[int, ...]


def missed(
    sample: SampledSpace, won: Numbers, wanted: Sequence[Attainable], relaxation: Relaxation
) -> Iterator[Missed]:
    """Of the wanted things those that some play in the sample misses, each once.

    Raises what `Budget.spend` does.
    """
    looking = _Missing(sample, won, wanted, relaxation)
    for end in looking.ends():
        yield from looking.at(end)


class _Missing:
    def __init__(
        self,
        sample: SampledSpace,
        won: Numbers,
        wanted: Sequence[Attainable],
        relaxation: Relaxation,
    ) -> None:
        self.sample = sample
        self.won = won
        self.wanted = wanted
        self.relaxation = relaxation
        self.has = sample.kernel.tests(map(had_formula, wanted))
        """By thing: tests of situations in which a play has it, or shows that it has had it."""
        self.left = set(range(len(wanted)))
        self.futures: dict[int, Future] = {}

    def ends(self) -> Sequence[int]:
        """Situations from which one step wins, spread over all there are."""
        left = enumerate(self.sample.successors)
        ends = [here for here, steps in left if any(after in self.won for _, after in steps)]
        return spread(ends, MOST_ENDS)

    def at(self, end: int) -> Iterator[Missed]:
        """What the shortest play in the sample to an end has missed, and where that began."""
        line, play = self._line_to(end), self._play_through(end)
        for number in sorted(self.left):
            thing = self.wanted[number]
            # each situation of the play costs a spreading of sets, unless it is known from an
            # earlier one
            self.relaxation.budget.spend(LOOKED_AT * len(line))
            at = lost_after(
                thing,
                line,
                partial(self._has, number),
                partial(self._may_come, thing),
            )
            if at is None:
                continue
            # one play is enough for each thing, and the first is a shortest one in the sample
            self.left.discard(number)
            # what no play ever has nobody misses
            if self.sample.holds_somewhere(thing.attained):
                yield Missed(number, play, at, self._future(line[at]).values)

    def _play_through(self, end: int) -> tuple[Step, ...]:
        """The steps of the shortest play in the sample to an end, and of the one that wins."""
        last = next(step for step, after in self.sample.successors[end] if after in self.won)
        steps = [last]
        while (before := self.sample.parents[end]) is not None:
            end, step = before
            steps.append(step)
        return tuple(self.sample.system.steps[step] for step in reversed(steps))

    def _line_to(self, end: int) -> list[int]:
        """The situations of the shortest play in the sample to one of them."""
        line = [end]
        while (before := self.sample.parents[line[-1]]) is not None:
            line.append(before[0])
        return line[::-1]

    def _has(self, number: int, here: int) -> bool:
        return bool(self.has[number](self.sample.words[here]))

    def _may_come(self, thing: Attainable, here: int) -> bool:
        return self._future(here).may_hold(thing.attained)

    def _future(self, here: int) -> Future:
        if here not in self.futures:
            values = self.sample.packing.unpack([self.sample.words[here]])
            self.futures[here] = Future(self.relaxation, tuple(values))
        return self.futures[here]


def lost_after(
    thing: Attainable,
    line: Sequence[int],
    has: Callable[[int], bool],
    may_come: Callable[[int], bool],
) -> int | None:
    """After how many moves of a play, with the situations of a `line`, a thing never comes any
    more; None: it may, or the play has had it."""
    # what leaves a mark is looked up at the end; the rest all along the play
    marked = thing.lasting or thing.ever is not None
    if any(has(here) for here in (line[-1:] if marked else line)):
        return None
    # what never comes any more never comes later either
    moves = bisect_left(line, True, key=lambda here: not may_come(here))
    return moves if moves < len(line) else None


def had_formula(thing: Attainable) -> Formula:
    """Holds where a play has something, or shows by a mark that it has had it."""
    return thing.attained if thing.lasting or thing.ever is None else thing.ever
