"""Formulas -> conditions of the world, as far as the language has words for them."""

from __future__ import annotations

from collections.abc import Callable

from zubrel.checked.conditions import (
    ALWAYS,
    All,
    Any,
    At,
    Beaten,
    Cond,
    CountOf,
    DealtAt,
    FactIs,
    GoalMet,
    HitOff,
    Holds,
    InStock,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    Term,
    Total,
)
from zubrel.checked.keys import UNDEALT
from zubrel.compiled.formulas import AtLeast, Both, Either, Formula, Load, Opposite, Within
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System

Compared = Callable[[str, int], Cond]
MARKS = ("visited", "taken", "done", "met")


def as_condition(system: System, formula: Formula) -> Cond | None:
    """The condition that holds exactly where a formula does; None where none can be written."""
    match formula:
        case Both(parts) | Either(parts) | AtLeast(_, parts):
            # part by part: the language has the same connectives
            conditions = [as_condition(system, p) for p in parts]
            known = tuple(c for c in conditions if c is not None)
            # half of a condition would claim something else
            if len(known) < len(parts):
                return None
            match formula:
                case Both():
                    return All(known)
                case Either():
                    return Any(known)
            return CountOf(formula.count, known)
        case Opposite(part):
            # a denial has words wherever the thing itself has
            denied = as_condition(system, part)
            return None if denied is None else Not(denied)
        case Load():
            return _of_load(system, formula)
        case Within():
            return _of_test(system, formula)


def _of_load(system: System, load: Load) -> Cond | None:
    """A sum of amounts and meters; None for what can be carried or stored, which has words."""
    # the language can add amounts and meters, and nothing else
    keys = [system.variables[v].key for v in load.variables]
    lows: dict[int, list[int]] = {}
    for mark in load.marks:
        lows.setdefault(mark.variable, []).append(mark.low)
    most = load.high
    # a meter in a sum was written as marks, one for each value: taken together again here
    for variable, low in lows.items():
        domain = system.variables[variable]
        # one mark for each value above the lowest: they count how far it is above
        if sorted(low) != list(range(domain.low + 1, domain.high + 1)):
            return None
        keys.append(domain.key)
        most += domain.low
    # what a limit on carrying says is told as that limit, not as a sum
    held = {subject for kind, subject in keys if kind == "held"}
    if any(held == set(carry.items) for carry in system.world.carries):
        return None
    if not all(kind in ("held", "meter") for kind, _ in keys):
        return None
    return Total(tuple(Term(1, kind, subject) for kind, subject in keys), "<=", most)


def _of_test(system: System, test: Within) -> Cond | None:
    variable = system.variables[test.variable]
    # a test of all values asks for nothing
    if test.low <= variable.low and test.high >= variable.high:
        return ALWAYS
    kind, subject = variable.key
    values = range(test.low, test.high + 1)
    if test.variable == PLACE:
        return _standing(variable.names, values)
    if test.variable == ENDING:
        return None
    match kind:
        case "held":
            return _amount(test, variable.low, variable.high, lambda o, n: Holds(subject, o, n))
        case "meter":
            return _amount(test, variable.low, variable.high, lambda o, n: Level(subject, o, n))
        case "stored":
            store, item = subject.split()
            return _amount(
                test, variable.low, variable.high, lambda o, n: Stored(store, item, o, n)
            )
        case "fact":
            return _any([FactIs(subject, n) for n in values])
        case "quest":
            return _any([QuestIs(subject, n) for n in values])
        case "lies":
            return _lying(LiesAt, subject, variable.names, values)
        case "dealt":
            return _lying(DealtAt, subject, variable.names, values)
    return _of_progress(system, test, kind, subject)


def _of_progress(system: System, test: Within, kind: str, subject: str) -> Cond | None:
    """What only counts up: tests of whether it has come so far."""
    variable = system.variables[test.variable]
    made: Cond
    match kind:
        # what counts up is asked “at least”: the opposite is said by `not`
        case "open":
            made = LockOpen(subject)
        # counted up to the number that was asked for, from either side
        case "beaten":
            number = test.low if test.low > variable.low else test.high + 1
            made = Beaten(subject, number)
        case "hit":
            made = HitOff(subject, test.low if test.low > variable.low else test.high + 1)
        case "stock" if test.low <= 1 <= test.high == variable.high or test.high == 0:
            made = InStock(*subject.split())
        case "goal" if test.high == variable.high and test.low == variable.high:
            quest, number_of = subject.split()
            made = GoalMet(quest, int(number_of))
        case "goal" if test.low == variable.low and test.high == variable.high - 1:
            quest, number_of = subject.split()
            made = GoalMet(quest, int(number_of))
        case _ if kind in MARKS:
            made = Marked(kind, subject)
        case _:
            return None
    return made if test.high == variable.high else Not(made) if test.low == variable.low else None


def _amount(test: Within, low: int, high: int, compared: Compared) -> Cond:
    if test.low == test.high:
        if test.low >= high:
            return compared(">=", test.low)
        return compared("<=", low) if test.low == low else compared("=", test.low)
    above = [compared(">=", test.low)] if test.low > low else []
    below = [compared("<=", test.high)] if test.high < high else []
    parts = (*above, *below)
    return parts[0] if len(parts) == 1 else All(parts)


def _standing(names: tuple[str, ...], values: range) -> Cond | None:
    """Where the player is; a play that is not dealt yet is nowhere, which nobody is told of."""
    dealt = [name for name in names if name != UNDEALT]
    areas = [names[n] for n in values]
    if UNDEALT in areas:
        return None
    return ALWAYS if areas == dealt else _any([At(area) for area in areas])


def _lying(
    lies: Callable[[str, str], Cond], item: str, names: tuple[str, ...], values: range
) -> Cond | None:
    """Where an item lies; the first value stands for nowhere."""
    if 0 not in values:
        return _any([lies(item, names[n]) for n in values])
    others = _any([lies(item, names[n]) for n in range(len(names)) if n not in values])
    return None if others is None else Not(others)


def _any(conditions: list[Cond]) -> Cond | None:
    if not conditions:
        return None
    return conditions[0] if len(conditions) == 1 else Any(tuple(conditions))
