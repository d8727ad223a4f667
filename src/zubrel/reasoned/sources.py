"""Everything that may make something true: moves, what happens by itself, endings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.checked import keys
from zubrel.checked.conditions import Holds, all_of, conjuncts
from zubrel.checked.effects import TakeDealt
from zubrel.checked.world import Rule
from zubrel.compiled.formulas import FALSE, TRUE, Either, Formula, Within, holds, substituted
from zubrel.compiled.parts import ENDING, PLACE, Change, Move, Operation, Settler, Step
from zubrel.compiled.system import System
from zubrel.reasoned.formulas import literals_of, may_make, plain_form


class Maker(Struct, frozen=True):
    """What may make a formula true: its id, its changes, and what it asks for."""

    id: str
    changes: tuple[Change, ...]
    guard: tuple[Formula, ...]
    step: Step | None = None

    @property
    def outcome(self) -> int | None:
        """The number of the outcome, where luck decides."""
        chancy = self.step is not None and self.step.rule.chancy
        return self.step.outcome.number if self.step is not None and chancy else None


def makers_of(system: System, origin: Sequence[int] = ()) -> Sequence[Maker]:
    """Everything that changes something once a play has begun, in the order of the world.

    Where the values of the situation are given in which a play begins, it is known of what is dealt
    where it lies until it is taken, and what asks for that asks for less.
    """
    # hundreds of reasons ask for them, each for its own
    every = system.once(_makers_of)
    dealt = {n: value for n, value in enumerate(origin) if system.variables[n].key[0] == "dealt"}
    if not dealt or not holds(system.begun, origin):
        return every

    taken = _taken(system)

    def known(test: Within) -> Formula:
        if test.variable not in dealt:
            return test
        # it lies where it was dealt to, or was taken: no other place comes for this play
        lies = dealt[test.variable]
        may = [value for value in {0, lies} if test.low <= value <= test.high]
        if len(may) != 1 or not lies:
            return TRUE if may else FALSE
        # that it was taken comes once, and is told so
        gone = int(may[0] == 0)
        return Within(taken[test.variable], gone, gone)

    return [replace(m, guard=literals_of(substituted(g, known) for g in m.guard)) for m in every]


def _taken(system: System) -> dict[int, int]:
    """By the variables of what is dealt those of whether it was taken."""
    taken = {}
    for rule in system.world.rules:
        effects = rule.outcomes[0].effects
        for item in (e.item for e in effects if isinstance(e, TakeDealt)):
            mark = keys.mark("taken", rule.owner)
            taken[system.numbers[keys.dealt(item)]] = system.numbers[mark]
    return taken


def _makers_of(system: System) -> tuple[Maker, ...]:
    variables = system.variables
    makers = list[Maker]()
    # each outcome is a maker of its own, with what the whole move asks for
    for move in system.moves:
        # luck deals before the first move, and never again
        if move.rule.kind == "deal":
            continue
        # as conjuncts, so that a reason can take one of them for its next claim
        guard = _guard_of(system, move)
        makers += [Maker(move.rule.id, s.changes, guard, s) for s in move.steps]
    for settler in system.settlers:
        # what happens by itself only happens after the deal
        asked = _once_begun(system, literals_of((plain_form(settler.guard, variables),)))
        makers.append(Maker(settler.id, settler.changes, asked))
    for formula, number in system.endings:
        ending = variables[ENDING].names[number]
        asked = _once_begun(system, literals_of((plain_form(formula, variables),)))
        # an ending is made like anything else: by what it asks for
        makers.append(Maker(ending, (_ends(number),), asked))
    return tuple(makers)


def _once_begun(system: System, asked: tuple[Formula, ...]) -> tuple[Formula, ...]:
    """What is asked for besides that everything is dealt."""
    return tuple(part for part in asked if part != system.begun)


def _ends(number: int) -> Change:
    return Change(ENDING, Operation.SET, number)


def _guard_of(system: System, move: Move) -> tuple[Formula, ...]:
    """All that a move asks for, where the player must stand included."""
    asked = [plain_form(move.guard, system.variables)]
    if move.guard == FALSE:
        # translated, a test beyond all limits is only FALSE; the author is told which it was
        asked = list(_beyond_reach(system, move.rule)) or asked
    # once a play has begun the player is somewhere: that is no condition
    everywhere = system.world.deals and len(move.areas or ()) == len(system.world.areas)
    if move.areas is not None and not everywhere:
        places = tuple(Within(PLACE, n, n) for n in move.areas)
        asked.insert(0, places[0] if len(places) == 1 else Either(places))
    return literals_of(asked)


def clashing(system: System, rule: Rule) -> tuple[Formula, ...]:
    """Two tests of one amount that a rule makes and that exclude each other; empty: none.

    What it gives must fit in, beside what it needs and keeps.
    """
    needed = all_of(rule.needs, *(Holds(t.item, ">=", t.count) for t in rule.takes))
    tests = [system.formula(p) for p in conjuncts(needed)]
    taken = {t.item: t.count for t in rule.takes}
    for give in rule.gives:
        item = system.world.items[give.item]
        if not item.wasted_when_full and (item.uses is None or give.item not in taken):
            # what is taken in the same move makes room first
            room = item.most - give.count + taken.get(give.item, 0)
            variable = system.numbers[keys.held(give.item)]
            tests.append(Within(variable, 0, 0 if item.uses is not None else max(0, room)))
    amounts = [plain_form(t, system.variables) for t in tests]
    for number, one in enumerate(amounts):
        for other in amounts[:number]:
            # both are possible alone, and never at once
            if FALSE in literals_of((other, one)) and FALSE not in (other, one):
                return (other, one)
    return ()


def breaks(system: System, settler: Settler, parts: Iterable[Formula]) -> bool:
    """Whether what happens by itself may make some of the parts false."""
    denied = [plain_form(p, system.variables, False) for p in parts]
    return any(may_make(system, c, d) for c in settler.changes for d in denied)


def too_heavy(system: System, parts: Sequence[Formula]) -> tuple[Formula, ...]:
    """Of tests that hold at once only beyond a limit on what is carried or stored, those that weigh
    most and are too much together; empty: none are."""
    for load in system.loads:
        weights: dict[Formula, int] = {}
        for part in parts:
            if isinstance(part, Within) and part.variable in load.variables and part.low > 0:
                # at least so many are held where the test holds
                weights[part] = part.low
            elif isinstance(part, Within) and any(
                m.variable == part.variable and m.low <= part.low <= part.high <= m.high
                for m in load.marks
            ):
                weights[part] = 1
        heavy: list[Formula] = []
        for part in sorted(weights, key=lambda p: -weights[p]):
            heavy.append(part)
            if sum(weights[p] for p in heavy) > load.high:
                if len(heavy) > 1:  # of a single amount more is told by how many there can be
                    return tuple(p for p in parts if p in heavy)
                break
    return ()


def _beyond_reach(system: System, rule: Rule) -> Iterator[Formula]:
    """What a rule asks for that no variable can ever be: more of an item than there is."""
    asked = all_of(rule.needs, *(Holds(t.item, ">=", t.count) for t in rule.takes))
    for part in conjuncts(asked):
        if isinstance(part, Holds) and part.operator == ">=" and system.formula(part) == FALSE:
            yield Within(system.numbers[keys.held(part.item)], part.number, part.number)
