"""What a field of an entry can hold once it has been read; names are not resolved yet."""

from __future__ import annotations

from typing import Any, cast

from msgspec import Struct, field

from zubrel.authored.conditions import Condition, Name
from zubrel.base.source import Span


class Amount(Struct, frozen=True):
    """`3 lamp_oil`, `lamp_oil` (one), or `all coin` (count None)."""

    count: int | None
    name: Name
    span: Span


class Setting(Struct, frozen=True):
    """`fact: value` or `meter: number`."""

    name: Name
    value: int | bool | Name
    span: Span


class Text(Struct, frozen=True):
    """A text for the player, shown `when` its condition holds (None: always).

    `also`: beside the first other text that applies.
    """

    text: str
    when: Condition | None
    span: Span
    also: bool = False


class Entry(Struct):
    """One thing of the file: its id (None where the file gives none) and its fields.

    `span` is the place to point at: the id where there is one. `short` when the entry was a
    lone word or amount instead of a mapping.
    """

    key: Name | None
    span: Span
    values: dict[str, Any] = field(default_factory=dict)
    spans: dict[str, Span] = field(default_factory=dict)
    short: bool = False

    def has(self, name: str) -> bool:
        return name in self.values

    def where(self, name: str) -> Span:
        """The place of field `name`, or of the entry where it is absent."""
        return self.spans.get(name, self.span)

    def text(self, name: str) -> str | None:
        return cast("str | None", self.values.get(name))

    def word(self, name: str) -> Name | None:
        return cast("Name | None", self.values.get(name))

    def words(self, name: str) -> tuple[Name, ...]:
        return cast("tuple[Name, ...]", self.values.get(name, ()))

    def amounts(self, name: str) -> tuple[Amount, ...]:
        return cast("tuple[Amount, ...]", self.values.get(name, ()))

    def conditions(self, name: str) -> tuple[Condition, ...]:
        return cast("tuple[Condition, ...]", self.values.get(name, ()))

    def settings(self, name: str) -> tuple[Setting, ...]:
        return cast("tuple[Setting, ...]", self.values.get(name, ()))

    def texts(self, name: str) -> tuple[Text, ...]:
        return cast("tuple[Text, ...]", self.values.get(name, ()))

    def entry(self, name: str) -> Entry | None:
        return cast("Entry | None", self.values.get(name))

    def condition(self, name: str) -> Condition | None:
        return cast("Condition | None", self.values.get(name))

    def amount(self, name: str) -> Amount | None:
        return cast("Amount | None", self.values.get(name))

    def entries(self, name: str) -> tuple[Entry, ...]:
        return cast("tuple[Entry, ...]", self.values.get(name, ()))

    def number(self, name: str) -> int | None:
        return cast("int | None", self.values.get(name))

    def flag(self, name: str) -> bool:
        return bool(self.values.get(name, False))
