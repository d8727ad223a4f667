"""Where is something given up for nothing?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import reduce

from zubrel.checked import keys
from zubrel.checked.effects import Take, Wear
from zubrel.compiled.facts import excluded
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.parts import ENDING, Move, Operation, Step
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


class _Use(Question, frozen=True):
    """A move that may change nothing but the variables that it takes or wears."""

    move: Move
    given_up: frozenset[int]


def _questions(system: System) -> Iterator[_Use]:
    for move in system.player_moves:
        # each outcome begins with the same takes: they are part of the move, not of its luck
        given_up = frozenset(
            system.numbers[keys.held(e.item)]
            for e in move.steps[0].outcome.effects
            if isinstance(e, Take | Wear)
        )
        # whatever surely changes something else is never for nothing
        if given_up and not _surely_changed(system, move) - given_up:
            yield _Use(
                subject=move.rule.id,
                formulas=tuple(_highest(system, move)),
                steps=move.steps,
                move=move,
                given_up=given_up,
            )


def _highest(system: System, move: Move) -> Iterator[Formula]:
    """For each variable that a move may change: whether it has its highest value."""
    for variable in dict.fromkeys(v for step in move.steps for v in changed_by(system, step)):
        high = system.variables[variable].high
        yield Within(variable, high, high)


def _surely_changed(system: System, move: Move) -> set[int]:
    """The variables that some step of a move changes, whenever the move is possible."""
    return {
        c.variable
        for step in move.steps
        for c in system.lone_changes(step)
        if c.operation is Operation.FLIP
        or excluded(move.guard, c)
        or (c.operation is Operation.ADD and c.number != 0)
    }


def _decide(judged: Judged[S], questions: Sequence[_Use]) -> Iterator[Finding]:
    for use in questions:
        # once is enough: most uses may be of use
        trace = judged.space.walks().shortest(_fruitless(judged, use))
        if trace is not None:
            rule, walk = use.move.rule, trace.then(use.move.steps[0])
            message = f"{judged.system.world.described(rule)} can use something up for nothing"
            yield Finding("wasted_use", "warning", use.subject, message, rule.span, walk)


def _fruitless(judged: Judged[S], use: _Use) -> S:
    """The situations in which no outcome of a move changes anything but what is given up."""
    space = judged.space
    # luck must not help either: every outcome has to be in vain
    quiet = reduce(lambda a, b: a & b, (space.possible(step) for step in use.move.steps))
    for step in use.move.steps:
        for variable in changed_by(judged.system, step):
            if not quiet:
                return quiet
            if variable not in use.given_up:
                # a change is a change in either direction
                risen, fallen = (space.shifted(step, variable, up) for up in (True, False))
                quiet = quiet - (risen | fallen)
    return quiet


def changed_by(system: System, step: Step) -> Sequence[int]:
    """The variables that a step, with what settles after it, may change."""
    settling = [c.variable for s in system.settlers for c in s.changes]
    ending = [ENDING] if system.endings else []
    changed = dict.fromkeys([c.variable for c in step.changes] + settling + ending)
    return [v for v in changed if system.variables[v].size > 1]


WASTED_USE = SubjectDetector("wasted_use", _questions, _decide, whole=False)
"""`wasted_use`: a move that takes or wears something and changes nothing else."""
