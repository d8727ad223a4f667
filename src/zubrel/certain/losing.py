"""What a win loses for good on its way, one thing after the other: each of them can be missed.

That a win is left the rest of the play shows; that the thing never comes any more, sets of values
do; and that it can be had at all, another play.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import islice

from msgspec import Struct

from zubrel.certain.missed import LOOKED_AT, Attainable, had_formula, lost_after
from zubrel.certain.wins import Seeker, WinSearch
from zubrel.compiled.formulas import Formula, holds, variables_of
from zubrel.compiled.future import Future
from zubrel.compiled.parts import Step
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace

TRIED, ROOMS = 6, 8
"""Steps that may bring a thing which are looked for from right before it is lost, and rooms that
are looked at for each. Chosen: with these all 64 losses of bazaar L 1 are shown to be closed."""


class Lost(Struct, frozen=True):
    """After so many `moves` of a win a thing never comes any more that it has not had by then.

    `thing` is its place among those that were wanted. Where the last of these moves `closes` it,
    some play comes to have it from right before that.
    """

    thing: int
    moves: int
    closes: bool


def lost_by(
    win: Sequence[Step],
    wanted: Sequence[Attainable],
    comes_to: Callable[[Formula], bool],
    seeker: Seeker,
) -> Iterator[Lost]:
    """What a win loses of the wanted things that can be had at all.

    `comes_to` tells of a formula whether some play is known to come to where it holds. Raises what
    `Budget.spend` does.
    """
    losing = _Losing(seeker, win)
    for number, thing in enumerate(wanted):
        moves = losing.moves_until_lost(thing)
        # what is lost from the start on nobody can ever have
        if moves:
            closes = losing.could_be_had(thing, moves - 1)
            # what no play ever has nobody misses
            if closes or comes_to(thing.attained):
                yield Lost(number, moves, closes)


class _Losing:
    def __init__(self, seeker: Seeker, win: Sequence[Step]) -> None:
        self.seeker = seeker
        self.system = seeker.system
        walking = Walking(self.system)
        words = list(walking.along(Trace(tuple(win))))
        # after the last move the game is over, and nothing is missed any more
        self.line = [tuple(walking.packing.unpack([word])) for word in words[:-1]]
        """The situations on the way, those before each of the moves."""
        # each is found out only when it is asked
        self.futures = [Future(seeker.relaxation, values) for values in self.line]
        self._bringing: dict[int, list[Step]] = {}
        """By variable the steps that change it."""
        for step in self.system.player_steps:
            for variable in {change.variable for change in step.changes}:
                self._bringing.setdefault(variable, []).append(step)

    def moves_until_lost(self, thing: Attainable) -> int | None:
        """After how many moves a thing never comes any more; None: it does, or it was had."""
        self.seeker.budget.spend(LOOKED_AT * len(self.line))
        # a thing that was had before it was lost is not missed
        has = had_formula(thing)
        return lost_after(
            thing,
            range(len(self.line)),
            lambda place: holds(has, self.line[place]),
            lambda place: self.futures[place].may_hold(thing.attained),
        )

    def could_be_had(self, thing: Attainable, place: int) -> bool:
        """Whether a play is found that comes to have a thing from some place of the win on."""
        rooms = self.seeker.rooms
        word = rooms.packing.pack(self.line[place])[0]
        for step in islice(self._steps_for(thing), TRIED):
            path = WinSearch(self.seeker, rooms.room(word), step.number).run(ROOMS)
            if path and holds(thing.attained, rooms.values(path[-1].target)):
                return True
        return False

    def _steps_for(self, thing: Attainable) -> Iterator[Step]:
        for variable in sorted(variables_of(thing.attained)):
            yield from self._bringing.get(variable, ())
