"""Moves that certainly take every win away, found by leaving plays that win.

Every situation of a play that wins can still be won. Where a move leads from one of them to where
the relaxation knows of no win, it is certain that the move dooms: it could be won before, for there
is the play, and it cannot be won after. Plays that waste what they hold wander off further; where
one of them is lost, the last situation from which a win is found and the move after it are looked
for by halving.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from random import Random
from typing import TypeVar

from zubrel.base.budget import WorkSpent
from zubrel.certain.aims import WASTES, aims_of, waste_of
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.novelty import NovelSearch
from zubrel.certain.rooms import Exit, Room
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
WANDER = 2_000
"""Units of work of a wandering play, beside what it looks at."""
IDLE = 60
"""Wandering plays in a row that show nothing new, after which nobody looks on."""
LENGTHS = (3, 6, 12, 25, 50)
"""Exits that a wandering play takes before it is given up."""


class Hunt:
    """Collects plays and what leads off them. `live` rooms have an exit that leads on to a win."""

    def __init__(self, seeker: Seeker) -> None:
        self.seeker = seeker
        self.rooms = seeker.rooms
        # one seed for all worlds: what is certain of a world must not change from run to run
        self.random = Random(0)
        self.system: System = seeker.system
        self.start = self.rooms.room(self.rooms.start())
        self.searches: list[WinSearch | NovelSearch] = [
            WinSearch(seeker, self.start),
            NovelSearch(seeker, self.start),
        ]
        """They have turns: plans lead straight to most wins, and novelty to those behind them."""
        # turns grow: an easy win is found in the first, by whichever search is made for it
        self.turn = FIRST_TURN
        # by room the exit that leads on to a win: followed, they are the proof that it is live
        self.live: dict[int, Exit] = {}
        # how each room was first come to, so that a walk to it can be told without a search
        self.came: dict[int, tuple[int, Exit] | None] = {self.start.name: None}
        self.lost: set[int] = set()
        """Rooms of which it is known that no win is left."""
        self.dooms: dict[tuple[int, bool], DoomingStep] = {}
        """By the place of the move among the moves, and whether luck decides."""
        # outcomes of one move count as one: what dooms is the player's move, or its luck
        self.places = {s.number: n for n, m in enumerate(self.system.moves) for s in m.steps}
        self.weights = [
            WASTES if step.number in seeker.late else waste_of(self.system, step)
            for step in self.system.steps
        ]
        self.aims = aims_of(self.system, self.weights)
        """Steps that no play was aimed at yet."""
        self.risked: set[int] = set()
        self.looked: set[int] = set()
        """Live rooms of which all exits were tried that take something away for good, and all."""

    def first_win(self) -> bool:
        """Find a win from the start, and remember its play; whether there is one for sure."""
        budget = self.seeker.budget
        while self.searches:
            for search in tuple(self.searches):
                try:
                    with budget.within(self.turn):
                        path = search.run()
                except WorkSpent:
                    budget.spend(1)  # a share that is all spent outside of here ends this
                    continue
                if path is not None:
                    self._remember(path, self.start)
                    return True
                # all that it can ever meet it has met
                self.searches.remove(search)
            self.turn *= 2
        return False

    def run(self) -> None:
        """Look for dooms until nothing new comes up any more. Raises what `spend` does."""
        idle = 0
        while idle < IDLE:
            known = len(self.live) + len(self.lost) + len(self.dooms)
            # what takes something away for good is tried first, wherever a win is known to be left
            for name in [n for n in self.live if n not in self.risked]:
                self.risked.add(name)
                self._leave(self.rooms.room(name), self.seeker.late)
            # by turns, since each of these may take long and find nothing more
            unseen = next((n for n in self.live if n not in self.looked), None)
            if unseen is not None:
                self.looked.add(unseen)
                self._leave(self.rooms.room(unseen))
            # a move that dooms is often one that no wandering play would make
            if self.aims:
                self._rush(self.aims.pop(0))
            self._wander()
            changed = len(self.live) + len(self.lost) + len(self.dooms) > known
            idle = 0 if changed or unseen is not None or self.aims else idle + 1

    # what is known

    def win(self) -> tuple[Step, ...]:
        """The steps of a win from the start."""
        return self.rooms.steps_of(self._onward(self.rooms.start()))

    def plays(self, most: int) -> Iterator[tuple[Step, ...]]:
        """Plays that win through up to so many live rooms, spread over all that are known."""
        live = list(self.live)
        for name in spread(live, most):
            path = path_of(self.came, name)
            word = path[-1].target if path else self.rooms.start()
            yield self.rooms.steps_of([*self._spelled_out(path), *self._onward(word)])

    def _onward(self, word: int) -> list[int]:
        """The numbers of the steps of a win from a situation of a live room."""
        steps: list[int] = []
        while not self.rooms.is_over(word):
            room = self.rooms.room(word)
            exit_ = self.live[room.name]
            steps += [*self.rooms.walk(room, word, exit_.source), exit_.step]
            word = exit_.target
        return steps

    def _spelled_out(self, path: Sequence[Exit]) -> list[int]:
        """Exits from the start on, with the walks between them."""
        word, steps = self.rooms.start(), list[int]()
        for exit_ in path:
            steps += [*self.rooms.walk(self.rooms.room(word), word, exit_.source), exit_.step]
            word = exit_.target
        return steps

    def _remember(self, path: Path, start: Room) -> None:
        """A path that wins: all its rooms are live."""
        here = start
        for exit_ in path:
            # both are proofs, and cannot both be right: one of them would be a mistake of the
            # program
            assert here.name not in self.lost, "what can be won is not lost"
            # the first exit stays: following exits then ends, since each path was whole when it
            # came
            self.live.setdefault(here.name, exit_)
            if not self.rooms.is_over(exit_.target):
                there = self.rooms.room(exit_.target)
                self.came.setdefault(there.name, (here.name, exit_))
                here = there

    def is_live(self, room: Room, most: int) -> bool:
        """Whether a win is found from a room, looking at so many rooms at most."""
        if room.name not in self.live and room.name not in self.lost:
            path = self.seeker.win(room, most)
            if path is not None:
                self._remember(path, room)
        return room.name in self.live

    def is_lost(self, room: Room) -> bool:
        """Whether the relaxation knows of no win from a room."""
        if room.name in self.live:
            return False
        # no from the relaxation is a proof; its yes is none, and leaves the room neither live nor
        # lost
        if room.name not in self.lost and self.seeker.is_hopeless(room):
            self.lost.add(room.name)
        return room.name in self.lost

    # leaving a play

    def _leave(self, room: Room, by: frozenset[int] | None = None) -> None:
        """Try the exits of a live room `by` some steps, or (None) all of them."""
        exits = [e for e in room.exits if by is None or e.step in by]
        # a game that is over is not doomed; a move that surely dooms is known already
        exits = [e for e in exits if not self._is_known(e) and not self.rooms.is_over(e.target)]
        if not exits:
            return
        # what a win from here could be like, as the relaxation sees it
        plan = self.seeker.plan(room)
        assert plan is not None, "from a live room a win is possible"
        for exit_ in exits:
            domains = self.seeker.relaxation.domains(self.rooms.values(exit_.target))
            # most exits leave the old plan possible, which is tried for a fraction of a fixpoint
            if self.seeker.relaxation.plan_holds(domains, plan[1]):
                continue
            if self.is_lost(self.rooms.room(exit_.target)):
                self.note(room, exit_)

    def _is_known(self, exit_: Exit) -> bool:
        """Whether a move dooms by itself for certain: luck cannot make it worse."""
        return (self.places[exit_.step], False) in self.dooms

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
        walk = self._spelled_out([*(path_of(self.came, room.name) if way is None else way), exit_])
        key = (self.places[exit_.step], by_luck)
        # a shorter walk to the same finding is better evidence
        if key in self.dooms and len(self.dooms[key].walk) <= len(walk):
            return
        self.dooms[key] = DoomingStep(
            self.system.steps[exit_.step],
            by_luck,
            self.rooms.steps_of(walk),
            self.rooms.steps_of(self._onward(exit_.source)),
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
        return not self.rooms.is_over(target) and self.is_lost(self.rooms.room(target))

    def _spares(self, room: Room, exit_: Exit) -> bool:
        """Whether an outcome of a move made in a room ends the game, or leaves a win."""
        if self.rooms.is_over(exit_.target):
            return True
        there = self.rooms.room(exit_.target)
        self.came.setdefault(there.name, (room.name, exit_))
        return self.is_live(there, PROOF)

    # plays that leave out what they should not

    def _rush(self, step: int) -> None:
        """A play that makes a step as soon as it can; where it is lost, by which exit."""
        if (self.places[step], False) in self.dooms:
            return
        # as straight as a plan leads: what is done on the way there is not to blame
        path = self.seeker.to_step(self.start, step, PROOF)
        line: list[tuple[Room, Exit | None]] = [(self.start, None)]
        for exit_ in path or ():
            if self.rooms.is_over(exit_.target):
                break
            there = self.rooms.room(exit_.target)
            # the first way to a room stays, so that ways never go in circles
            self.came.setdefault(there.name, (line[-1][0].name, exit_))
            line.append((there, exit_))
        # only the end is asked about: if it is lost, halving tells where that happened
        if self.is_lost(line[-1][0]):
            self._halve(line)
        else:
            self.is_live(line[-1][0], PROOF)

    def _wander(self) -> None:
        """A play from a live room, by exits that waste; where it is lost, by which exit."""
        # even where there is nowhere to go, looking costs something, or it would never end
        self.seeker.budget.spend(WANDER)
        names = list(self.live)
        # what matters late is often wasted early: some plays begin at the start
        early = self.random.random() < 0.3
        name = self.start.name if early else self.random.choice(names)
        line: list[tuple[Room, Exit | None]] = [(self.rooms.room(name), None)]
        for _ in range(self.random.choice(LENGTHS)):
            room = line[-1][0]
            exit_ = self._chosen(room, {r.name for r, _ in line})
            if exit_ is None:
                break
            there = self.rooms.room(exit_.target)
            line.append((there, exit_))
            self.came.setdefault(there.name, (room.name, exit_))
            if self.is_lost(there):
                self._halve(line)
                return
        # where nothing is known of its end, at least some of it may be new ground
        self.is_live(line[-1][0], PROOF)

    def _chosen(self, room: Room, seen: set[int]) -> Exit | None:
        exits = [e for e in room.exits if not self.rooms.is_over(e.target)]
        while exits:
            weights = [self.weights[e.step] for e in exits]
            (exit_,) = self.random.choices(exits, weights)
            if self.rooms.room(exit_.target).name not in seen:
                return exit_
            # rooms that this play has seen would only lead it in circles
            exits.remove(exit_)
        return None

    def _halve(self, line: Sequence[tuple[Room, Exit | None]]) -> None:
        """Find the exit of a line by which it is lost: live before, lost after."""
        # the start of every line is live, and its end is lost
        # between the last room known to be live and the first known to be lost lies an exit that
        # dooms
        low = max(n for n, (room, _) in enumerate(line) if room.name in self.live)
        high = min(n for n, (room, _) in enumerate(line) if n > low and room.name in self.lost)
        while high - low > 1:
            middle = (low + high) // 2
            room = line[middle][0]
            if self.is_lost(room):
                high = middle
            elif self.is_live(room, PROOF):
                low = middle
            # no win was found in a hurry: the room right before the lost one is worth a longer look
            elif self.is_live(line[high - 1][0], LONG_PROOF):
                low = high - 1
            else:
                return  # in between nothing is known
        exit_ = line[high][1]
        assert exit_ is not None, "only the first room of a line was not come to"
        self.note(line[low][0], exit_)


def spread(things: Sequence[T], most: int) -> Sequence[T]:
    """Up to so many of some things, at even distances."""
    return things[:: max(1, -(-len(things) // most))]


def every_doom(hunt: Hunt) -> Iterator[DoomingStep]:
    """What was found, in the order of the moves of the world."""
    for key in sorted(hunt.dooms):
        yield hunt.dooms[key]
