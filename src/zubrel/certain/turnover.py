"""What an operator uses up and makes each time: amounts, states, and what is left to bear."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from zubrel.compiled.formulas import Within
from zubrel.compiled.operators import Compiled, Operator
from zubrel.compiled.parts import ENDING, PLACE, Operation, Variable, wins_of
from zubrel.compiled.possible import ALWAYS

NOMINAL = ("place", "ending", "open", "fact", "quest", "taken", "done", "lies", "dealt")
"""Variables whose values stand side by side: of all others, reaching a value is passing it too."""
SUMS = (Operation.ADD, Operation.ADD_UP_TO_END)

Supply = tuple[int, int]
"""An amount, as its variable and `AMOUNT`; the `ROOM` that is left below one that ends the game; or
one value of a variable, by its place."""
AMOUNT, ROOM = -1, -2


class Turnover(Struct, frozen=True):
    """How much of each supply an operator uses up, and how much it makes, each time."""

    uses: dict[Supply, int]
    makes: dict[Supply, int]
    passes: bool
    """Whether it changes what has no supplies, such as a season that goes by."""


def turnover_of(
    operator: Operator, variables: Sequence[Variable], ceilings: Mapping[int, int]
) -> Turnover:
    """What an operator uses up and makes. Of amounts with `ceilings` it is what is left to
    bear below them, and not how much there is."""
    uses, makes, passes = dict[Supply, int](), dict[Supply, int](), False
    for effect in operator.effects:
        number = effect.variable
        # where the player stands is made right by walking
        if number in (PLACE, ENDING):
            continue
        variable = variables[number]
        changes = [change for change, _ in effect.changes]
        surely = all(when == ALWAYS for _, when in effect.changes)
        if surely and all(c.operation in SUMS for c in changes) and not is_nominal(variable):
            added = sum(c.number for c in changes)
            # who grows hungrier uses up what is left to bear of it
            if number in ceilings:
                added = -added
            kind = ROOM if number in ceilings else AMOUNT
            if added:
                (makes if added > 0 else uses)[number, kind] = abs(added)
            continue
        if not surely or len(changes) > 1:
            passes |= is_nominal(variable)
            continue
        # from here on one change that surely takes place: the only case in which it is told
        # what it uses
        (change,) = changes
        allowed = operator.allowed.get(number, (1 << variable.size) - 1)
        only = allowed.bit_length() - 1 if allowed.bit_count() == 1 else None
        # values are counted from the lowest, as in sets of values
        after = change.number - variable.low
        # a state is used up where only that state is asked for: a lamp that burns, once it is
        # blown out
        if is_nominal(variable):
            if change.operation is Operation.SET:
                makes[number, after] = 1
                if only is not None:
                    uses[number, only] = 1
            else:
                passes = True
        elif number in ceilings and change.operation is Operation.SET:
            if ceilings[number] > after:
                makes[number, ROOM] = ceilings[number] - after
        elif change.operation is Operation.SET:
            # the least that it can have been
            least = (allowed & -allowed).bit_length() - 1
            if after > 0:
                makes[number, AMOUNT] = after
            elif least > 0:
                uses[number, AMOUNT] = least
    return Turnover(uses, makes, passes)


def is_nominal(variable: Variable) -> bool:
    """Whether the values of a variable stand side by side, and are no amounts."""
    return variable.key[0] in NOMINAL


class Bounds(Struct, frozen=True):
    """Of amounts that end the game badly, whatever else is so, the first place that does, when they
    rise (`ceilings`), and the first that does not when they fall (`floors`)."""

    ceilings: dict[int, int]
    floors: dict[int, int]


UNBOUND = Bounds({}, {})


def bounds_of(system: Compiled) -> Bounds:
    """What a player has to keep away from."""
    good, bounds = wins_of(system.world), Bounds({}, {})
    for formula, number in system.endings:
        # with other conditions beside it, it may be borne
        if number in good or not isinstance(formula, Within):
            continue
        known, variable = formula.variable, system.variables[formula.variable]
        if is_nominal(variable):
            continue
        if formula.high == variable.high:
            place = formula.low - variable.low
            bounds.ceilings[known] = min(place, bounds.ceilings.get(known, place))
        if formula.low == variable.low:
            place = formula.high - variable.low + 1
            bounds.floors[known] = max(place, bounds.floors.get(known, place))
    return bounds
