"""What can be added up: how often an operator takes place at most, and what that makes of amounts.

An operator that changes a variable for good, so that nothing leads back to the values which it asks
for, takes place once; one that counts a stock down, or the blows of a fight up, as often as there
are values on its way. An amount that only such operators add to never has more than they give
together, however many values it seems to have where nothing is ever taken away.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from msgspec import Struct

from zubrel.compiled.operators import Compiled, Domains, Effect, Gain, Operator, Operators
from zubrel.compiled.parts import ENDING, PLACE, Change, Operation
from zubrel.compiled.possible import ALWAYS, places_of

MOST_FOLLOWED = 128
"""Values of a variable up to which it is found out from which of them none leads back."""
ENDLESS = 1 << 30
SUMS = (Operation.ADD, Operation.ADD_UP_TO_END)


class Adding(Struct, frozen=True):
    """An operator adds to a variable, in a play so many at most."""

    variable: int
    most: int


class Additions:
    """What the operators of a system add up to."""

    def __init__(self, system: Compiled, operators: Operators) -> None:
        self.system = system
        self.operators = operators
        self._closures: dict[int, list[int]] = {}
        self._longest_known: dict[tuple[int, Change, int], int] = {}

    @cached_property
    def by_operator(self) -> dict[int, list[Adding]]:
        """By operator what it adds to variables that something adds to only so often."""
        of_family: dict[tuple[int, int], int] = {}
        adds: dict[int, list[int]] = {}
        for number, operator in enumerate(self.operators.all):
            for effect in operator.effects:
                domain = self.system.variables[effect.variable]
                if domain.size <= 2 or effect.variable in (PLACE, ENDING):
                    continue
                changes = [change for change, _ in effect.changes]
                count = sum(max(0, c.number) for c in changes if c.operation in SUMS)
                # what sets an amount is not added up: it may set it anew
                sets = any(c.operation is Operation.SET and c.number > domain.low for c in changes)
                plain = all(c.operation in SUMS for c in changes)
                if count or sets:
                    most = min(ENDLESS, count * self.times[number]) if plain else ENDLESS
                    key = self.family[number], effect.variable
                    # of a family that gives more or less the most
                    of_family[key] = max(most, of_family.get(key, 0))
                    adds.setdefault(number, []).append(effect.variable)
        every = {
            number: [Adding(v, of_family[self.family[number], v]) for v in variables]
            for number, variables in adds.items()
        }
        capped = {a.variable for adding in every.values() for a in adding if a.most < ENDLESS}
        kept = {n: [a for a in adding if a.variable in capped] for n, adding in every.items()}
        return {n: adding for n, adding in kept.items() if adding}

    @cached_property
    def capped(self) -> frozenset[int]:
        """The variables for which it is known how much some operator adds at most."""
        return frozenset(a.variable for adding in self.by_operator.values() for a in adding)

    @cached_property
    def adders(self) -> dict[int, list[int]]:
        """By variable the operators that add to it."""
        adders: dict[int, list[int]] = {}
        for number, adding in self.by_operator.items():
            for one in adding:
                adders.setdefault(one.variable, []).append(number)
        return adders

    @property
    def times(self) -> list[int]:
        """How often each operator takes place at most, together with all others of its family."""
        return self._families[0]

    @property
    def family(self) -> list[int]:
        """Of each operator a number that is the same for all that can stand for each other.

        They are the alternatives to one, and others that make the same change of the variable which
        tells how often: whoever has beaten the warden with the crow does not beat him with the
        hawk.
        """
        return self._families[1]

    @cached_property
    def _families(self) -> tuple[list[int], list[int]]:
        groups: dict[int, list[Operator]] = {}
        for operator in self.operators.all:
            groups.setdefault(operator.group, []).append(operator)
        by_change: dict[tuple[int, Change], list[int]] = {}
        times: dict[int, int] = {}
        family = {group: group for group in groups}
        for group, alternatives in groups.items():
            # by itself, how often a group may happen before its own guard stops it
            times[group], effect = self._times_of(alternatives)
            if effect is not None:
                by_change.setdefault((effect.variable, effect.changes[0][0]), []).append(group)
        for (variable, _), sharing in by_change.items():
            members = [o for group in sharing for o in groups[group]]
            effect = next(e for e in members[0].effects if e.variable == variable)
            longest = self._longest(effect, _allowed(members, variable))
            # what several moves add to one amount ends where the amount does, whichever of them it
            # is that adds: one bound for all of them together
            if longest < ENDLESS:
                for group in sharing:
                    times[group], family[group] = longest, sharing[0]
        numbers = [operator.group for operator in self.operators.all]
        return [times[group] for group in numbers], [family[group] for group in numbers]

    def _times_of(self, alternatives: Sequence[Operator]) -> tuple[int, Effect | None]:
        """How often alternatives take place together, and the effect that tells it, if it is one.

        All of them make the same changes. Where each changes some variable so that nothing leads
        back to what it asks for itself, none is possible after any of them, even if these variables
        differ. More often than once is told of a single variable that all of them change.
        """
        # a change that one of them may not make keeps none of the others from following it
        surely = set.intersection(
            *({e.variable for e in o.effects if _is_plain(e)} for o in alternatives)
        )
        effects = [e for e in alternatives[0].effects if e.variable in surely]
        known = [(self._longest(e, _allowed(alternatives, e.variable)), e) for e in effects]
        best = min(known, key=lambda k: k[0], default=(ENDLESS, None))
        if best[0] < ENDLESS:
            return best
        # no single variable tells it of all alternatives, but each of them may shut itself off
        once = all(
            any(self._longest(e, o.allowed.get(e.variable, -1)) == 1 for e in effects)
            for o in alternatives
        )
        return 1 if once else ENDLESS, None

    def _longest(self, effect: Effect, allowed: int) -> int:
        """How often an effect can be made one after the other, from values that are `allowed`
        (-1: from all that there are)."""
        variable, change = effect.variable, effect.changes[0][0]
        # what may be made from every value has no last time, and long counters take too long to
        # follow
        if allowed < 0 or self.system.variables[variable].size > MOST_FOLLOWED:
            return ENDLESS
        # many operators make the same change from the same values: a spent key, a blow
        key = variable, change, allowed
        if key not in self._longest_known:
            self._longest_known[key] = self._longest_chain(variable, change, allowed)
        return self._longest_known[key]

    def _longest_chain(self, variable: int, change: Change, allowed: int) -> int:
        # whatever else moves the variable may bring it back in between, so that closures count, not
        # moves
        closures = self._closures_of(variable)
        longest: dict[int, int] = {}

        def from_here(place: int) -> int:
            if place not in longest:
                following = closures[self._moved(change, 1 << place).bit_length() - 1] & allowed
                # whoever can come back to where it was made can make it without end
                longest[place] = (
                    ENDLESS
                    if following >> place & 1
                    else 1 + max((from_here(after) for after in places_of(following)), default=0)
                )
            return longest[place]

        return min(ENDLESS, max((from_here(place) for place in places_of(allowed)), default=0))

    def _closures_of(self, variable: int) -> list[int]:
        """For each value of a variable, by its place: the values that it may come to have."""
        if variable in self._closures:
            return self._closures[variable]
        size = self.system.variables[variable].size
        leads = [1 << place for place in range(size)]
        for allowed, changes in self._writers.get(variable, ()):
            for place in range(size):
                if allowed >> place & 1:
                    leads[place] |= self._results(changes, place)
        # transitive closure (Warshall: A theorem on Boolean matrices, 1962), a row a mask; domains
        # are small here (`MOST_FOLLOWED`)
        for through in range(size):
            for place in range(size):
                if leads[place] >> through & 1:
                    leads[place] |= leads[through]
        self._closures[variable] = leads
        return leads

    @cached_property
    def _writers(self) -> dict[int, dict[tuple[int, tuple[Change, ...]], None]]:
        """By variable the values from which something changes it, and how; none twice."""
        writers: dict[int, dict[tuple[int, tuple[Change, ...]], None]] = {}
        for operator in self.operators.all:
            for effect in operator.effects:
                allowed = operator.allowed.get(effect.variable, -1)
                changes = tuple(change for change, _ in effect.changes)
                writers.setdefault(effect.variable, {})[allowed, changes] = None
        return writers

    def _results(self, changes: Sequence[Change], place: int) -> int:
        """The values to which changes may lead from one value, some of them not made."""
        places = 1 << place
        for change in changes:
            places |= self._moved(change, places)
        return places

    def _moved(self, change: Change, places: int) -> int:
        """The values that a change makes of some, all of them as a set of places."""
        domain = self.system.variables[change.variable]
        match change.operation:
            # from wherever it was
            case Operation.SET:
                return 1 << change.number - domain.low
            case Operation.FLIP:
                return sum(1 << domain.size - 1 - place for place in places_of(places))
        # sums are shifts of the set: all values are moved at once
        if change.number >= 0:
            # what would be above the last value stops at it
            moved = places << change.number
            beyond = moved >> domain.size
            return moved & (1 << domain.size) - 1 | (1 << domain.size - 1 if beyond else 0)
        below = places & (1 << -change.number) - 1
        return places >> -change.number | (1 if below else 0)


def _allowed(operators: Sequence[Operator], variable: int) -> int:
    """The values of a variable that any of some operators asks for (-1: one asks for none)."""
    allowed = 0
    for operator in operators:
        allowed |= operator.allowed.get(variable, -1)
    return allowed


def _is_plain(effect: Effect) -> bool:
    """Whether an effect is one change that is always made, of anything but where one stands."""
    return effect.variable != PLACE and len(effect.changes) == 1 and effect.changes[0][1] == ALWAYS


class Sums:
    """What has been added up on the way to one fixpoint."""

    def __init__(self, additions: Additions, start: Domains) -> None:
        self.additions = additions
        # what is there at first counts in full
        self.most = {v: start[v].bit_length() - 1 for v in additions.capped}
        self._counted: set[tuple[int, int]] = set()

    def apply(
        self,
        number: int,
        adding: Sequence[Adding],
        domains: Domains,
        after: Domains,
        out: list[Gain],
    ) -> list[int]:
        """Apply operator `number` to `domains`, and add to `after` no more than adds up.

        `adding` is what `by_operator` says of it. What is new goes to `out` as from any operator,
        though not all of it need be left in `after`; the operators that may now add more come back.
        """
        additions = self.additions
        before = [after[one.variable] for one in adding]
        known = len(out)
        additions.operators.run[number](domains, after, out)
        # what brings nothing new may be possible all the same, and counts then
        possible = len(out) > known or additions.operators.is_possible(number, domains)
        woken: list[int] = []
        family = additions.family[number]
        for one, old in zip(adding, before, strict=True):
            variable = one.variable
            if possible and (family, variable) not in self._counted:
                self._counted.add((family, variable))
                self.most[variable] = min(ENDLESS, self.most[variable] + one.most)
                woken += additions.adders[variable]
            if self.most[variable] < ENDLESS:
                # what an adder gives so often cannot be given more often, whatever the sets say
                fitting = (1 << self.most[variable] + 1) - 1
                after[variable] = old | (after[variable] & fitting)
        return woken
