"""Ways that are open as long as one is beyond them, in a system whose areas are being joined.

Used by `places`, which has the reasons.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from msgspec import Struct

from zubrel.compiled.afterwards import Afterwards
from zubrel.compiled.facts import parts_of, settlers_after
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Change, Move, Step
from zubrel.compiled.system import System
from zubrel.reduced.clauses import ALWAYS, NEVER, Clauses, both_of, either_of, implies

Targets = tuple[int | None, ...]
"""Where each step of a move leads (None: it stays, or leads where it must)."""
Key = tuple[int, Targets]
"""The number of a move, and where it leads in one area."""


class LinkMove(Struct):
    """A move, what of its guard is asked for in every area, and whether it only walks."""

    move: Move
    guard: Formula
    walks: bool


class Rules:
    """The rules of a system by area, while areas are left out.

    `tests` are for each area the formulas that tell it apart.
    """

    def __init__(self, system: System, tests: Mapping[int, Collection[Formula]]) -> None:
        self.system = system
        self.tests = tests
        self.all: list[LinkMove] = []
        self.here: dict[int | None, dict[Key, Clauses]] = {}
        """By area: its rules, with what they ask for beside their own guards."""
        self.into: dict[int, set[int | None]] = {}
        """By area: from where moves may lead there."""
        self.folded: dict[int, dict[int, Clauses]] = {}
        """Areas that are left out, with their links."""
        self.afterwards = Afterwards(system.variables, system.rising)

    def links(self, area: int) -> dict[int, Clauses]:
        """The areas from which one can walk here and back, and what for that has to hold.

        Only one of them, if nothing at all has to hold.
        """
        links: dict[int, Clauses] = {}
        for other in self.before(area):
            # something that asks where the player stands, and tells the two apart, would see a
            # walk between them
            if other is not None and self.tests[other] == self.tests[area]:
                forth, back = self._walk(other, area), self._walk(area, other)
                # whoever could come can go back: otherwise walking there would be a choice
                if forth and implies(forth, back) and self._lasts(area, forth):
                    links[other] = forth
        # further links would only copy the rules of the area, which can be reached from the first
        # at any time
        always = [other for other in links if links[other] == ALWAYS]
        return {always[0]: ALWAYS} if always else links

    def _lasts(self, area: int, link: Clauses) -> bool:
        """Whether a link that is open stays so as long as the player is in an area."""
        rising = self.system.rising
        # the usual case, at no cost: what a link asks for never becomes false again
        if all(rising.for_good(atom) for clause in link for atom in clause):
            return True
        # otherwise every step that is made in the area, or that may lead there, has to leave it
        # open
        stays, sources = self.afterwards.stays, list[Sequence[Change]]()
        for start in (area, *self.before(area), None):
            for (number, targets), clauses in self.here.get(start, {}).items():
                guard = parts_of(self.all[number].guard)
                for step in self._ending(number, targets, area, stays=start in (area, None)):
                    # what happens by itself is asked about too, but only as far as these steps
                    # can set it off
                    sources.append(step.changes)
                    # what leads here from elsewhere is looked at by itself
                    if start in (area, None) and not all(
                        stays(link, (*known, *clause, *guard), step.changes)
                        for known in link
                        for clause in clauses
                    ):
                        return False
        return all(
            stays(link, (*known, *parts_of(settler.guard)), settler.changes)
            for settler in settlers_after(self.system.settlers, sources)
            for known in link
        )

    def _ending(self, number: int, targets: Targets, area: int, stays: bool) -> list[Step]:
        """The steps of a rule that lead into an area, or that may stay there."""
        # a step that goes nowhere for sure may stay where it begins
        ends = (None, area) if stays else (area,)
        steps = self.all[number].move.steps
        return [s for s, target in zip(steps, targets, strict=True) if target in ends]

    def arrives(self, key: Key, clauses: Clauses, area: int, link: Clauses) -> bool:
        """Whether a link is open for sure after a rule that leads into an area."""
        number, targets = key
        rule = self.all[number]
        own = frozenset((frozenset(parts_of(rule.guard)),))
        # known before the step: what the rule asks for here, and its own guard
        whole = both_of(clauses, own)
        if whole is None:
            return False
        return all(
            self.afterwards.stays(link, clause, step.changes)
            for step in self._ending(number, targets, area, stays=False)
            for clause in whole
        )

    def before(self, area: int) -> list[int | None]:
        """From where moves may lead into an area."""
        # in one order everywhere, so that the same world becomes the same system
        left = self.into.get(area, set()) - {area} - self.folded.keys()
        return sorted(left, key=lambda a: -1 if a is None else a)

    def _walk(self, start: int, end: int) -> Clauses:
        """What has to hold for walking from one area to another; `NEVER` if it is too much."""
        # any of several ways will do; too many clauses count as none, which is safe
        path: Clauses | None = NEVER
        for (number, targets), clauses in self.here.get(start, {}).items():
            if targets == (end,) and self.all[number].walks and path is not None:
                path = either_of(path, clauses)
        return NEVER if path is None else path
