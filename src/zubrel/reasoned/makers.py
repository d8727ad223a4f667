"""Which effects could make a condition true?"""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.checked.conditions import (
    ACTIVE,
    DONE,
    FAILED,
    At,
    Beaten,
    Cond,
    DealtAt,
    FactIs,
    GoalMet,
    HitOff,
    Holds,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    Total,
)
from zubrel.checked.effects import (
    AddMeter,
    Beat,
    DealOut,
    Effect,
    FailQuest,
    FinishQuest,
    Give,
    Hit,
    Lose,
    MeetGoal,
    MoveTo,
    OpenLock,
    PutDown,
    PutIn,
    Refill,
    SetFact,
    SetMark,
    SetMeter,
    ShutLock,
    StartQuest,
    StepFact,
    Take,
    Toggle,
    Wear,
)


def makes(effects: Iterable[Effect], atom: Cond) -> bool:
    """Whether some effect could make an atom true."""
    return any(_effect_makes(effect, atom) for effect in effects)


def _effect_makes(effect: Effect, atom: Cond) -> bool:
    # an effect makes a condition where it moves the same thing in the right direction
    match atom, effect:
        case (Holds(item, ">=" | ">" | "=", _), Give(given, _)):
            return item == given
        case (Holds(item, ">=" | ">" | "=", _), Refill(filled)):
            return item == filled
        case (Holds(item, "<" | "<=" | "=", _), Take(taken, _) | Lose(taken, _) | Wear(taken)):
            return item == taken
        # of a sum any change of a part may do: directions are not looked at
        case (Total(terms), _):
            changed = {getattr(effect, "item", None), getattr(effect, "meter", None)}
            return any(term.subject in changed for term in terms)
        case (Level(meter), SetMeter(changed, _) | AddMeter(changed, _)):
            return meter == changed
        case (FactIs(fact, value), SetFact(changed, new)):
            return fact == changed and value == new
        case (Not(FactIs(fact, value)), SetFact(changed, new)):
            return fact == changed and value != new
        case (FactIs(fact) | Not(FactIs(fact)), Toggle(changed) | StepFact(changed, _)):
            return fact == changed
        case (LockOpen(lock), OpenLock(opened)):
            return lock == opened
        case (Not(LockOpen(lock)), ShutLock(shut)):
            return lock == shut
        case (Marked(kind, subject), SetMark(marked, thing)):
            return (kind, subject) == (marked, thing)
        case (QuestIs(quest, state), StartQuest(other)):
            return quest == other and state == ACTIVE
        case (QuestIs(quest, state), FinishQuest(other)):
            return quest == other and state == DONE
        case (QuestIs(quest, state), FailQuest(other)):
            return quest == other and state == FAILED
        case (GoalMet(quest, number), MeetGoal(other, met)):
            return (quest, number) == (other, met)
        case (Stored(store, item), PutIn(put, into)):
            return (store, item) == (into, put)
        case (LiesAt(item), PutDown(put)):
            return item == put
        case (DealtAt(item), DealOut(dealt)):
            return item == dealt
        case (At(area), MoveTo(there)):
            return area == there
        case (Beaten(foe), Beat(beaten)):
            return foe == beaten
        case (HitOff(foe), Hit(hit)):
            return foe == hit
    return False
