"""What can be had without end?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import reduce
from typing import Any

from zubrel.checked import keys
from zubrel.checked.world import Rule
from zubrel.compiled.facts import excluded
from zubrel.compiled.formulas import FALSE, Within
from zubrel.compiled.parts import Move, Step
from zubrel.compiled.system import System
from zubrel.explored.space import Trace
from zubrel.findings.detectors.surplus import changed_by
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged

COUNTED = ("held", "meter", "stock", "stored")
"""The kinds of variables that a move may lower: whoever pays does not get it for nothing."""


def endless(judged: Judged) -> Iterator[Finding]:
    """`endless`: items and meters that a move made twice in a row, or a buy with a sell, raises.

    Nothing is lowered by it: no amount held, stored or in stock, and no meter.
    """
    found: dict[str, list[tuple[Trace, Step]]] = {}
    for move in judged.system.moves:
        for subject, trace, step in _raising(judged, move):
            found.setdefault(subject, []).append((trace, step))
    for money, trace, step in _trades(judged):
        found.setdefault(money, []).append((trace, step))
    for subject, shown in found.items():
        trace, step = min(shown, key=lambda pair: len(pair[0].steps))
        name = judged.system.world.name_of(subject)
        message = f"{name} can be had without end by {judged.system.world.described(step.rule)}"
        yield Finding("endless", "note", subject, message, step.rule.span, trace)


def _raising(judged: Judged, move: Move) -> Iterator[tuple[str, Trace, Step]]:
    system, space = judged.system, judged.space
    if not judged.asks(move.rule.id):
        return
    again: Any = None
    for step in move.steps:
        counted = [v for v in changed_by(system, step) if system.variables[v].key[0] in COUNTED]
        gains = [v for v in counted if system.variables[v].key[0] in ("held", "meter")]
        if not gains or _bars_itself(system, move, step):
            continue
        if again is None:
            again = reduce(lambda a, b: a | b, (space.possible(s) for s in move.steps))
        free = space.before(step, again)
        for variable in counted:
            free -= space.shifted(step, variable, False)
        for variable in gains:
            trace = space.walks().shortest(free & space.shifted(step, variable, True))
            if trace is not None:
                yield str(system.variables[variable].key[1]), trace.then(step), step


def _bars_itself(system: System, move: Move, step: Step) -> bool:
    """Whether a move is surely impossible right after a step of it."""
    return any(excluded(move.guard, change) for change in system.lone_changes(step))


def _trades(judged: Judged) -> Iterator[tuple[str, Trace, Step]]:
    """Wares that a shop sells without limit, and that some shop buys for more."""
    system, space = judged.system, judged.space
    steps = {s.rule.id: s for s in system.steps}
    buys = [r for r in system.world.rules if r.kind == "buy"]
    sells = [r for r in system.world.rules if r.kind == "sell"]
    for buy in buys:
        limited = keys.stock(buy.owner, buy.gives[0].item) in system.numbers
        for sell in sells:
            if limited or not _profit(buy, sell) or not judged.asks(sell.id):
                continue
            money = sell.gives[0].item
            trace = space.walks().shortest(_richer(judged, money, steps[buy.id], steps[sell.id]))
            if trace is not None:
                walk = trace.then(steps[buy.id]).then(steps[sell.id])
                yield money, walk, steps[sell.id]


def _profit(buy: Rule, sell: Rule) -> bool:
    """Selling what was bought pays more than it cost."""
    if not sell.gives or sell.takes[0].item != buy.gives[0].item:
        return False
    pays = sell.gives[0]
    return not buy.takes or (pays.item == buy.takes[0].item and pays.count > buy.takes[0].count)


def _richer(judged: Judged, money: str, buy: Step, sell: Step) -> Any:
    """The situations from which buying and then selling really leaves more money."""
    space, number = judged.space, judged.system.numbers[keys.held(money)]
    high = judged.system.variables[number].high
    richer = space.where(FALSE)
    for held in range(high):
        more = space.where(Within(number, held + 1, high))
        before = space.before(buy, space.before(sell, more))
        richer |= before & space.where(Within(number, held, held))
    return richer
