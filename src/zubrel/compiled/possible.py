"""Formulas over sets of values: whether a formula may hold where each variable has one of some.

A set of values is a number with a bit for each value, the lowest value being bit 0. What is said is
never too little: a formula that holds for some choice of values is *possible*. It may be too much,
because the values are chosen one by one and not together.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from zubrel.compiled.formulas import (
    AtLeast,
    Both,
    Either,
    Formula,
    Load,
    Opposite,
    Within,
)
from zubrel.compiled.parts import Variable

MOST_CLAUSES = 12
"""A guard with more alternatives than this is taken as one."""


class Among(Struct, frozen=True):
    """A variable has one of the values of a mask, which are not all that it can have."""

    variable: int
    mask: int


class Every(Struct, frozen=True):
    """All parts are possible; without parts, always."""

    parts: tuple[Possible, ...]


class AnyPossible(Struct, frozen=True):
    """Some part is possible; without parts, never."""

    parts: tuple[Possible, ...]


class Count(Struct, frozen=True):
    """At least `count` of the parts are possible."""

    count: int
    parts: tuple[Possible, ...]


class Weight(Struct, frozen=True):
    """The values and the marks are at most so many together, or (`denied`) more."""

    load: Load
    denied: bool


Possible = Among | Every | AnyPossible | Count | Weight
ALWAYS, NEVER = Every(()), AnyPossible(())


class Clause(Struct, frozen=True):
    """A conjunction: by variable the values that it allows, and what is no test of one variable."""

    allowed: dict[int, int]
    others: tuple[Possible, ...]


class Masks:
    """Turns formulas of a system into what may hold of sets of values."""

    def __init__(self, variables: Sequence[Variable]) -> None:
        self.variables = variables
        self.full = [(1 << v.size) - 1 for v in variables]

    def of(self, formula: Formula, denied: bool = False) -> Possible:
        """A formula, or its opposite, with all denials moved down to the tests."""
        match formula:
            case Within(variable, low, high):
                return self._among(variable, low, high, denied)
            case Opposite(part):
                return self.of(part, not denied)
            case Both(parts) | Either(parts):
                inner = [self.of(p, denied) for p in parts]
                # the opposite of a conjunction is a disjunction of opposites, and the other way
                # round
                return self.every(inner) if isinstance(formula, Both) != denied else any_of(inner)
            case AtLeast(count, parts):
                # not at least k of n: at least n - k + 1 of the opposites
                needed = len(parts) - count + 1 if denied else count
                return _count(needed, [self.of(p, denied) for p in parts])
            case Load():
                return Weight(formula, denied)

    def _among(self, variable: int, low: int, high: int, denied: bool) -> Possible:
        mask = mask_of(self.variables[variable], low, high)
        return self.among(variable, self.full[variable] & ~mask if denied else mask)

    def among(self, variable: int, mask: int) -> Possible:
        """That a variable has one of some values."""
        if not mask:
            return NEVER
        return ALWAYS if mask == self.full[variable] else Among(variable, mask)

    def every(self, parts: Iterable[Possible]) -> Possible:
        """All of some parts; tests of the same variable are one."""
        # one mask a variable: a conjunction that excludes itself is found out at once
        allowed: dict[int, int] = {}
        # in the order in which they came, each once
        others: dict[Possible, None] = {}
        for part in _flat(parts, Every):
            if part == NEVER:
                return NEVER
            if isinstance(part, Among):
                known = allowed.get(part.variable, self.full[part.variable]) & part.mask
                if not known:
                    return NEVER
                allowed[part.variable] = known
            else:
                others[part] = None
        every = (*(Among(v, m) for v, m in allowed.items()), *others)
        return every[0] if len(every) == 1 else Every(every)

    def clauses(self, possible: Possible) -> list[Clause]:
        """The alternatives of which one suffices; a single one where they are too many."""
        alternatives = self._alternatives(possible)
        if alternatives is not None:
            return alternatives
        parts = possible.parts if isinstance(possible, Every) else (possible,)
        plain = {p.variable: p.mask for p in parts if isinstance(p, Among)}
        return [Clause(plain, tuple(p for p in parts if not isinstance(p, Among)))]

    def _alternatives(self, possible: Possible) -> list[Clause] | None:
        match possible:
            case Among(variable, mask):
                return [Clause({variable: mask}, ())]
            case AnyPossible(parts):
                clauses: list[Clause] = []
                for part in parts:
                    more = self._alternatives(part)
                    # so many would cost more than they tell
                    if more is None or len(clauses) + len(more) > MOST_CLAUSES:
                        return None
                    clauses += more
                return clauses
            case Every(parts):
                clauses = [Clause({}, ())]
                for part in parts:
                    more = self._alternatives(part)
                    if more is None:
                        return None
                    # a clause that asks for two values at once is none
                    joined = (self._joined(a, b) for a in clauses for b in more)
                    clauses = [clause for clause in joined if clause is not None]
                    if len(clauses) > MOST_CLAUSES:
                        return None
                return clauses
        return [Clause({}, (possible,))]

    def _joined(self, one: Clause, other: Clause) -> Clause | None:
        """Both of two clauses; None where they contradict each other."""
        allowed = dict(one.allowed)
        for variable, mask in other.allowed.items():
            allowed[variable] = allowed.get(variable, self.full[variable]) & mask
            if not allowed[variable]:
                return None
        return Clause(allowed, (*one.others, *other.others))

    def holds(self, possible: Possible, domains: Sequence[int]) -> bool:
        """Whether it is possible where each variable has one of the values of its set."""
        return bool(eval(self.code(possible), {}, {"d": domains}))

    # as expressions over `d`, the sets of values of all variables

    def code(self, possible: Possible) -> str:
        """An expression that is true where it is possible."""
        match possible:
            case Among(variable, mask):
                # hexadecimal: Python refuses to write long numbers as decimals
                return f"d[{variable}]&{mask:#x}"
            case Every(parts):
                return " and ".join(f"({self.code(p)})" for p in parts) or "True"
            case AnyPossible(parts):
                return " or ".join(f"({self.code(p)})" for p in parts) or "False"
            case Count(count, parts):
                total = "+".join(f"(1 if {self.code(p)} else 0)" for p in parts) or "0"
                return f"({total})>={count}"
            # a load is too heavy if the most that it may weigh is
            case Weight(load, True):
                most = [f"(d[{v}].bit_length()-1)" for v in load.variables]
                most += [f"(1 if {self.code(self.of(m))} else 0)" for m in load.marks]
                return f"({'+'.join(most) or 0})>{load.high}"
            case Weight(load):
                return f"({self.least(load)})<={load.high}"

    def least(self, load: Load, without: int | None = None) -> str:
        """An expression for the least that a load can come to, `without` one of its variables."""
        parts = [
            f"((d[{v}]&-d[{v}]).bit_length()-1)" for v in load.variables if v != without
        ]  # the lowest value of a load's variable is 0
        parts += [f"(0 if {self.code(self.of(m, True))} else 1)" for m in load.marks]
        return "+".join(parts) or "0"


def mask_of(domain: Variable, low: int, high: int) -> int:
    """The values of a variable from `low` to `high`, as far as it can have them, as a set."""
    first, last = max(low, domain.low) - domain.low, min(high, domain.high) - domain.low
    return (1 << last + 1) - (1 << first) if last >= first else 0


def any_of(parts: Iterable[Possible]) -> Possible:
    """One of some parts."""
    choices = tuple(dict.fromkeys(p for p in _flat(parts, AnyPossible)))
    if ALWAYS in choices:
        return ALWAYS
    return choices[0] if len(choices) == 1 else AnyPossible(choices)


def _count(count: int, parts: Sequence[Possible]) -> Possible:
    surely = sum(p == ALWAYS for p in parts)
    left = tuple(p for p in parts if p not in (ALWAYS, NEVER))
    if count <= surely:
        return ALWAYS
    return NEVER if count - surely > len(left) else Count(count - surely, left)


def _flat(parts: Iterable[Possible], kind: type[Every] | type[AnyPossible]) -> Iterator[Possible]:
    for part in parts:
        if isinstance(part, kind):
            yield from _flat(part.parts, kind)
        else:
            yield part


def variables_of(possible: Possible) -> Iterator[int]:
    """The variables that decide whether it is possible."""
    match possible:
        case Among(variable):
            yield variable
        case Every(parts) | AnyPossible(parts) | Count(_, parts):
            for part in parts:
                yield from variables_of(part)
        case Weight(load):
            yield from load.variables
            yield from (mark.variable for mark in load.marks)


def places_of(mask: int) -> list[int]:
    """The places of the values of a set, from the least."""
    if not mask:
        return []
    least = (mask & -mask).bit_length() - 1
    if mask.bit_length() == least + 1:
        return [least]  # most often it is one value
    # one pass over the digits: a shift for each value would take the square of their number
    digits = bin(mask >> least)[:1:-1]
    return [least + place for place, digit in enumerate(digits) if digit == "1"]
