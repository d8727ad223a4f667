"""What the proof knows about the situation in which a player is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from msgspec import Struct

from zubrel.checked.world import Rule
from zubrel.findings.detectors.missable import Missable, missables
from zubrel.findings.judged import Judged, possible_formula, won_formula
from zubrel.narrated.reasons.explained import explained
from zubrel.reasoned.reasons import Behind, Made, Reasons
from zubrel.walked.changing import Situation
from zubrel.walked.walker import Walker


class Hint(Struct, frozen=True):
    """The first move of a win, luck willing, and how many moves that has, this one included:
    at least, or, not `shortest`, at most."""

    rule: Rule
    moves: int
    shortest: bool = True


class Hints(Protocol):
    """What is told of one situation after the other to somebody who plays."""

    def live(self, situation: Situation) -> bool | None:
        """Whether the game can still be won from here; None: that is not known."""

    def dooms(self, rule: Rule, situation: Situation) -> bool:
        """Whether no win is left after some outcome of a rule, of those that there still are."""

    def next_move(self, situation: Situation) -> Hint | None:
        """The first move of a win from here; None where none is known."""

    def why_never(self, made: Sequence[Made], rule: Rule | None = None) -> tuple[str, ...]:
        """Why a rule (None: a win) can never be after some moves, in lines."""

    def lost(self, before: Situation, after: Situation) -> list[Missable]:
        """What could still be had before a move, and can never be had after it."""


class Advice:
    """Answers from a finished search, for one situation after the other."""

    def __init__(self, judged: Judged[Any], walker: Walker) -> None:
        self.judged = judged
        self.walker = walker
        self.distance = judged.space.distances_to(judged.won)
        self.subjects = list(missables(judged.system))
        self.attained = [judged.space.where(s.attained) for s in self.subjects]
        self.able = judged.space.reaching(self.attained)

    def _of(self, situation: Situation) -> Any:
        return self.judged.space.of(situation)

    def live(self, situation: Situation) -> bool:
        """Whether the game can still be won from here."""
        return bool(self._of(situation) & self.judged.live)

    def doomed(self, situation: Situation) -> bool:
        """Whether the game goes on, but can no longer be won."""
        return bool(self._of(situation) & self.judged.doomed)

    def dooms(self, rule: Rule, situation: Situation) -> bool:
        """Whether some outcome of a rule takes every win away that there still is."""
        if not self.live(situation):
            return False
        return any(self.doomed(r.situation) for r in self.walker.results(rule, situation))

    def next_move(self, situation: Situation) -> Hint | None:
        """The first move of a shortest win from here; None where there is none."""
        best: tuple[int, Rule] | None = None
        for rule in self.walker.moves(situation):
            for result in self.walker.results(rule, situation):
                distance = self.distance(self._of(result.situation))
                if distance is not None and (best is None or distance < best[0]):
                    best = distance, rule
        return None if best is None else Hint(best[1], best[0] + 1)

    def why_never(self, made: Sequence[Made], rule: Rule | None = None) -> tuple[str, ...]:
        """Why a rule (None: a win) can never be after some moves, in lines; none where it can."""
        judged = self.judged
        space, system = judged.space, judged.system
        # after the moves of the player, and not from the start of the game
        here = made[-1][2] if made else self.walker.start()
        (future,) = space.reached_from([self._of(here)])
        # without a rule it is the win that is asked for
        wanted = won_formula(system)
        if rule is not None:
            move = next(m for m in system.moves if m.rule.id == rule.id)
            wanted = possible_formula(system, move)
        if space.allows(future, wanted):
            return ()
        behind = Behind(space, future)
        reasons = Reasons(system, behind, made, behind.possible)
        trees = reasons.of_no_win() if rule is None else reasons.of(rule.id)
        return explained(reasons, trees).lines()

    def lost(self, before: Situation, after: Situation) -> list[Missable]:
        """What could still be had before a move, and can never be had after it."""
        old, new = self._of(before), self._of(after)
        triples = zip(self.subjects, self.attained, self.able, strict=True)
        return [
            subject
            for subject, had_where, able in triples
            if old & able and not new & able and not old & had_where
        ]
