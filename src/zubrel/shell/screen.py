"""What somebody who walks by hand is shown: the place, what can be done there, the quests."""

from __future__ import annotations

from zubrel.base.plain import plain
from zubrel.checked import keys
from zubrel.checked.conditions import ACTIVE
from zubrel.checked.keys import ENDING, PLACE
from zubrel.checked.things import Goal
from zubrel.checked.world import Rule
from zubrel.narrated.walks import held_words
from zubrel.narrated.words import listed
from zubrel.played.advice import Hints
from zubrel.played.session import GroupSoFar, Session
from zubrel.played.why import lacking
from zubrel.shell.prompts import GROUPS, ORDER
from zubrel.shell.streams import say, styled
from zubrel.walked.telling import area_text, item_text


class Screen:
    """A session as it is shown; `numbered` are the moves as they were shown last."""

    def __init__(self, session: Session, advice: Hints | None) -> None:
        self.session = session
        self.world = session.world
        self.advice = advice
        self.numbered: list[Rule] = []

    def look(self) -> None:
        """The place, who and what is there, and what can be done: its moves are numbered anew."""
        here = self.session.here
        say()
        say(self.world.name_of(str(here[PLACE])), bold=True)
        text = area_text(self.session.walker, here)
        for line in [text] if text else []:
            say(f"  {line}")
        # by the conditions of their places, as the rules have it
        people = [
            p.name
            for p in self.world.people.values()
            if any(
                area == here[PLACE] and self.session.walker.holds(when, here)
                for area, when in p.places
            )
        ]
        if people:
            say(f"  here: {listed(people)}")
        say(f"  held: {self.held()}")
        if meters := [f"{m.name} {here[keys.meter(m.id)]}" for m in self.world.meters.values()]:
            say(f"  {', '.join(meters)}")
        for line in self.quests():
            say(f"  {line}")
        if self.session.over:
            ending = self.world.endings[str(here[ENDING])]
            good = "a good ending" if ending.good else "a bad ending"
            say(f"The end: {ending.name} ({good}). undo goes back.", bold=True)
            self.numbered = []
            return
        self._list_moves()
        self._outlook()

    def look_at(self, name: str) -> None:
        """What is said of a thing in hand, by its id or name."""
        items, here = self.world.items.values(), self.session.here
        item = next((i for i in items if name in (i.id, i.name)), None)
        if item is None or not here[keys.held(item.id)]:
            say(f"There is no “{plain(name)}” in hand – held lists what there is.")
            return
        text = item_text(self.session.walker, item, here)
        say(f"“{text}”" if text else f"{item.name}: nothing is said of it.")

    def _list_moves(self) -> None:
        # grouped by what is done, and numbered through: the numbers can be typed
        possible = self.session.possible()
        groups = {g: [r for r in possible if GROUPS[r.kind] == g] for g in ORDER}
        self.numbered = [rule for group in groups.values() for rule in group]
        number = 0
        for group, rules in groups.items():
            for rule in rules:
                number += 1
                dooms = self.advice is not None and self.advice.dooms(rule, self.session.here)
                mark = styled("   (no win after this)", fg="red") if dooms else ""
                say(f"  {group if rule is rules[0] else '':6}{number:3}  {rule.label}{mark}")
        for rule, text in self.session.blocked():
            missing = lacking(self.session.walker, rule, self.session.here)
            why = f"“{text}”" if text else listed(missing)
            say(f"  {'':6}  –  {rule.label}: {why}")

    def _outlook(self) -> None:
        if self.advice is None:
            return
        live = self.advice.live(self.session.here)
        if live:
            say("  The game can still be won.", fg="green")
            return
        if live is None:
            say("  Whether the game can still be won is not known.")
            return
        # back to the move that took the last win away
        here = len(self.session.done)
        states = [self.session.start, *(step.after for step in self.session.done)]
        while here and self.advice.live(states[here - 1]) is False:
            here -= 1
        # where it is not known whether a win was left before, no move is blamed
        since = ""
        if here and self.advice.live(states[here - 1]):
            since = f" since move {here}, “{self.session.done[here - 1].rule.label}”"
        words = f"  The game can no longer be won{since}. (“why” tells the reason.)"
        say(words, fg="red", bold=True)

    def held(self) -> str:
        """What is in hand, in one line."""
        return ", ".join(held_words(self.world, self.session.here)) or "nothing"

    def quests(self) -> list[str]:
        """The active quests, a line each, with how far their goals have come."""
        quests = []
        for quest in self.world.quests.values():
            if self.session.here["quest", quest.id] != ACTIVE:
                continue
            groups = self.session.goals(quest)
            step = f", step {len(groups)} of {len(quest.groups)}" if quest.in_turn else ""
            if quest.in_turn and not groups[-1].met:
                groups = groups[-1:]
            goals = [self._group(group) for group in groups]
            quests.append(f"quest: {quest.name}{step} – {'; '.join(goals) or 'to be handed in'}")
        return quests

    def _group(self, group: GroupSoFar) -> str:
        goals = [self._goal(*goal) for goal in group.goals]
        if len(goals) == 1:
            return goals[0]
        many = {1: "any", len(goals): "all"}.get(group.count, str(group.count))
        return f"{many} of: {', '.join(goals)}" + " (met)" * group.met

    def _goal(self, goal: Goal, met: bool, progress: int) -> str:
        words = self.world.goal_name(goal)
        if met:
            return f"{words} (met)"
        return f"{words} ({progress} of {goal.count})" if goal.count > 1 else words

    def ids(self) -> None:
        """Show every rule, those that are possible here first."""
        rules = sorted(self.world.rules, key=lambda r: not self._possible(r))
        for rule in rules:
            missing = lacking(self.session.walker, rule, self.session.here)
            say(f"  {rule.id:24}  {rule.label}" + (f": {listed(missing)}" * bool(missing)))

    def _possible(self, rule: Rule) -> bool:
        return self.session.walker.possible(rule, self.session.here)
