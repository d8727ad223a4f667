"""Which quests become impossible when something is done before they count it?"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.world import Goal, Quest
from zubrel.compiled.formulas import both, opposite
from zubrel.compiled.parts import Step
from zubrel.compiled.translate import Translator
from zubrel.explored.space import Trace
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


def too_early(judged: Judged) -> Iterator[Finding]:
    """`too_early`: a move that a goal would count, made before it does, ends all hope of the quest.

    Of each quest the move that can come soonest is shown.
    """
    if not judged.complete:
        return
    system = judged.system
    translator = system.translator
    quests = [
        (q, judged.space.where(translator.equals(keys.quest(q.id), DONE)))
        for q in system.world.quests.values()
        if any(g.remembered for g in q.goals) and judged.asks(q.id)
    ]
    able = judged.space.reaching([done for _, done in quests])
    for (quest, _), can in zip(quests, able, strict=True):
        judged.asks(quest.id)  # once more: what follows is asked for its sake again
        spoilt = judged.space.everything - can - judged.ended  # after the end nothing is too early
        if can and spoilt:
            yield from _Quest(judged, translator, quest, can, spoilt).finding()


class _Quest:
    """One quest, the situations from which it can still be done, and the others."""

    def __init__(
        self, judged: Judged, translator: Translator, quest: Quest, can: Any, spoilt: Any
    ) -> None:
        self.judged = judged
        self.space = judged.space
        self.translator = translator
        self.quest = quest
        self.can = can
        self.spoilt = spoilt

    def finding(self) -> Iterator[Finding]:
        shown = [
            (trace, step, goal)
            for goal in self.quest.goals
            if goal.remembered
            for step, sources in self._events(goal)
            if (trace := self.space.walks().shortest(sources)) is not None
        ]
        if not shown:
            return
        trace, step, goal = min(shown, key=lambda found: len(found[0].steps))
        yield self._told(trace.then(step), step, goal)

    def _told(self, trace: Trace, step: Step, goal: Goal) -> Finding:
        world = self.judged.system.world
        described = world.described(step.rule)
        message = (
            f"{described} before the goal “{world.goal_name(goal)}” counts it makes the quest "
            f"{self.quest.name} impossible"
        )
        return Finding("too_early", "warning", self.quest.id, message, goal.span, trace)

    def _events(self, goal: Goal) -> Iterator[tuple[Step, Any]]:
        """Steps with what a goal would count, and the situations where they come too early."""
        early = self._not_counting(goal) & self.can
        if not early:
            return
        there = self.space.where(self.translator.at(goal.subject)) if goal.kind == "visit" else None
        for step in (s for m in self.space.acting for s in m.steps):
            if there is not None:
                sources = self.space.before(step, there & self.spoilt) - there
            else:
                whens = [
                    e.when for e in step.events if (e.quest, e.goal) == (self.quest.id, goal.number)
                ]
                if not whens:
                    continue
                sources = self.space.before(step, self.spoilt) & self.space.where(whens[0])
                for when in whens[1:]:
                    sources |= self.space.before(step, self.spoilt) & self.space.where(when)
            if sources & early:
                yield step, sources & early

    def _not_counting(self, goal: Goal) -> Any:
        """The quest has not ended, the goal is not met, and yet it would not count now."""
        formula = both(
            (
                self.translator.unended(self.quest.id),
                opposite(self.translator.met(self.quest, goal.number)),
                opposite(self.translator.counts(self.quest, goal)),
            )
        )
        return self.space.where(formula)
