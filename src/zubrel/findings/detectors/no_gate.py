"""Which locks and needs never stop anyone?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS, Cond
from zubrel.compiled.formulas import Formula, both, either, opposite
from zubrel.compiled.parts import Move
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, standing_formula


class _Tried(Question, frozen=True):
    """Where something could be tried, and where in vain, for each way of trying it."""

    message: str
    span: Span
    tries: tuple[tuple[Formula, Formula], ...]


def _questions(system: System) -> Iterator[_Tried]:
    yield from _locks_and_ways(system)
    yield from _areas(system)


def _locks_and_ways(system: System) -> Iterator[_Tried]:
    world = system.world
    siblings: dict[tuple[str, str], list[Move]] = {}
    for move in system.moves:
        if move.rule.kind in ("lock", "way"):
            siblings.setdefault((move.rule.kind, move.rule.owner), []).append(move)
    for (kind, owner), moves in siblings.items():
        if any(move.rule.needs == ALWAYS for move in moves):
            continue  # nobody takes for a gate what asks for nothing
        rule = moves[0].rule
        what = world.locks[owner].name if kind == "lock" else world.described(rule)
        # both directions, and all alternatives: the gate is idle only if none of them stops anybody
        tries = [_tried(system, _standing(system, move), move.rule.needs) for move in moves]
        yield _question(owner, f"{what} never stops anyone", rule.span, tries)


def _standing(system: System, move: Move) -> Formula:
    """Where a lock could be opened or a way be taken, whatever they ask for."""
    standing = standing_formula(system, move.areas)
    # an open lock is opened no more
    if move.rule.kind == "lock":
        shut = system.translator.equals(keys.lock_open(move.rule.owner), 0)
        return both((standing, shut))
    return standing


def _areas(system: System) -> Iterator[_Tried]:
    for area in system.world.areas.values():
        if area.needs != ALWAYS:
            # whoever comes in by a rule may be stopped, whatever kind the rule is of
            entries = [
                move
                for move in system.moves
                if any(o.destination == area.id for o in move.rule.outcomes)
            ]
            # who stands inside already is not stopped by what entering asks for
            elsewhere = opposite(system.translator.at(area.id))
            standing = either(both((standing_formula(system, m.areas), elsewhere)) for m in entries)
            message = f"what {area.name} asks for never stops anyone"
            yield _question(area.id, message, area.span, [_tried(system, standing, area.needs)])


def _tried(system: System, standing: Formula, needs: Cond) -> tuple[Formula, Formula]:
    return standing, both((standing, opposite(system.formula(needs))))


def _question(
    subject: str, message: str, span: Span, tries: Sequence[tuple[Formula, Formula]]
) -> _Tried:
    formulas = tuple(formula for tried in tries for formula in tried)
    return _Tried(
        subject=subject, formulas=formulas, message=message, span=span, tries=tuple(tries)
    )


def _decide(judged: Judged[S], questions: Sequence[_Tried]) -> Iterator[Finding]:
    somewhere = judged.space.holds_somewhere
    for q in questions:
        if all(somewhere(standing) and not somewhere(unmet) for standing, unmet in q.tries):
            yield Finding("no_gate", "warning", q.subject, q.message, q.span)


NO_GATE = SubjectDetector("no_gate", _questions, _decide)
"""`no_gate`: written needs of locks, ways and areas that hold wherever they could be tried."""
