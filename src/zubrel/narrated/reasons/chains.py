"""Why can the game not be won from here? What a win still needs, followed back to its end.

From the situations that are still possible (`future`), the question is asked again and again:
what does this need that is true in none of them, and what would have given it? The answer ends
at something spent, shut, gone or left behind.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any as Anything

from msgspec import Struct, field

from zubrel.checked.conditions import (
    ACTIVE,
    DONE,
    FAILED,
    All,
    Any,
    At,
    Beaten,
    Cond,
    CountOf,
    FactIs,
    GoalMet,
    Holds,
    LockOpen,
    Marked,
    QuestIs,
    all_of,
)
from zubrel.checked.effects import EndGame
from zubrel.checked.keys import PLACE
from zubrel.checked.world import Ending, Goal, Rule, World
from zubrel.compiled.formulas import Formula
from zubrel.explored.space import NotAsked
from zubrel.findings.judged import AnySpace
from zubrel.narrated.reasons.makers import makes
from zubrel.narrated.replay import Walked
from zubrel.narrated.together import Together
from zubrel.narrated.words import listed, phrase

DEEPEST = 8
WIDEST = 3


class Reasons(Struct):
    """Explains one future. `walk` is the evidence that leads into it.

    `unasked` are formulas that the space cannot answer; with any of them the lines are worth
    nothing.
    """

    space: AnySpace
    future: Anything
    walk: Sequence[Walked] = ()
    told: set[Cond] = field(default_factory=set)
    lines: set[str] = field(default_factory=set)
    unasked: dict[Formula, None] = field(default_factory=dict)

    @property
    def world(self) -> World:
        return self.space.system.world

    def of_no_win(self) -> list[str]:
        """Lines, each deeper one indented by two spaces."""
        lines: list[str] = []
        good = [e for e in self.world.endings.values() if e.good]
        if not good:
            return ["The world has no good ending."]
        for ending in good[:WIDEST]:
            lines += self._of_ending(ending)
        return lines

    def of(self, subject: str) -> list[str]:
        """Why nothing ever holds, opens, enters, reaches or does this."""
        world = self.world
        if subject in world.items:
            return self._why(Holds(subject, ">=", 1), 0)
        if subject in world.locks:
            return self._why(LockOpen(subject), 0)
        if subject in world.areas:
            return self._why(At(subject), 0)
        if subject in world.endings:
            return self._of_ending(world.endings[subject])
        if subject in world.quests:
            return self._why(QuestIs(subject, DONE), 0)
        rule = next((r for r in world.rules if r.id == subject), None)
        return self._lack("It", self._demand(rule), 0) if rule else []

    def _of_ending(self, ending: Ending) -> list[str]:
        if ending.when is not None:
            return self._lack(f"The ending {ending.name}", ending.when, 0)
        rules = [r for r in self.world.rules if any(o.ending == ending.id for o in r.outcomes)]
        by_itself = [h for h in self.world.happenings if h.outcome.ending == ending.id]
        quests = [
            q
            for q in self.world.quests.values()
            if any(isinstance(e, EndGame) and e.ending == ending.id for e in q.reward)
        ]
        lines: list[str] = []
        if not (rules or by_itself or quests):
            return [f"Nothing leads to the ending {ending.name}."]
        for happening in by_itself[:WIDEST]:
            title = f"The ending {ending.name} comes by itself with {happening.id}, which"
            lines += self._lack(title, happening.when, 0)
        for quest in quests[:WIDEST]:
            title = f"The ending {ending.name}, a reward,"
            lines += self._lack(title, QuestIs(quest.id, DONE), 0)
        for rule in rules[:WIDEST]:
            title = f"The ending {ending.name} comes with “{rule.label}”, which"
            lines += self._lack(title, self._demand(rule), 0)
        return lines

    def _demand(self, rule: Rule) -> Cond:
        """All that a rule asks for, as one condition."""
        parts: list[Cond] = []
        if rule.areas is not None:
            parts.append(
                Any(tuple(At(a) for a in rule.areas)) if len(rule.areas) != 1 else At(rule.areas[0])
            )
        if rule.lock:
            parts.append(LockOpen(rule.lock))
        parts += [Holds(t.item, ">=", t.count) for t in rule.takes]
        for outcome in rule.outcomes:
            there = outcome.destination
            if there is not None:
                parts.append(self.world.areas[there].needs)
        return all_of(rule.needs, *parts, rule.offered)

    def _never(self, condition: Cond) -> bool:
        """Whether a condition holds in no situation that is still possible."""
        system = self.space.system
        formula = system.translator.formula(condition)
        try:
            return not self.space.allows(self.future, formula)
        except NotAsked:
            self.unasked[formula] = None
            return False

    def _lack(self, title: str, condition: Cond, depth: int) -> list[str]:
        """What `condition` asks for and can never be had any more, and why."""
        lacking = list(dict.fromkeys(self._lacking(condition)))
        # whoever cannot get to a place usually lacks the rest for that reason alone
        lacking = [a for a in lacking if isinstance(a, At)] or lacking
        if not lacking:
            if not self._never(condition):
                return []
            return [
                _line(
                    depth,
                    f"{title} needs things that can each still be had, but not "
                    f"together: {phrase(self.world, condition)}.",
                ),
                *self._short_of(condition, depth + 1),
            ]
        lines = []
        for atom in lacking[:WIDEST]:
            text = f"{title} needs {phrase(self.world, atom)}, {self._verdict_on(atom)}."
            if text not in self.lines:
                self.lines.add(text)
                lines += [_line(depth, text), *self._why(atom, depth + 1)]
        return lines

    def _short_of(self, condition: Cond, depth: int) -> list[str]:
        """What several moves still to be made want, and how much of it is left."""
        walker = self.space.system.walker
        here = self.walk[-1].after if self.walk else walker.start()
        try:
            still = self._still_possible()
        except NotAsked:  # the space looks at some of the moves only
            return []
        combined = Together(self.world, still, lambda atom: walker.holds(atom, here), self._demand)
        lines = []
        for short in combined.shortages(condition):
            names = listed([f"“{r.label}”" for r in short.takers])
            want = "wants" if len(short.takers) == 1 else "want"
            kept = f", {short.kept} more must be kept" if short.kept else ""
            text = f"{names} still {want} {self.world.name_of(short.item)}, {short.taken} in all"
            lines.append(_line(depth, f"{text}{kept}, and {short.left} can be had."))
        return lines

    def _still_possible(self) -> tuple[Rule, ...]:
        space = self.space
        return tuple(
            move.rule
            for move in space.system.moves
            if any(space.possible(step) & self.future for step in move.steps)
        )

    def _verdict_on(self, atom: Cond) -> str:
        if isinstance(atom, Holds) and atom.operator == ">=" and atom.number > 1:
            most = self._most_held(atom)
            if most:
                return f"but no more than {most} can be had together any more"
        again = " again" if any(self._held_before(atom)) else ""
        match atom:
            case At():
                return f"which can never be reached{again}"
            case Holds(_, ">=" | ">", _):
                return f"which can never be had{again}"
        return f"which can never be so{again}"

    def _held_before(self, atom: Cond) -> Iterator[bool]:
        walker = self.space.system.walker
        for walked in self.walk:
            yield walker.holds(atom, walked.before)

    def _most_held(self, atom: Holds) -> int:
        for number in range(atom.number - 1, 0, -1):
            if not self._never(Holds(atom.item, ">=", number)):
                return number
        return 0

    def _lacking(self, condition: Cond) -> Iterator[Cond]:
        """The smallest parts that are never true again although the whole needs them."""
        match condition:
            case All(parts):
                for part in parts:
                    yield from self._lacking(part)
            case Any(parts) | CountOf(_, parts):
                if self._never(condition):
                    for part in parts:
                        yield from self._lacking(part)
            case _:
                if self._never(condition):
                    yield condition

    def _why(self, atom: Cond, depth: int) -> list[str]:
        if atom in self.told or depth > DEEPEST:
            return []
        self.told.add(atom)
        if isinstance(atom, At):
            return self._why_not_there(atom, depth)
        if isinstance(atom, QuestIs | GoalMet):
            return self._why_not_that_quest(atom, depth)
        givers = [r for r in self.world.rules if self._could_make(r, atom)]
        givers += self._rewarding(atom)
        happenings = [h for h in self.world.happenings if makes(h.outcome.effects, atom)]
        if not givers and not happenings:
            gives = "gives it" if isinstance(atom, Holds) else "makes it so"
            lines = [_line(depth, f"Nothing in the world {gives}.")]
            return lines if not self.walk else self._spent(atom, depth) or lines
        lines = self._spent(atom, depth)
        finished = [r for r in givers if self._never(r.offered)]
        if finished and not isinstance(atom, Marked):
            names = listed([f"“{r.label}”" for r in finished[:WIDEST]])
            already = "was" if len(finished) == 1 else "were"
            lines.append(_line(depth, f"{names} {already} possible only once."))
        for rule in [r for r in givers if r not in finished][:WIDEST]:
            lines += self._lack(f"“{rule.label}”", self._demand(rule), depth)
        return lines

    def _rewarding(self, atom: Cond) -> list[Rule]:
        """The rules that hand in a quest whose reward could make an atom true."""
        quests = {q.id for q in self.world.quests.values() if makes(q.reward, atom)}
        return [r for r in self.world.rules if r.kind == "hand_in" and r.owner in quests]

    def _why_not_that_quest(self, atom: QuestIs | GoalMet, depth: int) -> list[str]:
        """Why a quest never gets into a state, or a goal is never met."""
        quest = self.world.quests[atom.quest]
        lines = []
        if self._never(QuestIs(quest.id, ACTIVE)) and not self._never(QuestIs(quest.id, FAILED)):
            lines.append(_line(depth, f"The quest {quest.name} has failed."))
        starters = [r for r in self.world.rules if self._could_make(r, QuestIs(quest.id, ACTIVE))]
        if self._never(QuestIs(quest.id, ACTIVE)):
            for rule in starters[:WIDEST]:
                lines += self._lack(f"“{rule.label}”", self._demand(rule), depth)
            return lines
        for goal in quest.goals:
            met = GoalMet(quest.id, goal.number)
            active = All((QuestIs(quest.id, ACTIVE), met))
            if self._never(active):
                lines.append(
                    _line(depth, f"Its goal “{self.world.goal_name(goal)}” can never be met.")
                )
                lines += self._why_not_that_goal(goal, depth + 1)
        return lines

    def _why_not_that_goal(self, goal: Goal, depth: int) -> list[str]:
        match goal.kind:
            case "collect" | "deliver":
                wanted: Cond = Holds(goal.subject, ">=", goal.count)
            case "gain":
                wanted = Holds(goal.subject, ">=", 1)
            case "visit":
                wanted = At(goal.subject)
            case "defeat":
                wanted = Beaten(goal.subject, goal.count)
            case "meet":
                wanted = goal.condition
            case _:
                return []
        return self._lack("It", wanted, depth)

    def _could_make(self, rule: Rule, atom: Cond) -> bool:
        return any(makes(o.effects, atom) for o in rule.outcomes)

    def _spent(self, atom: Cond, depth: int) -> list[str]:
        """The moves of the evidence in which what is lacking was used up or undone."""
        if not isinstance(atom, Holds | FactIs | LockOpen):
            return []
        walker = self.space.system.walker
        for number in range(len(self.walk), 0, -1):
            walked = self.walk[number - 1]
            if walker.holds(atom, walked.before) and not walker.holds(atom, walked.after):
                what = "used up" if isinstance(atom, Holds) else "undone"
                return [_line(depth, f"It was {what} by move {number}, “{walked.rule.label}”.")]
        return []

    def _why_not_there(self, atom: At, depth: int) -> list[str]:
        """Which gates stand between where the player can still be and an area?"""
        beyond = self._beyond(atom.area)
        entries = [r for r in self.world.rules if self._leads_into(r, beyond)]
        lines = []
        for rule in entries[:WIDEST]:
            lines += self._lack(self.world.described(rule), self._demand(rule), depth)
        if entries:
            return lines
        left = self._left_at(beyond)
        name = self.world.name_of(atom.area)
        if left:
            number, walked = left
            return [
                _line(
                    depth,
                    f"Move {number}, “{walked.rule.label}”, led away from it, and no "
                    "way leads back.",
                )
            ]
        return [_line(depth, f"No way leads to {name} from where the player can be.")]

    def _beyond(self, area: str) -> frozenset[str]:
        """The areas never entered any more from which `area` could be reached."""
        beyond, pending = {area}, [area]
        while pending:
            there = pending.pop()
            for rule in self.world.rules:
                if any(o.destination == there for o in rule.outcomes):
                    for start in rule.areas or ():
                        if start not in beyond and self._never(At(start)):
                            beyond.add(start)
                            pending.append(start)
        return frozenset(beyond)

    def _leads_into(self, rule: Rule, beyond: frozenset[str]) -> bool:
        if not any(o.destination in beyond for o in rule.outcomes):
            return False
        return rule.areas is None or any(not self._never(At(a)) for a in rule.areas)

    def _left_at(self, beyond: frozenset[str]) -> tuple[int, Walked] | None:
        for number in range(len(self.walk), 0, -1):
            walked = self.walk[number - 1]
            if walked.before[PLACE] != walked.after[PLACE] and str(walked.before[PLACE]) in beyond:
                return number, walked
        return None


def _line(depth: int, text: str) -> str:
    return "  " * depth + text
