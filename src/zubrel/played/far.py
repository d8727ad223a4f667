"""What is certain about the situation in which a player is, in a world that nobody can list."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from zubrel.base.budget import SECOND, Budget, LimitReached, WorkSpent
from zubrel.certain.hunt import Hunt
from zubrel.certain.rooms import Room
from zubrel.certain.wins import Seeker
from zubrel.checked.world import Rule
from zubrel.compiled.parts import ENDING, wins_of
from zubrel.compiled.system import System
from zubrel.explored.explore import explore_after
from zubrel.explored.packed.shortening import shorter
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.findings.detectors.missable import Missable
from zubrel.findings.judged import AnySpace, possible_formula, won_formula
from zubrel.narrated.narrate import UNTOLD
from zubrel.narrated.reasons.explained import explained
from zubrel.played.advice import Hint
from zubrel.reasoned.reasons import Made, Reasons, at_a_glance, reasons_after
from zubrel.walked.changing import Situation
from zubrel.walked.walker import Walker

FIRST, HERE, BEHIND = 8 * SECOND, 2 * SECOND, 0.1 * SECOND
"""Work on a first win; on whether one is left where the player is; and on the same behind each move
that can be made there. Chosen: a look around takes a second or two."""
AFTER = 4 * SECOND
"""Work on all that comes after a situation, where nothing else tells, and for a reason."""
ROOMS = 12
"""Rooms that are looked at for a win behind a move."""


class FarAdvice:
    """Answers from plays that win, and from what is certain without them.

    `start` is where the play begins, after what is dealt. What is neither won by a play that is
    found with little work nor lost for sure is not known.
    """

    def __init__(self, system: System, walker: Walker, start: Situation, budget: Budget) -> None:
        self.system = system
        self.walker = walker
        self.budget = budget
        self.hunt = Hunt(Seeker(system.begun_with(system.values(start)), budget))
        self.rooms = self.hunt.rooms
        self._open: dict[int, float] = {}
        """By room: the work that was in vain to find out whether a win is left."""
        if not self.hunt.is_lost(self.hunt.start):
            with suppress(WorkSpent), budget.within(FIRST):
                self.hunt.first_win()

    def live(self, situation: Situation) -> bool | None:
        """Whether the game can still be won from here; None: that is not known."""
        return self._live(self._word(situation), HERE, None)

    def dooms(self, rule: Rule, situation: Situation) -> bool:
        """Whether no win is left after some outcome of a rule, for sure."""
        here = self._word(situation)
        if self._live(here, HERE, None) is False:
            return False
        # what wins here wins in most places beside it
        near = self.rooms.room(here)
        known = near if self._known(near) else None
        targets = (self._word(r.situation) for r in self.walker.results(rule, situation))
        return any(
            not self.rooms.is_over(target) and self._live(target, BEHIND, known) is False
            for target in targets
        )

    def next_move(self, situation: Situation) -> Hint | None:
        """The first move of some win from here, luck willing; None where none is known."""
        word = self._word(situation)
        if self.rooms.is_over(word) or not self.live(situation):
            return None
        system = self.system.begun_with(self.system.values(situation))
        steps = self.rooms.steps_of(self.hunt.live.steps(word))
        walking, good = Walking(system), wins_of(system.world)
        ended = walking.packing.fields[ENDING]
        play = shorter(
            Trace(steps, shortest=False),
            lambda word: (word & ended.mask) >> ended.shift in good,
            walking,
        )
        return Hint(system.move_of[play.steps[0].number].rule, len(play.steps), shortest=False)

    def why_never(self, made: Sequence[Made], rule: Rule | None = None) -> tuple[str, ...]:
        """Why a rule (None: a win) can never be after some moves, in lines; none where it can, or
        where that is not known."""
        here = made[-1][2] if made else self.walker.start()
        if rule is None and self.live(here) is not False:
            return ()
        reasons = at_a_glance(self.system, made)
        trees = reasons.of_no_win() if rule is None else reasons.of(rule.id)
        if not trees or not all(tree.is_complete for tree in trees):
            searched = self._searched(made, rule)
            if searched is None:
                return (UNTOLD,) if rule is None else ()
            reasons = searched
            trees = reasons.of_no_win() if rule is None else reasons.of(rule.id)
        return explained(reasons, trees).lines()

    def lost(self, before: Situation, after: Situation) -> list[Missable]:
        """What was missed by a move: that is not looked for here."""
        return []

    def _search(self, room: Room) -> None:
        """Find out by every situation that comes after those of a room, if they are few."""
        space = self._after(self.rooms.values(room.name))
        if space is None:
            return
        win = space.walks().shortest(space.where(won_formula(self.system)))
        if win is None:
            self.hunt.lost.add(room.name)
            return
        path = self.hunt.exits_of([step.number for step in win.steps], room.name)
        self.hunt.remember(path, room)

    def _searched(self, made: Sequence[Made], rule: Rule | None) -> Reasons | None:
        """Reasons by every situation that comes after some moves; None where there are too many, or
        the rule is possible in one of them."""
        here = made[-1][2] if made else self.walker.start()
        space = self._after(self.system.values(here))
        if space is None:
            return None
        if rule is not None:
            move = next(m for m in self.system.moves if m.rule.id == rule.id)
            if space.allows(space.everything, possible_formula(self.system, move)):
                return None
        return reasons_after(self.system, space, made)

    def _after(self, values: Sequence[int]) -> AnySpace | None:
        try:
            with self.budget.within(AFTER):
                return explore_after(self.system, values, self.budget)
        except LimitReached:
            return None

    def _word(self, situation: Situation) -> int:
        return self.rooms.packing.pack(self.system.values(situation))[0]

    def _live(self, word: int, work: float, near: Room | None) -> bool | None:
        if self.rooms.is_over(word):
            return self.rooms.is_won(word)
        room = self.rooms.room(word)
        if self._known(room) is None and self._open.get(room.name, 0.0) < work:
            self._open[room.name] = work
            self._find_out(room, work, near)
            if near is None and self._known(room) is None:
                self._search(room)
        return self._known(room)

    def _known(self, room: Room) -> bool | None:
        if room.name in self.hunt.live.known:
            return True
        return False if room.name in self.hunt.lost else None

    def _find_out(self, room: Room, work: float, near: Room | None) -> None:
        """Try to find a win from a room, or that none is left."""
        with suppress(WorkSpent), self.budget.within(work):
            if near is not None and self.hunt.wins_like(room, near):
                return
            if not self.hunt.is_lost_for_sure(room):
                self.hunt.is_live(room, None if near is None else ROOMS)
