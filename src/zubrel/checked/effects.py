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


Effect = (
    Take | Lose | Give | SetFact | SetMeter | Toggle | AddMeter
    | OpenLock | ShutLock | MoveTo | EndGame | SetMark
)  # fmt: skip
