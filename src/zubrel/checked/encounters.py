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
    HitOff,
    Marked,
    Not,
    QuestIs,
    all_of,
    some_of,
)
from zubrel.checked.effects import Beat, FinishQuest, Hit, MeetGoal, SetMark, StartQuest, Take
from zubrel.checked.frames import (
    Frame,
    Site,
    bare,
    counted,
    key_of,
    merged,
    name_of,
    places,
    site_of,
    with_person,
)
from zubrel.checked.quests import BEGINNINGS
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import GoalGroup, Item, Quest


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
        yield from _foe(foe, resolver)


def _talks(person: Entry, resolver: Resolver) -> Iterator[Frame]:
    """One frame for each talk: it is what comes of talking when no earlier one does."""
    this = key_of(person)
    site = with_person(this, resolver)
    # marks that nobody asks for are left out later
    implied = Implied(first=(SetMark("met", this),))
    earlier: list[Cond] = []
    for talk in person.entries("talk"):
        when = resolver.condition(talk.condition("when"))
        # talking does the first that applies, so that each is offered where no earlier one is
        offered = (when, *(Not(e) for e in earlier))
        topic = talk.text("name")
        label = f"Talk to {name_of(person)}" + (f": {topic}" if topic else "")
        yield Frame(key_of(talk), "talk", this, label, site, talk, implied, offered)
        undone = (Not(Marked("done", key_of(talk))),) if talk.flag("once") else ()
        # one that is done gives way, even if being done was its only reason to
        earlier.append(all_of(when, *undone))


def _quest(
    entry: Entry, quest: Quest, resolver: Resolver, items: dict[str, Item]
) -> Iterator[Frame]:
    # a quest is up to three rules: to accept it, to deliver for it, to hand it in
    made, active = resolver.names.made, QuestIs(quest.id, ACTIVE)
    source, end = entry.word("from"), entry.word("hand_in")
    # quests from items and locks begin by themselves
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
        # all other goals are met by moves that there are anyway
        if goal.kind != "deliver" or goal.subject not in items:
            continue
        # in turn: what comes before has to be met
        earlier = [_enough(quest, group) for group in quest.earlier(goal)]
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
        # in each group of goals as many as it wants
        met = tuple(_enough(quest, group) for group in quest.groups)
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


def _enough(quest: Quest, group: GoalGroup) -> Cond:
    """As many goals of a group are met as are asked for."""
    return some_of(group.count, tuple(GoalMet(quest.id, n) for n in group.numbers))


def _foe(foe: Entry, resolver: Resolver) -> Iterator[Frame]:
    """The blow that beats it, and where one is not enough, those before."""
    this = key_of(foe)
    offered: tuple[Cond, ...] = (resolver.condition(foe.condition("when")),)
    if foe.text("returns") != "always":
        # whoever is beaten for good is no foe any more
        offered = (*offered, Not(Beaten(this, resolver.count_of_foe(this))))
    elif foe.has("count"):
        message = "a foe that always returns cannot be counted"
        resolver.problems.add("misplaced", message, foe.where("count"), 'Remove "count".')
    site, health = places(foe, resolver), foe.number("health") or 1
    ways = foe.entries("either") or (foe,)
    hits = {id(way): way.number("hits") or foe.number("hits") or 1 for way in ways}
    for entry in dict.fromkeys((id(foe), *hits)):
        where = next(e for e in (foe, *ways) if id(e) == entry)
        if where.has("hits") and not foe.has("health"):
            message = '"hits" means nothing for a foe without "health"'
            hint = f"Say how much has to be hit off:  {this}: {{health: 3}}"
            resolver.problems.add("misplaced", message, where.where("hits"), hint)
    # the last blow comes when no more is left than it takes off
    last = {key_of(w): HitOff(this, health - hits[id(w)]) for w in ways if hits[id(w)] < health}
    beaten = Implied(first=(Beat(this),))
    label = f"Beat {name_of(foe)}"
    yield Frame(this, "foe", this, label, site, foe, beaten, offered, only=last)
    # a way of fighting that takes off all at once has no blows before the last
    blows = [(n, w) for n, w in enumerate(ways, 1) if hits[id(w)] < health]
    for number, way in blows:
        # without alternatives the body of the foe is its own way of fighting
        common = (_cost(foe), _cost(way)) if way is not foe else (_cost(foe),)
        part = str(number) if way is not foe else ""
        made = resolver.names.made[this, "blow", part]
        label = f"Hit {name_of(foe)}"
        if way is not foe:
            label += f": {way.text('label') or f'alternative {number}'}"
        yield Frame(
            made,
            "foe",
            this,
            label,
            site,
            merged(common),
            Implied(first=(Hit(this, hits[id(way)]),)),
            (*offered, Not(last[key_of(way)])),
            last_blow=key_of(way),
        )


COST = ("needs", "refuses", "takes", "wears", "refills", "loses", "adds")
"""What a fight asks for with each blow; all else comes with the last one."""


def _cost(body: Entry) -> Entry:
    kept = {field: value for field, value in body.values.items() if field in COST}
    return Entry(body.key, body.span, kept, body.spans)
