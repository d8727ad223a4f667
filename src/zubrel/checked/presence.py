"""Where people are, as conditions: a person has no place in the situation, it follows from it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from zubrel.authored.conditions import Condition
from zubrel.authored.values import Entry
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span
from zubrel.checked.conditions import ALWAYS, Any, At, Cond, Not, all_of
from zubrel.checked.names import Names

NEVER = Any(())


class Presence:
    """Works out the places of people, one inside the other where their conditions ask for it.

    `condition` resolves a condition as read, and comes back here for what it says of people.
    """

    def __init__(
        self,
        people: Mapping[str, Entry],
        names: Names,
        problems: Problems,
        condition: Callable[[Condition | None], Cond],
    ) -> None:
        self.people = people
        self.names = names
        self.problems = problems
        self.condition = condition
        self.known: dict[str, tuple[tuple[str, Cond], ...]] = {}
        self.open: list[str] = []

    def here(self, person: str, span: Span | None) -> Cond:
        """The person is in the player's area."""
        return Any(tuple(all_of(At(area, span), when) for area, when in self.places(person)))

    def places(self, person: str) -> tuple[tuple[str, Cond], ...]:
        """The areas where a person can be, each with the condition for being there."""
        # where somebody is may depend on where others are, and that must not come back to them
        if person in self.open:
            circle = [*self.open[self.open.index(person) :], person]
            entry = self.people[person]
            self.problems.add(
                "circle",
                f"where they are depends on itself: {' → '.join(circle)}",
                entry.span,
                "Let one of them depend on a fact instead.",
            )
            return ()
        if person not in self.known:
            self.open.append(person)
            self.known[person] = tuple(self._places(person).items())
            self.open.pop()
        return self.known[person]

    def _places(self, person: str) -> dict[str, Cond]:
        entry = self.people[person]
        present = self.condition(entry.condition("when"))
        # the first place whose condition holds is where they are: all others are denied by then
        places: dict[str, Cond] = {}
        earlier: list[Cond] = []
        for place in entry.entries("at"):
            word = place.word("at")
            area = self.names.find(word, "area") if word else None
            when = self.condition(place.condition("when"))
            if area is None:
                continue
            there = all_of(when, *(Not(e) for e in earlier), present)
            places[area] = Any((places[area], there)) if area in places else there
            earlier.append(when)
            # what comes after is never looked at
            if when == ALWAYS:
                break
        return places
