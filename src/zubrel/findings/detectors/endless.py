"""What can be had without end?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import reduce

from zubrel.checked import keys
from zubrel.checked.effects import AddMeter, SetMeter
from zubrel.checked.world import Rule
from zubrel.compiled.facts import excluded, lone_changes, settlers_after
from zubrel.compiled.formulas import FALSE, Formula, Within
from zubrel.compiled.parts import ENDING, PLACE, Move, Operation, Step
from zubrel.compiled.system import System
from zubrel.explored.space import S, Trace
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.detectors.wasted_use import changed_by
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, possible_formula

FEW = 12
"""Values of an amount that are all asked about."""
COUNTED = ("held", "meter", "stock", "stored")
"""The kinds of variables that a move may lower: whoever pays does not get it for nothing."""


class _Raise(Question, frozen=True):
    """A step that may raise a variable, and be followed by its own move at once.

    Only where none of the variables `counted` is lowered (of a meter that nobody wants high:
    raised), and nothing else is `changed`, such as a quest that is done; and where it could be made
    once more with none of the `others` changed, so that it can be made for ever: who is the second
    gull of two is not the first of many. One that fills a meter up, which other moves lower, need
    not raise it at once again: `free` is where it would be possible.
    """

    move: Move
    step: Step
    gained: int
    counted: tuple[int, ...]
    changed: tuple[int, ...]
    others: tuple[int, ...]
    free: Formula | None = None


class _Trade(Question, frozen=True):
    """A ware that a shop sells without limit, and that some shop buys for more `money`."""

    money: int
    buy: Step
    sell: Step


def _questions(system: System) -> Iterator[_Raise | _Trade]:
    for move in system.player_moves:
        yield from _raises(system, move)
    yield from _trades(system)


def _raises(system: System, move: Move) -> Iterator[_Raise]:
    for step in move.steps:
        counted = [v for v in changed_by(system, step) if system.variables[v].key[0] in COUNTED]
        if any(excluded(move.guard, change) for change in system.lone_changes(step)):
            continue  # surely impossible right after itself
        # what else the step changes has to come out the same, or it is not the same step again
        first, again = _changed(system, step)
        changed = tuple(v for v in first if v not in counted)
        others = tuple(v for v in again if v not in counted)
        kept = (*counted, *(v for v in changed if v not in (PLACE, ENDING)))
        for variable in counted:
            kind, subject = system.variables[variable].key[:2]
            if kind in ("held", "meter") and not _is_bad(system, variable):
                fills = kind == "meter" and _fills(system, step, subject)
                yield _Raise(
                    subject=str(subject),
                    formulas=(
                        # areas are told apart as far as the step moves the player
                        *(f for v in kept for f in _values(system, v)),
                        *([possible_formula(system, move)] if fills else []),
                    ),
                    steps=move.steps,
                    move=move,
                    step=step,
                    gained=variable,
                    counted=tuple(counted),
                    changed=changed,
                    others=others,
                    free=possible_formula(system, move) if fills else None,
                )


def _is_bad(system: System, variable: int) -> bool:
    """Whether a variable is a meter that nobody wants high."""
    kind, subject = system.variables[variable].key[:2]
    return kind == "meter" and system.world.meters[str(subject)].bad


def _changed(system: System, step: Step) -> tuple[list[int], list[int]]:
    """The variables that a step, with what follows it by itself, may change, and those of them
    that it may change a second time."""
    following = settlers_after(system.settlers, [step.changes])
    settled = {c.variable for settler in following for c in settler.changes}
    # what is surely set is so already when it is made once more
    set_already = {c.variable for c in lone_changes(step, settled) if c.operation is Operation.SET}
    changed = dict.fromkeys([*(c.variable for c in step.changes), *sorted(settled)])
    if system.endings:
        changed[ENDING] = None
    first = [v for v in changed if system.variables[v].size > 1]
    return first, [v for v in first if v not in set_already]


def _fills(system: System, step: Step, meter: str) -> bool:
    """Whether a step sets a meter that something wears down bit by bit."""
    sets = any(isinstance(e, SetMeter) and e.meter == meter for e in step.outcome.effects)
    return sets and any(
        isinstance(e, AddMeter) and e.meter == meter and e.amount < 0 for e in system.world.effects
    )


def _values(system: System, variable: int) -> Iterator[Formula]:
    """Tests that keep a variable with all its values; of many values one test does."""
    domain = system.variables[variable]
    yield Within(variable, domain.high, domain.high)
    # where an amount follows from marks, each of its values is told by other ones
    if domain.size <= FEW:
        yield from (Within(variable, n, n) for n in range(domain.low, domain.high))


def _trades(system: System) -> Iterator[_Trade]:
    # buying and selling have one outcome each
    steps = {s.rule.id: s for s in system.steps}
    buys = [r for r in system.world.rules if r.kind == "buy"]
    sells = [r for r in system.world.rules if r.kind == "sell"]
    for buy in buys:
        # what runs out is no source without end, whatever it is sold for
        limited = keys.stock(buy.owner, buy.gives[0].item) in system.numbers
        for sell in sells:
            # the price alone tells it: what is bought for less than it sells for
            if not limited and _profit(buy, sell):
                # a trade is a source of money only, whatever is traded
                money = system.numbers[keys.held(sell.gives[0].item)]
                yield _Trade(
                    subject=sell.gives[0].item,
                    formulas=tuple(_amounts(system, money)),
                    steps=(steps[buy.id], steps[sell.id]),
                    money=money,
                    buy=steps[buy.id],
                    sell=steps[sell.id],
                )


def _profit(buy: Rule, sell: Rule) -> bool:
    """Selling what was bought pays more than it cost."""
    # what is given away earns nothing
    if not sell.gives or sell.takes[0].item != buy.gives[0].item:
        return False
    pays = sell.gives[0]
    return not buy.takes or (pays.item == buy.takes[0].item and pays.count > buy.takes[0].count)


def _amounts(system: System, money: int) -> Iterator[Formula]:
    high = system.variables[money].high
    for held in range(high):
        yield Within(money, held, held)
        # a lens keeps the values apart that are asked about: here all of them
        yield Within(money, held + 1, high)


def _decide(judged: Judged[S], questions: Sequence[_Raise | _Trade]) -> Iterator[Finding]:
    world = judged.system.world
    for question in questions:
        raised = _raised(judged, question)
        if raised is not None:
            trace, step = raised
            name, how = world.name_of(question.subject), world.described(step.rule)
            message = f"{name} can be had without end by {how}"
            span = step.rule.span
            yield Finding("endless", "note", question.subject, message, span, trace.then(step))


def _raised(judged: Judged[S], question: _Raise | _Trade) -> tuple[Trace, Step] | None:
    """How it is had, with the last step apart; None where it never is."""
    space = judged.space
    match question:
        case _Trade():
            trace = space.walks().shortest(_richer(judged, question))
            return None if trace is None else (trace.then(question.buy), question.sell)
        case _Raise(step=step):
            # a meter that is filled up need not be filled again at once, only be possible to fill
            if question.free is not None:
                again = space.where(question.free)
            else:
                every = (space.possible(s) for s in question.move.steps)
                again = reduce(lambda a, b: a | b, every)
            # the step raises it, and the move can be made once more right after that
            for variable in question.others:
                for up in (True, False):
                    again = again - space.shifted(step, variable, up)
            free = space.before(step, again) & space.shifted(step, question.gained, True)
            # a quest that is done by it, or an area that is left, is no more so the second time
            for variable in question.changed:
                for up in (True, False):
                    free = free - space.shifted(step, variable, up)
            for variable in question.counted:
                if not free:
                    return None
                # paid for with something else, or with an hour, it is a trade, and no gift
                up = _is_bad(judged.system, variable)
                free = free - space.shifted(step, variable, up)
            trace = space.walks().shortest(free)
            return None if trace is None else (trace, step)


def _richer(judged: Judged[S], trade: _Trade) -> S:
    """The situations from which buying and then selling really leaves more money."""
    space, money = judged.space, trade.money
    high = judged.system.variables[money].high
    richer = space.where(FALSE)
    for held in range(high):
        more = space.where(Within(money, held + 1, high))
        # what a full purse wastes is not earned: the prices alone do not tell
        before = space.before(trade.buy, space.before(trade.sell, more))
        richer = richer | (before & space.where(Within(money, held, held)))
    return richer


ENDLESS = SubjectDetector("endless", _questions, _decide, whole=False)
"""`endless`: items and meters that a move raises which can be made again and again, or a buy with a
sell.

Nothing is lowered by it: no amount held, stored or in stock, and no meter; and nothing else is
changed by it when it is made once more.
"""
