"""All that can change a situation, as functions on sets of values.

A step, something that happens by itself and an ending are alike here: each alternative of what one
of them asks for is an *operator*, which adds values to sets and takes none away. What a move can
lead to is then always among the values that operators lead to (the delete relaxation of planning:
Bonet, Geffner: Planning as heuristic search, 2001, for variables of many values).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from copy import copy
from typing import Protocol

from msgspec import Struct

from zubrel.checked.world import World
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import (
    ENDING,
    PLACE,
    Change,
    Move,
    Operation,
    Settler,
    Step,
    Variable,
    wins_of,
)
from zubrel.compiled.possible import (
    NEVER,
    Among,
    Every,
    Masks,
    Possible,
    Weight,
    places_of,
    variables_of,
)

Domains = list[int]
"""For each variable the set of values that it may have."""
Gain = tuple[int, int, int]
"""A variable, values of it that are new, and the operator that has brought them."""


class Effect(Struct, frozen=True):
    """The changes of one variable in their order, each where it may be made."""

    variable: int
    changes: tuple[tuple[Change, Possible], ...]


class Operator(Struct, frozen=True):
    """One alternative of a step (None: of what happens by itself).

    `group` is the same for all alternatives of one source. `allowed` are the values that it asks
    for, `others` what else it asks for. `wins`: it may end the game well.
    """

    step: Step | None
    group: int
    allowed: dict[int, int]
    others: tuple[Possible, ...]
    effects: tuple[Effect, ...]
    wins: bool
    reads: frozenset[int]

    @property
    def walks(self) -> bool:
        """Whether all it does is to move the player."""
        return self.step is not None and all(e.variable == PLACE for e in self.effects)


class Compiled(Protocol):
    """What has to be known of a system: all of it but what follows."""

    @property
    def world(self) -> World: ...

    @property
    def variables(self) -> Sequence[Variable]: ...

    @property
    def moves(self) -> Sequence[Move]: ...

    @property
    def settlers(self) -> Sequence[Settler]: ...

    @property
    def endings(self) -> Sequence[tuple[Formula, int]]: ...


class Operators:
    """The operators of a system. `run[n](d, e, out)` applies number n to `d` and adds to `e`.

    What is new in `e` is appended to `out` as `Gain`s.
    """

    def __init__(self, system: Compiled) -> None:
        self.system = system
        self.masks = Masks(system.variables)
        self.good = sum(1 << n for n in wins_of(system.world))
        """The endings that are wins, as values."""
        self.all: list[Operator] = []
        # alternatives of one guard belong together: only one of them takes place at a time
        self._groups = 0
        for move in system.moves:
            for step in move.steps:
                self._add(step, move.guard, move.areas, step.changes)
        # what happens by itself and endings are operators like moves: a play meets them all
        self.of_settler: list[range] = []
        for settler in system.settlers:
            first = len(self.all)
            self._add(None, settler.guard, None, settler.changes)
            self.of_settler.append(range(first, len(self.all)))
        for formula, number in system.endings:
            self._add(None, formula, None, (Change(ENDING, Operation.SET, number),))
        self.of_step: dict[int, list[int]] = {}
        for number, operator in enumerate(self.all):
            if operator.step is not None:
                self.of_step.setdefault(operator.step.number, []).append(number)
        self.watching: list[list[int]] = [[] for _ in system.variables]
        """For each variable the operators for which its values matter."""
        self._of_area: list[list[int]] = [[] for _ in range(system.variables[PLACE].size)]
        """For each area the operators that ask where the player is, and are possible there."""
        self._anywhere: list[int] = []
        """Those that ask for no area, or for areas beside other things that they count."""
        for number, operator in enumerate(self.all):
            # most operators ask where the player is: when an area is new, those of other areas stay
            # asleep
            for variable in operator.reads:
                self.watching[variable].append(number)
            beyond = _asked_of_others(operator.others, operator.effects)
            if PLACE in operator.allowed and PLACE not in beyond:
                for area in places_of(operator.allowed[PLACE]):
                    self._of_area[area].append(number)
            else:
                self._anywhere.append(number)
        self._asking_for_areas = [n for n in self._anywhere if PLACE in self.all[n].reads]
        # last: the functions are written from all that stands above
        self.run = self._functions()

    def without(self, numbers: Iterable[int]) -> Operators:
        """The same operators by the same numbers, of which some bring nothing."""
        fewer = copy(self)
        fewer.run = list(self.run)
        for number in numbers:
            fewer.run[number] = _bring_nothing
        return fewer

    def due_at(self, domains: Domains) -> list[int]:
        """Numbers of the operators that may be possible in sets of values, as to their areas."""
        # an area more would wake nearly all operators otherwise, and there are hundreds of areas
        due = self._anywhere + self._of_areas(domains[PLACE])
        return sorted(set(due))

    def woken_by(self, variable: int, new: int) -> list[int]:
        """Numbers of the operators for which new values of a variable may matter."""
        if variable != PLACE:
            return self.watching[variable]
        return self._asking_for_areas + self._of_areas(new)

    def _of_areas(self, areas: int) -> list[int]:
        return [number for area in places_of(areas) for number in self._of_area[area]]

    def is_possible(self, number: int, domains: Domains) -> bool:
        """Whether an operator is possible, and changes something, somewhere in sets of values."""
        gained: list[Gain] = []
        self.run[number](domains, [0] * len(domains), gained)
        return bool(gained)

    def _add(
        self,
        step: Step | None,
        guard: Formula,
        areas: Sequence[int] | None,
        changes: Sequence[Change],
    ) -> None:
        masks, self._groups = self.masks, self._groups + 1
        parts = [masks.of(guard), masks.among(ENDING, 1)]  # nothing happens any more at the end
        # a rule may be tried in its areas only, which its guard does not say
        if areas is not None:
            parts.append(masks.among(PLACE, sum(1 << area for area in areas)))
        # an operator asks single variables for values: a guard with alternatives is several of them
        for clause in masks.clauses(masks.every(parts)):
            effects = self._effects(changes, clause.allowed)
            # what changes nothing brings no new values
            if not effects:
                continue
            wins = any(
                e.variable == ENDING
                and any(
                    c.operation is Operation.SET and self.good >> c.number & 1 for c, _ in e.changes
                )
                for e in effects
            )
            read = clause.allowed.keys() | _asked_of_others(clause.others, effects)
            for effect in effects:
                # what a sum makes depends on what was there before
                if any(c.operation is not Operation.SET for c, _ in effect.changes):
                    read.add(effect.variable)
            self.all.append(
                Operator(
                    step,
                    self._groups,
                    clause.allowed,
                    clause.others,
                    effects,
                    wins,
                    frozenset(read),
                )
            )

    def _effects(self, changes: Iterable[Change], allowed: dict[int, int]) -> tuple[Effect, ...]:
        by_variable: dict[int, list[tuple[Change, Possible]]] = {}
        for change in changes:
            when = self._given(self.masks.of(change.when), allowed)
            if when != NEVER:
                by_variable.setdefault(change.variable, []).append((change, when))
        return tuple(Effect(v, tuple(made)) for v, made in by_variable.items())

    def _given(self, possible: Possible, allowed: dict[int, int]) -> Possible:
        """What is left to ask, where variables have values that are allowed."""
        match possible:
            # what the masks of a clause decide already need not be asked again
            case Among(variable, mask) if variable in allowed:
                known = allowed[variable]
                if not known & mask:
                    return NEVER
                return possible if known & ~mask else Every(())
            case Every(parts):
                return self.masks.every(self._given(p, allowed) for p in parts)
        return possible

    # written out

    def _functions(self) -> list[Callable[[Domains, Domains, list[Gain]], None]]:
        sources = [self._source(number, operator) for number, operator in enumerate(self.all)]
        scope: dict[str, Callable[[Domains, Domains, list[Gain]], None]] = {}
        exec(compile("\n".join(sources), "<operators>", "exec"), scope)
        return [scope[f"f{number}"] for number in range(len(self.all))]

    def _source(self, number: int, operator: Operator) -> str:
        asked = (*(Among(v, m) for v, m in operator.allowed.items()), *operator.others)
        lines = [f"def f{number}(d, e, out):", f" if not ({self.masks.code(Every(asked))}): return"]
        for effect in operator.effects:
            variable = effect.variable
            # the values before: those that are allowed, as far as they are reached
            lines.append(f" s = d[{variable}] & {operator.allowed.get(variable, -1):#x}")
            for part in operator.others:
                if isinstance(part, Weight) and not part.denied and variable in part.load.variables:
                    # what the others weigh at least leaves so much room for this one
                    left = f"{part.load.high} - ({self.masks.least(part.load, variable)})"
                    lines.append(f" s &= (1 << max(0, {left} + 1)) - 1")
            for change, when in effect.changes:
                shifted = self._shifted(change)
                if when == Every(()):
                    lines.append(f" s = {shifted}")
                else:
                    lines.append(f" if {self.masks.code(when)}: s |= {shifted}")
            lines += [
                # only new values are told: everything that waits for them is woken once
                f" n = s & ~e[{variable}]",
                f" if n: e[{variable}] |= n; out.append(({variable}, n, {number}))",
            ]
        return "\n".join(lines)

    def _shifted(self, change: Change) -> str:
        """An expression for the values to which those in `s` are changed."""
        domain, full = self.system.variables[change.variable], self.masks.full[change.variable]
        number, last = change.number, domain.size - 1
        match change.operation:
            case Operation.SET:
                return f"({1 << number - domain.low:#x} if s else 0)"
            case Operation.FLIP:
                return "((s & 1) << 1 | s >> 1)"
            case Operation.ADD:
                # a sum beyond the domain is no sum: the guard has seen to it
                return f"((s << {number}) & {full:#x})" if number >= 0 else f"(s >> {-number})"
        # a sum that stops at the end: what fits is shifted, and all else is the last value
        if number >= 0:
            fits = (1 << max(0, last - number + 1)) - 1
            at_end = f"({1 << last:#x} if s & {full & ~fits:#x} else 0)"
            return f"((s & {fits:#x}) << {min(number, last)} | {at_end})"
        # downwards the other way round, to the lowest
        lower = min(-number, last)
        cut = (1 << lower + 1) - 1
        return f"((s & {full & ~cut:#x}) >> {lower} | (1 if s & {cut:#x} else 0))"


def _asked_of_others(others: Iterable[Possible], effects: Iterable[Effect]) -> set[int]:
    """The variables of what an operator asks beside allowed values, for all or some changes."""
    whens = (when for effect in effects for _, when in effect.changes)
    return {v for possible in (*others, *whens) for v in variables_of(possible)}


def _bring_nothing(domains: Domains, extended: Domains, gained: list[Gain]) -> None:
    """An operator that is never possible."""
