"""Formulas in the author's words, those included for which the language has none."""

from __future__ import annotations

from zubrel.compiled.formulas import FALSE, AtLeast, Both, Either, Formula, Load, Opposite, Within
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.narrated.words import listed, phrase
from zubrel.reasoned.conditions import as_condition

MOST_NAMED = 4
"""Areas that are named where the player may be in any of them."""


def formula_words(system: System, formula: Formula) -> str:
    """A noun phrase that fits after "needs"."""
    if formula == FALSE:
        return "what can never be"
    # a choice of areas is told as places, and not as many conditions
    if isinstance(formula, Either) and all(
        isinstance(p, Within) and p.variable == PLACE for p in formula.parts
    ):
        return _places(system, formula)
    # in the author's own words, where they can say it
    condition = as_condition(system, formula)
    if condition is not None:
        return phrase(system.world, condition)
    match formula:
        case Both(parts):
            return listed([formula_words(system, p) for p in parts])
        case Either(parts):
            return listed([formula_words(system, p) for p in parts], "or")
        case AtLeast(count, parts):
            return f"{count} of: {', '.join(formula_words(system, p) for p in parts)}"
        case Load():
            return _room(system, formula)
        case Opposite(Load() as load):
            return f"no {_room(system, load)}"
        case Opposite(part):
            return f"not {formula_words(system, part)}"
        case Within():
            return _test(system, formula)


def _places(system: System, formula: Either) -> str:
    """Areas by name, the first ones where there are many."""
    names = [
        system.world.name_of(system.variables[PLACE].names[p.low])
        for p in formula.parts
        if isinstance(p, Within)
    ]
    if len(names) > MOST_NAMED:
        left = len(names) - MOST_NAMED + 1
        names = [*names[: MOST_NAMED - 1], f"{left} more areas"]
    return f"the player at {listed(names, 'or')}"


def _room(system: System, load: Load) -> str:
    """What is not full, by what it holds."""
    kinds = [system.variables[v].key for v in load.variables]
    stores = {subject.split()[0] for kind, subject in kinds if kind == "stored"}
    if stores:
        return f"room in {system.world.name_of(min(stores))}"
    return f"at most {load.high} things carried" if load.high else "empty hands"


def _test(system: System, test: Within) -> str:
    variable, world = system.variables[test.variable], system.world
    kind, subject = variable.key
    if test.variable == ENDING:
        # the lowest value of the ending: none has come
        if test.low == test.high == 0:
            return "the game going on"
        names = [world.name_of(variable.names[n]) for n in range(test.low, test.high + 1) if n]
        return f"the ending {listed(names, 'or')}"
    amount = f"{test.low} to {test.high}"
    if test.high == variable.high:
        amount = f"at least {test.low}"
    elif test.low == variable.low:
        amount = f"at most {test.high}"
    # what the language has no condition for, in words of the thing itself
    match kind:
        case "stock":
            shop, item = subject.split()
            return f"{amount} {world.name_of(item)} left at {world.name_of(shop)}"
        case "goal":
            quest, number = subject.split()
            goal = world.quests[quest].goals[int(number) - 1]
            return f"{amount} towards the goal “{world.goal_name(goal)}” of {world.name_of(quest)}"
        case "stored":
            store, item = subject.split()
            return f"{amount} {world.name_of(item)} in {world.name_of(store)}"
        case "hit":
            return f"{amount} hit off {world.name_of(subject)}"
        case "beaten":
            return f"{amount} {world.name_of(subject)} beaten"
    return f"{amount} of {world.name_of(subject)}"
