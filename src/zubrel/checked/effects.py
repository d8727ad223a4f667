"""What a rule does, as a sequence of small steps in the order in which they happen."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Take:
    """`count` of an item are given up; possible only while they are held."""

    item: str
    count: int


@dataclass(frozen=True, slots=True)
class Lose:
    """Up to `count` of an item are removed; None: all of it."""

    item: str
    count: int | None


@dataclass(frozen=True, slots=True)
class Give:
    """`count` of an item are gained."""

    item: str
    count: int


@dataclass(frozen=True, slots=True)
class SetFact:
    fact: str
    value: int


@dataclass(frozen=True, slots=True)
class SetMeter:
    meter: str
    value: int


@dataclass(frozen=True, slots=True)
class Toggle:
    fact: str


@dataclass(frozen=True, slots=True)
class AddMeter:
    """A number is added to a meter, which stops at its ends."""

    meter: str
    amount: int


@dataclass(frozen=True, slots=True)
class OpenLock:
    lock: str


@dataclass(frozen=True, slots=True)
class ShutLock:
    lock: str


@dataclass(frozen=True, slots=True)
class MoveTo:
    area: str


@dataclass(frozen=True, slots=True)
class EndGame:
    ending: str


@dataclass(frozen=True, slots=True)
class SetMark:
    """Something that happens once is now behind the player: a find taken, a rule done."""

    kind: str
    subject: str


Effect = (
    Take | Lose | Give | SetFact | SetMeter | Toggle | AddMeter
    | OpenLock | ShutLock | MoveTo | EndGame | SetMark
)  # fmt: skip
