"""Which needs stop those who have too much?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS, All, Any, Cond, CountOf, Holds, Not
from zubrel.compiled.formulas import Formula, both, opposite
from zubrel.compiled.parts import Move
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, standing_formula


class _Limit(Question, frozen=True):
    """Where a need is false only because too much is held, for each such part of the need."""

    parts: tuple[tuple[Formula, str, Span], ...]


def _questions(system: System) -> Iterator[_Limit]:
    limits: dict[str, list[tuple[Formula, str, Span]]] = {}
    for move in system.player_moves:
        rule = move.rule
        subject = rule.owner if rule.kind == "way" else rule.id
        # each limit of a need is asked about by itself: only one of them may stop anybody
        for atom in _limited(rule.needs):
            # the message names the number, which is what the author will change
            name = system.world.items[atom.item].name
            refused = f"{system.world.described(rule)} is refused to who has more than "
            part = _too_much(system, move, atom), f"{refused}{_most(atom)} {name}"
            limits.setdefault(subject, []).append((*part, atom.span or rule.span))
    for subject, parts in limits.items():
        yield _Limit(subject=subject, formulas=tuple(f for f, _, _ in parts), parts=tuple(parts))


def _too_much(system: System, move: Move, atom: Holds) -> Formula:
    """Where a move would be possible with less of an item, and is not."""
    rule = move.rule
    return both(
        (
            standing_formula(system, move.areas),
            system.formula(rule.offered),
            # all else is fulfilled, so that it is this limit which refuses
            system.formula(_assumed(rule.needs, atom)),
            opposite(system.formula(rule.needs)),
            system.translator.comparison(keys.held(atom.item), ">", _most(atom)),
        )
    )


def _most(atom: Holds) -> int:
    """The most that is not too much; that nobody has less than nothing is no fault of theirs."""
    return max(0, atom.number - (atom.operator == "<"))


def _limited(condition: Cond, denied: bool = False) -> Iterator[Holds]:
    """The atoms of a need that too much of an item makes false: not those under one `not`."""
    match condition:
        case Holds(_, "=" | "<=" | "<", _) if not denied:
            yield condition
        case Not(part):
            yield from _limited(part, not denied)
        case All(parts) | Any(parts) | CountOf(_, parts):
            for part in parts:
                yield from _limited(part, denied)


def _assumed(condition: Cond, atom: Holds) -> Cond:
    """The condition, were the atom true."""
    # a limit may be written in more than one place of a condition
    if isinstance(condition, Holds) and _same(condition, atom):
        return ALWAYS
    match condition:
        case All(parts):
            return All(tuple(_assumed(p, atom) for p in parts))
        case Any(parts):
            return Any(tuple(_assumed(p, atom) for p in parts))
        case CountOf(count, parts):
            return CountOf(count, tuple(_assumed(p, atom) for p in parts))
        case Not(part):
            return Not(_assumed(part, atom))
    return condition


def _same(a: Holds, b: Holds) -> bool:
    """The same comparison, wherever it stands."""
    return (a.item, a.operator, a.number) == (b.item, b.operator, b.number)


def _decide(judged: Judged[S], questions: Sequence[_Limit]) -> Iterator[Finding]:
    for question in questions:
        for formula, message, span in question.parts:
            trace = judged.space.walks().shortest(judged.space.where(formula))
            if trace is not None:
                subject = question.subject
                # of several parts, or of both directions of a way, the soonest is told of
                yield Finding("exact_count", "warning", subject, message, span, trace)


EXACT_COUNT = SubjectDetector("exact_count", _questions, _decide, whole=False)
"""`exact_count`: a need that is false in some situation only because there is too much."""
