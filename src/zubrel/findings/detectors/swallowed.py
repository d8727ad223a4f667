"""Where is something lost that did not fit?"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from zubrel.checked.world import World
from zubrel.compiled.formulas import Formula, Within, either
from zubrel.compiled.parts import Move, Step
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import counted_ids, needed_ids


class _Gain(Question, frozen=True):
    """A move that may lose a surplus of some items that something needs."""

    move: Move
    items: frozenset[str]


def _questions(system: System) -> Iterator[_Gain]:
    needed = _needed_items(system.world)
    # a reward or a happening gives without anybody's move, and wastes just the same
    settling = _by_itself(system, needed)
    happening = [f for number in settling for f in _depends(system, number)]
    for move in system.player_moves:
        at_once = [_at_once(step, needed) for step in move.steps if step.wastes]
        # what happens by itself may waste after any move, so that all are asked about then
        if settling or any(w.item in needed for s in move.steps for w in s.wastes):
            yield _Gain(
                subject=move.rule.id,
                formulas=(*at_once, *settling.values(), *happening),
                steps=move.steps,
                move=move,
                items=needed,
            )


def _needed_items(world: World) -> frozenset[str]:
    """The items that conditions, takes, wears, goals and prices ask for, and that may not fit.

    Where `max` is not given it is what can ever come together, so that all of it fits; and to learn
    again what is known already is no loss.
    """
    # what nobody needs may be lost without harm
    needed = needed_ids(world) | counted_ids(world)
    # limits on carrying bound items that have no bound of their own
    carried = {i for carry in world.carries for i in carry.items}
    return frozenset(
        i.id
        for i in world.items.values()
        if i.id in needed
        and (i.bound_given or i.uses is not None or i.id in carried)
        and not (i.kind == "knowledge" and i.most == 1)
    )


def _at_once(step: Step, items: frozenset[str]) -> Formula:
    """Where a step itself loses a surplus of one of the items."""
    return either(w.when for w in step.wastes if w.item in items)


def _by_itself(system: System, items: frozenset[str]) -> Mapping[int, Formula]:
    """By the numbers of what happens by itself: where it loses a surplus of one of the items."""
    return {
        number: either(w.when for w in settler.wastes if w.item in items)
        for number, settler in enumerate(system.settlers)
        if any(w.item in items for w in settler.wastes)
    }


def _depends(system: System, number: int) -> Iterator[Formula]:
    """What has to be known for knowing when something happens by itself."""
    settler = system.settlers[number]
    yield settler.guard
    # whoever keeps a variable keeps what changes it
    for variable in sorted({c.variable for c in settler.changes}):
        low = system.variables[variable].low
        yield Within(variable, low, low)


def _decide(judged: Judged[S], questions: Sequence[_Gain]) -> Iterator[Finding]:
    world = judged.system.world
    for gain in questions:
        # luck may decide whether anything is lost: the outcome that loses it soonest is shown
        shown = [
            (trace, step)
            for step in gain.move.steps
            if (trace := judged.space.walks().shortest(_losing(judged, step, gain.items)))
            is not None
        ]
        if not shown:
            continue
        trace, step = min(shown, key=lambda pair: len(pair[0].steps))
        here = judged.space.at_end_of(trace)
        # of the items that the move may waste, those that are wasted at the end of this walk
        names = [
            world.name_of(i)
            for i in sorted(gain.items)
            if here & _losing(judged, step, frozenset({i}))
        ]
        rule, what = gain.move.rule, " and ".join(names)
        message = f"{world.described(rule)} gives more {what} than fits, and the surplus is gone"
        yield Finding("swallowed", "warning", gain.subject, message, rule.span, trace.then(step))


def _losing(judged: Judged[S], step: Step, items: frozenset[str]) -> S:
    """From where a step loses a surplus of one of the items, at once or while settling."""
    space = judged.space
    sources = space.where(_at_once(step, items))
    if sources:
        # a waste is noted where it would be, and the guard of the move is no part of it
        sources = sources & space.possible(step)
    events = _by_itself(judged.system, items)
    return sources | space.happening(step, events) if events else sources


SWALLOWED = SubjectDetector("swallowed", _questions, _decide, whole=False)
"""`swallowed`: surplus of an item that something needs is lost, at once or while settling."""
