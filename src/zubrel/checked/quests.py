"""The quests of a world: how they begin, their goals, what they are handed in for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.goals import GROUP, Group
from zubrel.authored.kinds import RULE_KINDS
from zubrel.authored.values import Amount, Entry
from zubrel.base.spelling import listing
from zubrel.checked.bodies import effects_of
from zubrel.checked.conditions import (
    ALWAYS,
    WAITING,
    Cond,
    GoalMet,
    Holds,
    LockOpen,
    QuestIs,
    all_of,
    atoms_of,
)
from zubrel.checked.effects import StartQuest
from zubrel.checked.frames import key_of, name_of
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import Goal, GoalGroup, Quest
from zubrel.checked.world import Happening, Outcome

GIVERS, BEGINNINGS = ("person", "area"), ("item", "lock")
"""What a quest is accepted from and handed in to; and what it begins with by itself."""
GOALS = ("collect", "gain", "deliver", "defeat", "visit", "talk", "do", "meet")
EARLY = ("gain", "defeat", "visit", "talk", "do")


class Quests:
    """Makes the quests of a world out of a document, problem by problem."""

    def __init__(self, document: Document, resolver: Resolver) -> None:
        self.document = document
        self.resolver = resolver
        self.problems = resolver.problems
        self.names = resolver.names

    def quests(self, started: frozenset[str]) -> dict[str, Quest]:
        """The quests; `started` are those that something starts."""
        quests = {}
        for entry in self.document.entries("quests"):
            this, source, end = key_of(entry), entry.word("from"), entry.word("hand_in")
            in_turn = entry.text("order") == "in_turn"
            groups = _groups(entry.entries("goals"))
            goals = tuple(
                self._goal(goal, number, in_turn, groups)
                for number, goal in enumerate(entry.entries("goals"), 1)
            )
            fails_when = entry.condition("fails_when")
            reward = entry.entry("reward")
            quests[this] = Quest(
                this,
                name_of(entry),
                entry.span,
                # a quest that nobody gives and nothing starts is active from the start
                source is None and this not in started,
                in_turn,
                self.names.find(source, *GIVERS, *BEGINNINGS) if source else None,
                self.names.find(end, *GIVERS) if end else None,
                self.resolver.all_of(entry.conditions("needs")),
                goals,
                groups,
                self.resolver.condition(fails_when) if fails_when else None,
                effects_of(reward, self.resolver) if reward else (),
            )
        return quests

    def beginnings(self, quests: Iterable[Quest]) -> Iterator[Happening]:
        """Quests that begin by themselves: as soon as an item is held, or a lock is open."""
        for quest in quests:
            begun: Cond | None = None
            # people and areas give quests by a move; things begin them by themselves
            match self.names.kind_of(quest.from_id or ""):
                case "item":
                    begun = Holds(str(quest.from_id), ">=", 1, quest.span)
                case "lock":
                    begun = LockOpen(str(quest.from_id), quest.span)
            if begun is not None:
                when = all_of(begun, quest.needs, QuestIs(quest.id, WAITING))
                made = self.names.made[quest.id, "accept", ""]
                outcome = Outcome(1, 1.0, (StartQuest(quest.id),))
                yield Happening(made, quest.span, when, False, outcome)

    def _goal(self, entry: Entry, number: int, in_turn: bool, groups: Sequence[GoalGroup]) -> Goal:
        kinds = [kind for kind in GOALS if entry.has(kind)]
        if len(kinds) != 1:
            message = "a goal asks for exactly one thing"
            hint = f"It is one of: {listing(GOALS)}."
            self.problems.add("missing" if not kinds else "misplaced", message, entry.span, hint)
        kind = kinds[0] if kinds else "meet"
        subject, count = self._goal_subject(entry, kind)
        condition = self._goal_condition(entry, kind, subject, count)
        early = entry.has("early")
        if early and kind not in EARLY:
            message = f'a goal to {kind} never counts early: "early" means nothing here'
            self.problems.add("misplaced", message, entry.where("early"))
        if kind == "deliver" and not entry.has("to"):
            message = "a delivery needs to say to whom or where"
            self.problems.add("missing", message, entry.span, "Add: to: some_person")
        # what is held or so at the moment needs no memory, unless its turn has to come first
        remembered = kind not in ("collect", "meet") or in_turn
        asked = entry.condition("meet")
        name = entry.text("name") or (asked.text if asked and kind == "meet" else "")
        needs = self.resolver.all_of(entry.conditions("needs"))
        return Goal(
            number,
            kind,
            subject,
            count,
            condition,
            needs,
            early,
            name,
            entry.span,
            remembered,
            key_of(entry) if entry.key else "",
            next(n for n, group in enumerate(groups) if number in group.numbers),
        )

    def _goal_subject(self, entry: Entry, kind: str) -> tuple[str, int]:
        """The id that a goal is about, and how many of it."""
        value = entry.values.get(kind)
        # amounts are of items or foes, and all else is one thing
        if isinstance(value, Amount):
            wanted = "foe" if kind == "defeat" else "item"
            return self.names.find(value.name, wanted) or "", value.count or 1
        if isinstance(value, Name):
            if kind == "do":
                goal_subject = self.names.find(value, *RULE_KINDS, "rule")
            else:
                goal_subject = self.names.find(value, "area" if kind == "visit" else "person")
            return goal_subject or "", 1
        return "", 1

    def _goal_condition(self, entry: Entry, kind: str, subject: str, count: int) -> Cond:
        if kind == "collect" and subject:
            return Holds(subject, ">=", count, entry.span)
        condition = self.resolver.condition(entry.condition("meet")) if kind == "meet" else ALWAYS
        if any(isinstance(atom, GoalMet) for atom in atoms_of(condition)):
            message = "a goal cannot ask whether goals are met: one could ask for itself"
            self.problems.add("bad-condition", message, entry.where("meet"))
            return ALWAYS
        return condition


def _groups(entries: Iterable[Entry]) -> tuple[GoalGroup, ...]:
    """The goals of a quest as they are grouped, in their order."""
    groups: dict[Group, list[int]] = {}
    for number, entry in enumerate(entries, 1):
        groups.setdefault(entry.values[GROUP], []).append(number)
    return tuple(GoalGroup(group.count, tuple(numbers)) for group, numbers in groups.items())


def started_quests(document: Document) -> frozenset[str]:
    """The ids of the quests that some body starts, wherever it stands."""
    quests: set[str] = set()
    pending = [e for entries in document.sections.values() for e in entries]
    while pending:
        entry = pending.pop()
        quests.update(word.text for word in entry.words("starts"))
        for value in entry.values.values():
            inner = value if isinstance(value, tuple) else (value,)
            pending += [v for v in inner if isinstance(v, Entry)]
    return frozenset(quests)
