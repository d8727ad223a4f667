"""Moves that certainly take every win away, found by leaving plays that win.

Every situation of a play that wins can still be won. Where a move leads from one of them to where
the relaxation knows of no win, or to few rooms of which none is won, it is certain that the move
dooms: it could be won before, for there is the play, and it cannot be won after.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TypeVar

from msgspec import Struct, field

from zubrel.base.budget import Allowance, WorkSpent
from zubrel.certain.broad import BroadSearch
from zubrel.certain.courses import Courses
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.exhausting import Exhausting
from zubrel.certain.novelty import NovelSearch
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.safety import SafeSearch, denials_of
from zubrel.certain.wins import Path, Seeker, WinSearch, path_of
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System

T = TypeVar("T")

PROOF, LONG_PROOF = 12, 60
"""Rooms that are looked at to prove that a win is left: of one situation of many, and of the two
between which a play was lost."""
FIRST_TURN = 150_000
"""Units of work of the first turn of each search for a win; each next turn is twice as long. Of
fifteen worlds plans win eleven within so much and two more within 0.7 million; novelty wins one of
these two in 0.1, and another in 2.8 million."""

BROAD_TURN = 4
"""How many times as long a turn of a search of many rooms at once is: seven worlds that plans do
not win at once take it 1 to 5 million units (with 3 one of 15 takes 7.9 and not 5.5 in all, and
another one 5.6 and not 7.3)."""


class _Kind(Struct):
    """Searches of one kind, of which one has the turn, and the next one that after it; how many
    times as long its turns are as those of others, and what is left of the one that it has."""

    searches: list[WinSearch | NovelSearch | SafeSearch | BroadSearch]
    times: int = 1
    turn: Allowance = field(default_factory=lambda: Allowance(0))


class Hunt:
    """Collects plays that win, and moves that lead from them to where no win is left."""

    def __init__(self, seeker: Seeker) -> None:
        self.seeker = seeker
        self.rooms = seeker.rooms
        self.system: System = seeker.system
        self.start = self.rooms.room(self.rooms.start())
        self.kinds = [
            _Kind([WinSearch(seeker, self.start), WinSearch(seeker, self.start, new_first=True)]),
            _Kind([NovelSearch(seeker, self.start)]),
        ]
        """They have turns: plans lead straight to most wins, and novelty to those behind them."""
        self.round = list[_Kind]()
        """Those whose turn is still to come, or to be ended, before turns grow."""
        self.turn = 0
        """Units of work of a turn: an easy win is found in the first, by whichever is made for
        it."""
        self.live = Courses(self.rooms)
        # how each room was first come to, so that a walk to it can be told without a search
        self.came: dict[int, tuple[int, Exit] | None] = {self.start.name: None}
        self.lost: set[int] = set()
        """Rooms of which it is known that no win is left."""
        self.exhausting = Exhausting(self.rooms, self.live, self.lost)
        self.dooms: dict[tuple[int, bool], DoomingStep] = {}
        """By the place of the move among the moves, and whether luck decides."""
        self.edges: list[Room] = []
        """Live rooms in which a move was first seen to doom, in the order of these finds."""
        # outcomes of one move count as one: what dooms is the player's move, or its luck
        self.places = {s.number: n for n, m in enumerate(self.system.moves) for s in m.steps}

    def first_win(self) -> bool:
        """Find a win from the start, and remember its play; whether there is one for sure."""
        budget = self.seeker.budget
        # where each has met all that there is, no other will find a win
        while self.kinds:
            if not self.round:
                self._begin_a_round()
            kind = self.round[0]
            try:
                with budget.sharing(kind.turn):
                    path = kind.searches[0].run()
            except WorkSpent:
                budget.spend(1)  # a share that is all spent outside of here ends this
                kind.searches.append(kind.searches.pop(0))
                del self.round[0]
                continue
            if path is not None:
                self.remember(path, self.start)
                return True
            # all that it can ever meet it has met
            del kind.searches[0], self.round[0]
            self.kinds = [kind for kind in self.kinds if kind.searches]
        return False

    def _begin_a_round(self) -> None:
        """Each kind has a turn, twice as long as its last one."""
        if self.turn == FIRST_TURN:
            # they have their turn before those that have had one
            self.kinds[:0] = self._more()
        self.turn = 2 * self.turn or FIRST_TURN
        self.round = list(self.kinds)
        for kind in self.kinds:
            kind.turn = Allowance(self.turn * kind.times)

    def _more(self) -> list[_Kind]:
        """Searches that look out for bad endings, and one of many rooms at once, where the first
        turns were in vain."""
        seeker, both = self.seeker, (False, True)
        # what is wary is the first: it wins what it is made for in one turn
        more = list[_Kind]()
        if planner := seeker.enduring:
            more.append(_Kind([WinSearch(seeker, self.start, None, n, planner) for n in both]))
        if denials := denials_of(seeker):
            more += [_Kind([SafeSearch(seeker, self.start, denials, n)]) for n in both]
        return [*more, _Kind([BroadSearch(seeker, self.start)], BROAD_TURN)]

    # what is known

    def win(self) -> tuple[Step, ...]:
        """The steps of a win from the start."""
        return self.rooms.steps_of(self.live.steps(self.rooms.start()))

    def plays(self, most: int) -> Iterator[tuple[Step, ...]]:
        """Plays that win through up to so many live rooms, spread over all that are known."""
        for name in spread(self.live.names, most):
            path = path_of(self.came, name)
            word = path[-1].target if path else self.rooms.start()
            yield self.rooms.steps_of([*self.spelled_out(path), *self.live.steps(word)])

    def spelled_out(self, path: Sequence[Exit]) -> list[int]:
        """Exits from the start on, with the walks between them."""
        word, steps = self.rooms.start(), list[int]()
        for exit_ in path:
            walk = self.rooms.walk_to(word, exit_.source & self.rooms.place)
            assert walk is not None, "an exit leads out of the room where the one before it has led"
            steps += [*(step for step, _ in walk), exit_.step]
            word = exit_.target
        return steps

    def exits_of(self, steps: Sequence[int], start: int | None = None) -> Path:
        """The steps of a play from a situation (None: the start) that lead out of rooms."""
        path = Path()
        for step, (word, target) in zip(steps, self.rooms.along(steps, start), strict=True):
            room = self.rooms.room(word)
            # steps inside of a room are left out: they can be found again when the play is told
            if target & ~self.rooms.place != word & ~self.rooms.place or (
                target & self.rooms.place not in room.areas
            ):
                path.append(Exit(word, step, target))
        return path

    def behind(self, room: Room, exit_: Exit) -> Room:
        """The room behind an exit, to which it is a way."""
        there = self.rooms.room(exit_.target)
        # the first way to a room stays, so that ways never go in circles
        self.came.setdefault(there.name, (room.name, exit_))
        return there

    def come_to(self, path: Path) -> Room:
        """The room at the end of a path from the start."""
        room = self.start
        for exit_ in path:
            room = self.behind(room, exit_)
        return room

    def remember(self, path: Path, start: Room) -> None:
        """A path that wins: all its rooms are live."""
        line = [start]
        for exit_ in path[:-1]:
            line.append(self.behind(line[-1], exit_))
        # both are proofs, and cannot both be right: one of them would be a mistake of the program
        assert not any(room.name in self.lost for room in line), "what can be won is not lost"
        self.live.along(line, path)

    def is_live(self, room: Room, most: int | None, like: Room | None = None) -> bool:
        """Whether a win is found from a room: that of another room that is `like` it, or one that
        is found looking at so many rooms at most (None: as many as there are)."""
        if like is not None and self.wins_like(room, like):
            return True
        if room.name not in self.live.known and room.name not in self.lost:
            path = self.seeker.win(room, most)
            if path is not None:
                self.remember(path, room)
        return room.name in self.live.known

    def wins_like(self, room: Room, other: Room) -> bool:
        """Whether a room is won as another one is that is live."""
        if room.name in self.live.known or room.name in self.lost:
            return room.name in self.live.known
        return self.live.wins_like(room, other)

    def is_lost(self, room: Room) -> bool:
        """Whether the relaxation knows of no win from a room."""
        if room.name in self.live.known:
            return False
        # no from the relaxation is a proof; its yes is none, and leaves the room neither live nor
        # lost
        if room.name not in self.lost and self.seeker.is_hopeless(room):
            self.lost.add(room.name)
        return room.name in self.lost

    def is_lost_for_sure(self, room: Room) -> bool:
        """The same, where what the relaxation does not know is looked for everywhere."""
        if room.name in self.live.known:
            return False
        if self.seeker.is_proved:
            return self.is_lost(room)  # nothing is left open that could be looked for
        return self.is_lost(room) or self.exhausting.shows_lost(room)

    def is_known(self, step: int) -> bool:
        """Whether the move of a step dooms by itself for certain: luck cannot make it worse."""
        return (self.places[step], False) in self.dooms

    def note(self, room: Room, exit_: Exit, way: Path | None = None) -> None:
        """The exit leads from a live room to a lost one; `way` leads there (None: as it came)."""
        move = self.system.moves[self.places[exit_.step]]
        by_luck = False
        if len(move.steps) > 1:
            others = self._outcomes(exit_)
            # luck takes the blame only where one outcome dooms and another is known to spare the
            # player
            if not all(self._dooms(other.target) for other in others):
                by_luck = any(self._spares(room, other) for other in others)
                if not by_luck:
                    return  # whether another outcome spares the player is not known
        path = [*(path_of(self.came, room.name) if way is None else way), exit_]
        key = (self.places[exit_.step], by_luck)
        # a shorter walk to the same finding is better evidence; between exits there may be more
        known = self.dooms.get(key)
        if known is not None and len(known.walk) <= len(path):
            return
        walk = self.spelled_out(path)
        if known is not None and len(known.walk) <= len(walk):
            return
        if known is None:
            self.edges.append(room)
        self.dooms[key] = DoomingStep(
            self.system.steps[exit_.step],
            by_luck,
            self.rooms.steps_of(walk),
            self.rooms.steps_of(self.live.steps(exit_.source)),
            tuple(self.rooms.values(exit_.target)),
        )

    def _outcomes(self, exit_: Exit) -> list[Exit]:
        """The other outcomes of a move."""
        numbers = {s.number for s in self.system.moves[self.places[exit_.step]].steps}
        links = self.rooms.links(exit_.source)
        return [
            Exit(exit_.source, step, target)
            for step, target in links
            if step in numbers and step != exit_.step
        ]

    def _dooms(self, target: int) -> bool:
        if self.rooms.is_over(target):
            return False
        return self.is_lost_for_sure(self.rooms.room(target))

    def _spares(self, room: Room, exit_: Exit) -> bool:
        """Whether an outcome of a move made in a room ends the game, or leaves a win."""
        if self.rooms.is_over(exit_.target):
            return True
        return self.is_live(self.behind(room, exit_), PROOF, like=room)


def spread(things: Sequence[T], most: int) -> Sequence[T]:
    """Up to so many of some things, at even distances."""
    return things[:: max(1, -(-len(things) // most))]


def every_doom(hunt: Hunt) -> Iterator[DoomingStep]:
    """What was found, in the order of the moves of the world."""
    for key in sorted(hunt.dooms):
        yield hunt.dooms[key]
