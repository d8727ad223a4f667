"""Wins found by making bad endings impossible first.

A debt that is due on a certain day, a fever that kills by the evening: plans think that there is
time for everything, and searches that follow them are left with a hundred ways to be late. Where a
bad ending asks for something that can be denied for good, that is done before anything else.
"""

from __future__ import annotations

from zubrel.certain.rooms import Room
from zubrel.certain.wins import Path, Seeker, WinSearch
from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import Within
from zubrel.compiled.possible import Among, mask_of, places_of

FEW = 16
"""Values of a variable that are looked at one by one; of more, all that deny it or none."""


class SafeSearch:
    """A search for a play to where no bad ending of some is left, and from there to a win."""

    def __init__(
        self, seeker: Seeker, start: Room, denials: list[Among], new_first: bool = False
    ) -> None:
        """`denials`, as `denials_of` tells them, are come to one after the other."""
        self.seeker = seeker
        self.denials = list(denials)
        self.new_first = new_first
        self.path: Path = []
        """The way to where the search has come to by now."""
        self.search = self._next_from(start)

    def run(self) -> Path | None:
        """A way to a win; None where a search that it takes has met all that it can.

        Raises what `spend` does, and goes on from there when it is called again.
        """
        while True:
            path = self.search.run()
            if path is None:
                return None
            self.path += path
            target = self.path[-1].target
            if self.seeker.rooms.is_won(target):
                return self.path
            self.search = self._next_from(self.seeker.rooms.room(target))

    def _next_from(self, room: Room) -> WinSearch:
        values = self.seeker.domains(room.name)
        while self.denials:
            denial = self.denials.pop(0)
            # one may have come true on the way to another
            if not values[denial.variable] & denial.mask:
                return WinSearch(self.seeker, room, denial, self.new_first)
        return WinSearch(self.seeker, room, new_first=self.new_first)


def denials_of(seeker: Seeker) -> list[Among]:
    """Of each bad ending that asks for it, values of a variable with which it never comes any more.

    Those that the start has already are left out.
    """
    rooms, now = seeker.rooms, seeker.domains(seeker.rooms.start())
    denials = list[Among]()
    for formula, number in seeker.system.endings:
        if number in rooms.good:
            continue
        parts = [part for part in parts_of(formula) if isinstance(part, Within)]
        found = [denial for denial in (_denial(seeker, part) for part in parts) if denial]
        # one part that is denied denies the whole
        if not any(now[denial.variable] & denial.mask for denial in found):
            denials += [denial for denial in found[:1] if denial not in denials]
    return denials


def _denial(seeker: Seeker, part: Within) -> Among | None:
    """The values that deny a test for good, as sets of values tell; None: there are none."""
    variable = seeker.system.variables[part.variable]
    asked = mask_of(variable, part.low, part.high)
    among = seeker.system.possible_values[part.variable] & ~asked
    if not among:
        return None
    if _stays(seeker, part.variable, among, asked):
        return Among(part.variable, among)
    each = [1 << place for place in places_of(among)]
    if len(each) > FEW:
        return None
    lasting = sum(mask for mask in each if _stays(seeker, part.variable, mask, asked))
    return Among(part.variable, lasting) if lasting else None


def _stays(seeker: Seeker, variable: int, mask: int, asked: int) -> bool:
    """Whether a variable with values of a mask never has one that is asked for again."""
    domains = list(seeker.system.possible_values)
    domains[variable] = mask
    return not seeker.relaxation.future(domains)[variable] & asked
