"""People, quests, recipes and foes -> frames of rules."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.checked.bodies import Implied
from zubrel.checked.conditions import (
    ACTIVE,
    WAITING,
    Beaten,
    Cond,
    GoalMet,
    Marked,
    Not,
    QuestIs,
    all_of,
)
from zubrel.checked.effects import Beat, FinishQuest, MeetGoal, SetMark, StartQuest, Take
from zubrel.checked.frames import (
    Frame,
    Site,
    bare,
    counted,
    key_of,
    name_of,
    places,
    site_of,
    with_person,
)
from zubrel.checked.resolve import Resolver
from zubrel.checked.sections import BEGINNINGS
from zubrel.checked.world import Item, Quest


def encounters(
    document: Document, resolver: Resolver, items: dict[str, Item], quests: dict[str, Quest]
) -> Iterator[Frame]:
    """The frames of everything that has to do with people, quests, making and fighting."""
    for person in document.entries("people"):
        yield from _talks(person, resolver)
    for quest in document.entries("quests"):
        yield from _quest(quest, quests[key_of(quest)], resolver, items)
    for recipe in document.entries("recipes"):
        this = key_of(recipe)
        yield Frame(this, "recipe", this, name_of(recipe), places(recipe, resolver), recipe)
    for foe in document.entries("foes"):
        yield _foe(foe, resolver)


def _talks(person: Entry, resolver: Resolver) -> Iterator[Frame]:
    """One frame for each talk: it is what comes of talking when no earlier one does."""
    this = key_of(person)
    site = with_person(this, resolver)
    implied = Implied(first=(SetMark("met", this),))
    earlier: list[Cond] = []
    for talk in person.entries("talk"):
        when = resolver.condition(talk.condition("when"))
        offered = (when, *(Not(e) for e in earlier))
        topic = talk.text("name")
        label = f"Talk to {name_of(person)}" + (f": {topic}" if topic else "")
        yield Frame(key_of(talk), "talk", this, label, site, talk, implied, offered)
        undone = (Not(Marked("done", key_of(talk))),) if talk.flag("once") else ()
        earlier.append(all_of(when, *undone))


def _quest(
    entry: Entry, quest: Quest, resolver: Resolver, items: dict[str, Item]
) -> Iterator[Frame]:
    made, active = resolver.names.made, QuestIs(quest.id, ACTIVE)
    source, end = entry.word("from"), entry.word("hand_in")
    if source is not None and resolver.names.kind_of(source.text) not in BEGINNINGS:
        yield Frame(
            made[quest.id, "accept", ""],
            "accept",
            quest.id,
            f"Accept “{quest.name}”",
            site_of(source, resolver),
            bare(entry.span),
            Implied(first=(StartQuest(quest.id),)),
            (QuestIs(quest.id, WAITING),),
            (quest.needs,),
        )
    for goal, goal_entry in zip(quest.goals, entry.entries("goals"), strict=True):
        word = goal_entry.word("to")
        if goal.kind != "deliver" or goal.subject not in items:
            continue
        earlier = [GoalMet(quest.id, n) for n in range(1, goal.number) if quest.in_turn]
        what = counted(goal.count, items[goal.subject].name)
        yield Frame(
            made[quest.id, "deliver", str(id(goal_entry))],
            "deliver",
            quest.id,
            f"Deliver {what} for “{quest.name}”",
            site_of(word, resolver) if word else Site(()),
            bare(goal_entry.span),
            Implied((MeetGoal(quest.id, goal.number),), (Take(goal.subject, goal.count),)),
            (active, Not(GoalMet(quest.id, goal.number)), *earlier),
            (goal.needs,),
        )
    if end is not None:
        met = tuple(GoalMet(quest.id, goal.number) for goal in quest.goals)
        yield Frame(
            made[quest.id, "hand_in", ""],
            "hand_in",
            quest.id,
            f"Hand in “{quest.name}”",
            site_of(end, resolver),
            bare(entry.span),
            Implied(first=(FinishQuest(quest.id),)),
            (active, *met),
        )


def _foe(foe: Entry, resolver: Resolver) -> Frame:
    this = key_of(foe)
    offered: tuple[Cond, ...] = (resolver.condition(foe.condition("when")),)
    if foe.text("returns") != "always":
        offered = (*offered, Not(Beaten(this, resolver.count_of_foe(this))))
    elif foe.has("count"):
        message = "a foe that always returns cannot be counted"
        resolver.problems.add("misplaced", message, foe.where("count"), 'Remove "count".')
    implied = Implied(first=(Beat(this),))
    label = f"Beat {name_of(foe)}"
    return Frame(this, "foe", this, label, places(foe, resolver), foe, implied, offered)
