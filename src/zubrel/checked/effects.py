"""What a rule does, as a sequence of small steps in the order in which they happen."""

from __future__ import annotations

from msgspec import Struct


class Take(Struct, frozen=True):
    """`count` of an item are given up; possible only while they are held."""

    item: str
    count: int


class Lose(Struct, frozen=True):
    """Up to `count` of an item are removed; None: all of it."""

    item: str
    count: int | None


class Give(Struct, frozen=True):
    """`count` of an item are gained."""

    item: str
    count: int


class SetFact(Struct, frozen=True):
    fact: str
    value: int


class StepFact(Struct, frozen=True):
    """A fact has its next value (or, without `up`, the one before), round where it goes round."""

    fact: str
    up: bool


class Refill(Struct, frozen=True):
    """A tool has all of its uses again; possible only while it is held and lacks some."""

    item: str


class SetMeter(Struct, frozen=True):
    meter: str
    value: int


class Toggle(Struct, frozen=True):
    fact: str


class AddMeter(Struct, frozen=True):
    """A number is added to a meter, which stops at its ends."""

    meter: str
    amount: int


class OpenLock(Struct, frozen=True):
    lock: str


class ShutLock(Struct, frozen=True):
    lock: str


class MoveTo(Struct, frozen=True):
    area: str


class EndGame(Struct, frozen=True):
    ending: str


class SetMark(Struct, frozen=True):
    """Something that happens once is now behind the player: a find taken, a rule done."""

    kind: str
    subject: str


class Wear(Struct, frozen=True):
    """A tool loses one use; possible only while held."""

    item: str


class StartQuest(Struct, frozen=True):
    """A waiting quest becomes active."""

    quest: str


class FinishQuest(Struct, frozen=True):
    """A waiting or active quest is done, and its reward is given."""

    quest: str


class FailQuest(Struct, frozen=True):
    """A waiting or active quest fails."""

    quest: str


class MeetGoal(Struct, frozen=True):
    """A goal that is met by a move of its own: a delivery."""

    quest: str
    number: int


class Beat(Struct, frozen=True):
    """One of a foe is beaten; the next has all of its health."""

    foe: str


class Hit(Struct, frozen=True):
    """So much of the health of a foe is hit off, and some is left."""

    foe: str
    count: int


class SellOut(Struct, frozen=True):
    """A shop's stock of a ware goes down by one."""

    shop: str
    item: str


class PutIn(Struct, frozen=True):
    """One unit of an item goes from the player into a store."""

    item: str
    store: str


class FetchFrom(Struct, frozen=True):
    """One unit of an item goes from a store to the player."""

    item: str
    store: str


class DealOut(Struct, frozen=True):
    """An item is dealt to an area; with the last one the play begins."""

    item: str
    area: str


class TakeDealt(Struct, frozen=True):
    """A dealt item is taken from where it lies."""

    item: str


class PutDown(Struct, frozen=True):
    """The item is put down where the player stands."""

    item: str


class PickUp(Struct, frozen=True):
    """The item is picked up from where it lies."""

    item: str


Effect = (
    Take
    | Wear
    | Lose
    | Give
    | Refill
    | SetFact
    | StepFact
    | SetMeter
    | Toggle
    | AddMeter
    | OpenLock
    | ShutLock
    | StartQuest
    | FinishQuest
    | FailQuest
    | MeetGoal
    | MoveTo
    | EndGame
    | SetMark
    | Beat
    | Hit
    | SellOut
    | PutIn
    | FetchFrom
    | PutDown
    | PickUp
    | DealOut
    | TakeDealt
)
