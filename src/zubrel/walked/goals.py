"""Goals of quests: whether they are met, what a move counts for, what is looked at after it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE, DONE, FAILED, WAITING, Cond
from zubrel.checked.keys import PLACE, Key, Value
from zubrel.checked.things import Goal, GoalGroup, Quest
from zubrel.checked.world import Rule, World

Situation = Mapping[Key, Value]


class Goals:
    """The goals of a world; `holds` tells whether a condition holds in a situation."""

    def __init__(self, world: World, holds: Callable[[Cond, Situation], bool]) -> None:
        self.world = world
        self.holds = holds

    def met(self, goal: Goal, quest: str, at: Situation) -> bool:
        """Whether a goal of an unended quest is met."""
        if goal.remembered:
            return _number(at, keys.goal(quest, goal.number)) >= _whole(goal)
        return self.holds(goal.condition, at)

    def _counts(self, quest: Quest, goal: Goal, at: Situation) -> bool:
        """Whether a goal that remembers its progress would make some now."""
        state = at[keys.quest(quest.id)]
        if self.met(goal, quest.id, at) or not self.holds(goal.needs, at):
            return False
        if goal.early:
            return state in (WAITING, ACTIVE)
        return state == ACTIVE and self.all_met(quest, quest.earlier(goal), at)

    def all_met(self, quest: Quest, groups: Iterable[GoalGroup], at: Situation) -> bool:
        """Whether of each of some groups of goals of an unended quest enough are met."""
        return all(
            sum(self.met(quest.goals[n - 1], quest.id, at) for n in group.numbers) >= group.count
            for group in groups
        )

    def come_far(self, quest: Quest, number: int, least: int | None, at: Situation) -> bool:
        """Whether a goal of an unended quest is met, or has made so much progress."""
        goal = quest.goals[number - 1]
        if self.met(goal, quest.id, at):
            return True
        if least is None:
            return False
        if goal.kind == "collect":
            return _number(at, keys.held(goal.subject)) >= least
        return _number(at, keys.goal(quest.id, number)) >= least

    def count(
        self,
        before: Situation,
        values: dict[Key, Value],
        gained: Mapping[str, int],
        beaten: Mapping[str, int],
        rule: Rule | None,
    ) -> None:
        """What a move or a happening counts for, among the goals that counted before it."""
        for quest in self.world.quests.values():
            for goal in quest.goals:
                amount = _amount_for(goal, gained, beaten, rule)
                if amount and goal.remembered and self._counts(quest, goal, before):
                    key = keys.goal(quest.id, goal.number)
                    values[key] = min(_whole(goal), _number(values, key) + amount)
        self._drop_progress(values)

    def _drop_progress(self, values: dict[Key, Value]) -> None:
        # nobody asks for it any more: situations that differ in nothing else shall be one
        for quest in self.world.quests.values():
            if values[keys.quest(quest.id)] in (DONE, FAILED):
                for goal in quest.goals:
                    if goal.remembered:
                        values[keys.goal(quest.id, goal.number)] = 0

    def count_what_is_seen(self, values: dict[Key, Value]) -> None:
        """Goals that are looked at after a move: visits, and what is met in turn."""
        # in turn, a goal that is met lets the next one count, which may be met already
        looking = True
        while looking:
            looking = False
            for quest in self.world.quests.values():
                for goal in quest.goals:
                    if self._is_seen(goal, values) and self._counts(quest, goal, values):
                        values[keys.goal(quest.id, goal.number)] = 1
                        looking = True

    def _is_seen(self, goal: Goal, values: Situation) -> bool:
        if goal.kind == "visit":
            return values[PLACE] == goal.subject
        return (
            goal.remembered
            and goal.kind in ("collect", "meet")
            and self.holds(goal.condition, values)
        )


def _whole(goal: Goal) -> int:
    """The progress at which a goal that remembers it is met."""
    return goal.count if goal.kind in ("gain", "defeat") else 1


def _amount_for(
    goal: Goal, gained: Mapping[str, int], beaten: Mapping[str, int], rule: Rule | None
) -> int:
    """How much a move counts for a goal, if the goal counts."""
    match goal.kind:
        case "gain":
            return gained.get(goal.subject, 0)
        case "defeat":
            return beaten.get(goal.subject, 0)
        case "talk":
            return int(rule is not None and rule.kind == "talk" and rule.owner == goal.subject)
        case "do":
            return int(rule is not None and goal.subject in (rule.id, rule.common))
    return 0


def _number(values: Situation, key: Key) -> int:
    value = values[key]
    assert isinstance(value, int)
    return value
