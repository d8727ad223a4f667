"""Words of conditions and settings, and what is asked for before any name is resolved."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition
from zubrel.authored.document import Document
from zubrel.authored.values import Entry, Text

# How a lone id of each kind is written when it is meant as a condition.
AS_CONDITION = {
    "area": "at {0}",
    "lock": "{0} is open",
    "meter": "{0} >= 1",
    "find": "{0} is taken",
    "deed": "{0} is done",
    "alternative": "{0} is done",
    "quest": "{0} is done",
    "person": "{0} is here",
    "foe": "{0} is beaten",
    "talk": "{0} is done",
    "recipe": "{0} is done",
    "goal": "{0} is met",
}
NEXT, PREVIOUS = "next", "previous"


def asked_done(document: Document, asked: Iterable[Condition] = ()) -> frozenset[str]:
    """The words that some condition, of the files or `asked`, calls done: nothing is resolved."""
    names: set[str] = set()
    # before names are resolved, since which marks are kept decides what the rules look like
    pending: list[object] = [c.tree for c in (*conditions_in(document), *asked)]
    while pending:
        match pending.pop():
            case syntax.IsState(name, "done"):
                names.add(name.text)
            case syntax.Negation(part):
                pending.append(part)
            case syntax.Conjunction(parts) | syntax.Disjunction(parts):
                pending += parts
            case syntax.CountedParts(_, parts):
                pending += parts
    return frozenset(names)


def conditions_in(document: Document) -> Iterator[Condition]:
    """Every condition of a document, as it was read."""
    # entries hold entries, and lists of them: whatever is a condition lies somewhere below
    pending: list[object] = [e for entries in document.sections.values() for e in entries]
    while pending:
        match pending.pop():
            case Entry() as entry:
                pending += entry.values.values()
            case Condition() as condition:
                yield condition
            case Text(when=Condition() as condition):
                yield condition
            case tuple() as several:
                pending += several
