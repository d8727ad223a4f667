"""Plays that leave what wins, to find by which moves: every exit, plays aimed at a move, waste.

What takes something away for good is tried wherever a win is known to be left. Plays go to each
move as straight as they can, and once more from where another one was seen to doom, since little is
left there; others waste what they hold as long as the win that they leave still
wins, or wander off further, and where one of these is lost, the last situation from which a win is
found and the move after it are looked for by halving. Which of all this finds something differs
from world to world: what has found most for its work has the next turn.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from random import Random

from msgspec import Struct

from zubrel.certain.aims import WASTES, aims_of, waste_of
from zubrel.certain.hunt import LONG_PROOF, PROOF, Hunt
from zubrel.certain.rooms import Exit, Room
from zubrel.certain.skirting import Line, Skirting
from zubrel.certain.wins import path_of

WANDER = 2_000
"""Units of work of a wandering play, beside what it looks at."""
IDLE = 60
"""Turns in a row that show nothing new, after which nobody looks on."""
LENGTHS = (3, 6, 12, 25, 50)
"""Exits that a wandering play takes before it is given up."""
FROM_THE_START, FROM_A_SEARCH = 0.2, 0.6
"""Shares of the wandering plays that begin at the start, and on ways that searches for a win have
found; the rest begin at any live room, most of which lie where such plays have been. (With 0.3, and
the rest at any live room, depths L 1 showed 10 moves that doom after 32 million units, not 20.)"""
AGAIN = 0.5
"""How likely a play does once more what it has just done, where that leads on. Chosen."""
AT_FIRST = 100_000
"""Units of work that each way of looking is taken to have had at first, for one find."""
PROMISING = 66_000
"""The same of the one that finds most in most worlds (with the same as the others, 25 to 27
moves that doom are known of thirteen worlds after the first look, and not 31 or 32; of small random
worlds a few more)."""
SHORTER = 2
"""How many times as long a play has to be by which a move is known to doom, to look for another."""
LONG = 60
"""Moves of such a play beyond which another one is looked for in passing."""


class Method(Struct):
    """A way of looking: its turn, which tells whether there was anything to do, what all of its
    turns have found, and their work. Some of them let plays wander."""

    turn: Callable[[], bool]
    wanders: bool = False
    finds: int = 1
    work: float = AT_FIRST


class Leaving:
    """Looks for moves that doom, and notes them in a hunt that knows a win."""

    def __init__(self, hunt: Hunt) -> None:
        self.hunt = hunt
        self.rooms, self.seeker, self.live = hunt.rooms, hunt.seeker, hunt.live
        # one seed for all worlds: what is certain of a world must not change from run to run
        self.random = Random(0)
        system = hunt.system
        self.weights = [
            WASTES if step.number in self.seeker.late else waste_of(system, step)
            for step in system.steps
        ]
        self.every_aim = aims_of(system, self.weights)
        """Steps that plays are aimed at."""
        self.aims = list(self.every_aim)
        """Those that no play from the start was aimed at yet."""
        self._on_edges: list[tuple[Room, int]] = []
        """Where moves doom, with steps that no play was aimed at from there, the last first."""
        self._edges = 0
        """How many of the rooms in which a move was seen to doom are, or were, among them."""
        self.bearing: frozenset[int] | None = None
        """The numbers of the steps that may doom, where others are known not to."""
        self.methods = [
            Method(lambda: self._leave_next(self._by_what_is_late, self.seeker.late)),
            Method(lambda: self._leave_next(self._by_all, None)),
            Method(self._rush_next),
            Method(self._rush_on_next),
            Method(self._waste, wanders=True),
            Method(self._wander, wanders=True),
            Method(self._skirt, wanders=True, work=PROMISING),
        ]
        self.skirting = Skirting(hunt, self.random)
        self._by_what_is_late: list[int] = []
        """Live rooms of which exits that take something away for good were not all tried."""
        self._by_all: list[int] = []
        """The same of all exits."""
        self._listed = 0

    def only_by(self, bearing: frozenset[int]) -> None:
        """From now on look only for dooms by some steps."""
        self.bearing = bearing
        self.every_aim = [s for s in self.every_aim if s in bearing]
        self.aims = [s for s in self.aims if s in bearing]
        self._on_edges = [(room, s) for room, s in self._on_edges if s in bearing]

    def run(self) -> None:
        """Look for dooms until nothing new comes up any more. Raises what `spend` does."""
        idle = 0
        while idle < IDLE:
            known = self._known()
            new = self.live.names[self._listed :]
            self._listed += len(new)
            self._by_what_is_late += new
            self._by_all += new
            # the first of equal ones: what takes something away for good comes before all else
            for method in sorted(self.methods, key=lambda m: -m.finds / m.work):
                found, began = len(self.hunt.dooms), self.seeker.budget.work
                did = method.turn()
                method.finds += len(self.hunt.dooms) - found
                method.work += self.seeker.budget.work - began
                if did:
                    break
            idle = idle + 1 if method.wanders and self._known() == known else 0

    def _known(self) -> int:
        return len(self.live.names) + len(self.hunt.lost) + len(self.hunt.dooms)

    def _leave_next(self, waiting: list[int], by: frozenset[int] | None) -> bool:
        """Leave one of the rooms that wait for it, wherever in the world it is."""
        if not waiting:
            return False
        number = self.random.randrange(len(waiting))
        waiting[number], waiting[-1] = waiting[-1], waiting[number]
        self._leave(self.rooms.room(waiting.pop()), by)
        return True

    def _leave(self, room: Room, by: frozenset[int] | None) -> None:
        """Try the exits of a live room `by` some steps, or (None) all of them."""
        exits = [e for e in room.exits if by is None or e.step in by]
        # what never dooms need not be tried: most of what there is in many worlds. A game that is
        # over is not doomed
        exits = [e for e in exits if self._may_doom(e.step) and not self.rooms.is_over(e.target)]
        if not exits:
            return
        for exit_ in self._doubtful(room, exits):
            if self.hunt.is_lost(self.rooms.room(exit_.target)):
                self.hunt.note(room, exit_)

    def _doubtful(self, room: Room, exits: Sequence[Exit]) -> Iterator[Exit]:
        """The exits of a live room behind which it has to be asked whether a win is left."""
        if self.seeker.is_proved:
            yield from exits  # each is told at once
            return
        # what a win from here could be like, as the relaxation sees it
        plan = self.seeker.plan(room)
        assert plan is not None, "from a live room a win is possible"
        for exit_ in exits:
            domains = self.seeker.relaxation.domains(self.rooms.values(exit_.target))
            # most exits leave the old plan possible, which is tried for a fraction of a fixpoint
            if not self.seeker.relaxation.plan_holds(domains, plan[1]):
                yield exit_

    def _rush_next(self) -> bool:
        if not self.aims:
            return False
        # a move that dooms is often one that no wandering play would make; and where it is known to
        # doom, what leads straight to it is better evidence
        self._rush(self.hunt.start, self.aims.pop(0))
        return True

    def _rush_on_next(self) -> bool:
        # where one move takes the last win away, others may as well: hours and stocks are as good
        # as spent there, by whatever the next one is
        for room in self.hunt.edges[self._edges :]:
            self._on_edges += [(room, step) for step in reversed(self.every_aim)]
        self._edges = len(self.hunt.edges)
        while self._on_edges:
            room, step = self._on_edges.pop()
            if not self.hunt.is_known(step):
                self._rush(room, step)
                return True
        return False

    def _rush(self, room: Room, step: int) -> None:
        """A play from a live room that makes a step as soon as it can; where it is lost, by which
        exit."""
        # as straight as a plan leads: what is done on the way there is not to blame
        path = self.seeker.to_step(room, step, PROOF)
        line: Line = [(room, None)]
        for exit_ in path or ():
            if self.rooms.is_over(exit_.target):
                break
            line.append((self.hunt.behind(line[-1][0], exit_), exit_))
        # only the end is asked about: if it is lost, halving tells where that happened
        if self.hunt.is_lost(line[-1][0]):
            self._halve(line)
        else:
            self.hunt.is_live(line[-1][0], PROOF, like=room)

    # plays that leave out what they should not

    def _beginning(self) -> Room:
        """A live room from which a wandering play begins."""
        # even where there is nowhere to go, looking costs something, or it would never end
        self.seeker.budget.spend(WANDER)
        part = self.random.random()
        # what matters late is often wasted early
        if part < FROM_THE_START:
            return self.hunt.start
        from_search = part < FROM_THE_START + FROM_A_SEARCH
        return self.rooms.room(
            self.random.choice(self.live.found if from_search else self.live.names)
        )

    def _waste(self) -> bool:
        """A play by exits that waste, as long as what has won before wins; all that end that."""
        room = self._beginning()
        seen = {room.name}
        exit_: Exit | None = None
        for _ in range(self.random.choice(LENGTHS)):
            exit_ = self._chosen(room, seen, exit_)
            if exit_ is None:
                break
            there = self.hunt.behind(room, exit_)
            seen.add(there.name)
            if self.hunt.wins_like(there, room):
                room = there
            elif self._is_worth_it(room, exit_) and self.hunt.is_lost_for_sure(there):
                self.hunt.note(room, exit_)
        return True

    def _is_worth_it(self, room: Room, exit_: Exit) -> bool:
        """Whether a move is not known to doom, or only by a play that is twice as long."""
        known = self.hunt.dooms.get((self.hunt.places[exit_.step], False))
        return known is None or SHORTER * len(path_of(self.hunt.came, room.name)) < len(known.walk)

    def _wander(self) -> bool:
        """A play by exits that waste, wherever it comes to; where it is lost, by which exit."""
        line: Line = [(self._beginning(), None)]
        for _ in range(self.random.choice(LENGTHS)):
            room = line[-1][0]
            exit_ = self._chosen(room, {r.name for r, _ in line}, line[-1][1])
            if exit_ is None:
                break
            there = self.hunt.behind(room, exit_)
            line.append((there, exit_))
            if self.hunt.is_lost(there):
                self._halve(line)
                return True
        # where nothing is known of its end, at least some of it may be new ground
        end = line[-1][0]
        if not self.hunt.is_live(end, PROOF, line[0][0]) and self.hunt.is_lost_for_sure(end):
            self._halve(line)
        return True

    def _skirt(self) -> bool:
        """A play that keeps out of what is known to be lost; where it is lost, by which exit."""
        line = self.skirting.play(self._beginning(), self._is_worth_a_look)
        if self.hunt.is_lost(line[-1][0]):
            self._halve(line)
        return True

    def _is_worth_a_look(self, room: Room, exit_: Exit) -> bool:
        """Whether that an exit dooms would be new, or told by a much shorter play."""
        if self._may_doom(exit_.step):
            return True
        known = self.hunt.dooms.get((self.hunt.places[exit_.step], False))
        return known is not None and len(known.walk) > LONG and self._is_worth_it(room, exit_)

    def _may_doom(self, step: int) -> bool:
        """Whether a step may doom, and is not known to do so."""
        among = self.bearing is None or step in self.bearing
        return among and not self.hunt.is_known(step)

    def _chosen(self, room: Room, seen: set[int], last: Exit | None) -> Exit | None:
        exits = [e for e in room.exits if not self.rooms.is_over(e.target)]
        # a stock is used up, and a day gone by, by doing the same over and over
        if last is not None and self.random.random() < AGAIN:
            for exit_ in exits:
                new = self.rooms.room(exit_.target).name not in seen
                if exit_.step == last.step and new:
                    return exit_
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
        low = max(n for n, (room, _) in enumerate(line) if room.name in self.live.known)
        high = min(n for n, (r, _) in enumerate(line) if n > low and r.name in self.hunt.lost)
        while high - low > 1:
            middle = (low + high) // 2
            room, like = line[middle][0], line[low][0]
            if self.hunt.is_lost(room):
                high = middle
            elif self.hunt.is_live(room, PROOF, like):
                low = middle
            elif self.hunt.is_lost_for_sure(room):
                high = middle
            # no win was found in a hurry: the room right before the lost one is worth a longer look
            elif self.hunt.is_live(line[high - 1][0], LONG_PROOF, like):
                low = high - 1
            else:
                return  # in between nothing is known
        exit_ = line[high][1]
        assert exit_ is not None, "only the first room of a line was not come to"
        self.hunt.note(line[low][0], exit_)
