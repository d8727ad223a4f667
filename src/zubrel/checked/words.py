"""Words of the file -> ids of the right kind: amounts, tools, settings."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.values import Amount, Setting
from zubrel.base.diagnostics import Problems
from zubrel.base.spelling import suggestion
from zubrel.checked.asking import NEXT, PREVIOUS
from zubrel.checked.effects import Effect, SetFact, SetMeter, StepFact
from zubrel.checked.names import Names
from zubrel.checked.things import Fact


class Words:
    """What single words and amounts stand for; every problem goes to `problems`."""

    def __init__(
        self, document: Document, names: Names, facts: dict[str, Fact], problems: Problems
    ) -> None:
        self.document = document
        self.names = names
        self.facts = facts
        self.problems = problems
        self.entries = {
            section: {e.key.text: e for e in document.entries(section) if e.key}
            for section in ("items", "people", "foes", "stores")
        }

    def fact_value(self, fact_name: Name, value: int | bool | Name, at: Name) -> int | None:
        """The number of a fact's value, or None and a problem when it has no such value."""
        fact = self.facts.get(fact_name.text)
        if fact is None:
            return None
        if fact.true_false and isinstance(value, bool):
            return int(value)
        text = value.text if isinstance(value, Name) else str(value).lower()
        if not fact.true_false and text in fact.values:
            return fact.values.index(text)
        span = value.span if isinstance(value, Name) else at.span
        message = f'"{fact.id}" cannot be "{text}": it is {" or ".join(fact.values)}'
        self.problems.add("bad-value", message, span, suggestion(text, fact.values))
        return None

    def is_person(self, thing: str) -> bool:
        return self.names.kind_of(thing) == "person"

    def count_of_foe(self, foe: str) -> int:
        """How many have to be beaten until a foe is: 1 for one that returns."""
        entry = self.entries["foes"][foe]
        return 1 if entry.text("returns") == "always" else entry.number("count") or 1

    def amounts(self, amounts: Iterable[Amount]) -> list[tuple[str, int | None]]:
        """Items and how many (None: all); the same item twice adds up in order."""
        by_item: list[tuple[str, int | None]] = []
        for amount in amounts:
            item = self.names.find(amount.name, "item")
            if item:
                by_item.append((item, amount.count))
        return by_item

    def held(self, amounts: Iterable[Amount]) -> list[tuple[str, int | None]]:
        """As `amounts`, for what is gained and given up: of a tool only one at a time."""
        listed = tuple(amounts)
        for amount in listed:
            entry = self.entries["items"].get(amount.name.text)
            if entry is not None and entry.has("uses") and amount.count != 1:
                message = f'"{amount.name.text}" is a tool: one at a time'
                hint = f"Write: {amount.name.text}"
                self.problems.add("bad-value", message, amount.span, hint)
        return self.amounts(listed)

    def tools(self, words: Iterable[Name]) -> list[str]:
        """The tools that `words` name; a problem for each item that is none."""
        tools = []
        for word in words:
            item = self.names.find(word, "item")
            if item is not None and not self.entries["items"][item].has("uses"):
                message = f'"{item}" is no tool: it has no "uses"'
                hint = f"Say how often it can be used:  {item}: {{uses: 5}}"
                self.problems.add("wrong-kind", message, word.span, hint)
            elif item is not None:
                tools.append(item)
        return tools

    def ids(self, words: Iterable[Name], kind: str) -> list[str]:
        ids = (self.names.find(word, kind) for word in words)
        return [thing for thing in ids if thing]

    def setting(self, setting: Setting) -> Effect | None:
        """The effect of one `fact: value` or `meter: number`."""
        thing = self.names.find(setting.name, "fact", "meter")
        if thing is None:
            return None
        if self.names.kind_of(thing) == "fact":
            value = setting.value
            if isinstance(value, Name) and self._is_step(thing, value.text):
                return StepFact(thing, value.text == NEXT)
            at = Name(str(value), setting.span)
            number = self.fact_value(setting.name, value, at)
            return None if number is None else SetFact(thing, number)
        if isinstance(setting.value, int) and not isinstance(setting.value, bool):
            return SetMeter(thing, setting.value)
        self.problems.add("bad-value", f'"{thing}" is a meter: set it to a number', setting.span)
        return None

    def _is_step(self, fact: str, word: str) -> bool:
        """Whether a fact is to have the value after or before its own; not if one is called so."""
        known = self.facts.get(fact)
        if known is None or known.true_false or word in known.values:
            return False
        return word in (NEXT, PREVIOUS)
