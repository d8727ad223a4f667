"""What is certain before a proof ends, in words: the same findings, each with its proof."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, cast

from msgspec.structs import replace

from zubrel.certain.hunt import Doom
from zubrel.certain.stage import Certain, Future
from zubrel.checked.keys import ENDING
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.space import NotAsked
from zubrel.findings.detectors.softlocks import words_of
from zubrel.findings.judged import AnySpace
from zubrel.narrated.reasons.chains import Reasons
from zubrel.narrated.replay import Walked, walked_along
from zubrel.narrated.report import Proof, Report, Told, Win
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import counted


def with_certain(report: Report, certain: Certain | None) -> Report:
    """A report on a search that was cut short, with what was certain all the same.

    What the search itself has found is not told twice. That there is no win is a verdict, whatever
    else is not known.
    """
    if certain is None or report.complete:
        return report
    known = {(f.kind, f.subject) for f in report.findings}
    early = [f for f in findings_of(certain) if (f.kind, f.subject) not in known]
    return replace(
        report,
        verdict="unwinnable" if certain.unwinnable else report.verdict,
        findings=(*early, *report.findings),
        shortest_win=report.shortest_win or win_of(certain),
    )


def findings_of(certain: Certain) -> Iterator[Told]:
    """The certain findings in the order of the world. Raises `Mismatch` as `replay` does."""
    world = certain.system.world
    accepted = {(e.finding, e.subject): e.because for e in world.accepted}
    if certain.unwinnable:
        span = next((e.span for e in world.endings.values() if e.good), None)
        start = tuple(v.start for v in certain.system.variables)
        yield Told(
            kind="unwinnable",
            severity="error",
            subject="world",
            message="no play whatever comes to a good ending",
            span=span,
            evidence=(),
            explanation=tuple(_reasons(certain, start, ())),
            situations=None,
            points=(),
            cause=None,
            accepted=("unwinnable", "world") in accepted,
            because=accepted.get(("unwinnable", "world")),
            certain=True,
            proof=Proof(()),
        )
    for doom in certain.dooms:
        told = _told(certain, doom)
        key = (told.kind, told.subject)
        yield replace(told, accepted=True, because=accepted[key]) if key in accepted else told


def early_lines(certain: Certain) -> list[str]:
    """What is certain, a line each, for whoever waits."""
    lines = []
    win = win_of(certain)
    if win is not None:
        lines.append(
            f"certain already: it can be won, by {counted(len(win.moves), 'move')} at most"
        )
    for finding in findings_of(certain):
        where = f", {finding.span.place}" if finding.span else ""
        after = f", after {counted(len(finding.evidence), 'move')}" if finding.evidence else ""
        lines.append(f"certain already: {finding.kind} {finding.subject}{where}{after}")
    return lines


def win_of(certain: Certain) -> Win | None:
    """The win that is known, which may not be the shortest."""
    if certain.win is None:
        return None
    system = certain.system
    walked = walked_along(system.walker, certain.win)
    end = walked[-1].after if walked else system.walker.start()
    ending = str(end[ENDING])
    return Win(ending, system.world.endings[ending].name, lines_of(system.world, walked), False)


def _told(certain: Certain, doom: Doom) -> Told:
    system = certain.system
    world, rule = system.world, doom.step.rule
    walked = walked_along(system.walker, doom.walk)
    before = walked_along(system.walker, (*doom.walk[:-1], *doom.onward))
    moves = system.walker.moves(walked[-1].after)
    aftermath = (
        "Then the player is wandering: there are moves, but no win."
        if moves
        else "Then the player is stuck: there is no move at all."
    )
    return Told(
        kind=doom.kind,
        severity="error",
        subject=rule.id,
        message=words_of(world, rule, doom.by_luck),
        span=rule.span,
        evidence=lines_of(world, walked),
        explanation=(aftermath, *_reasons(certain, doom.after, walked)),
        situations=None,
        points=(),
        cause=None,
        accepted=False,
        because=None,
        shortest=False,
        certain=True,
        proof=Proof(lines_of(world, before)[len(walked) - 1 :]),
    )


def _reasons(certain: Certain, values: Sequence[int], walked: Sequence[Walked]) -> list[str]:
    """Why no win is left, as far as it can be told by what may still come."""
    future = Future(certain.relaxation, tuple(values))
    return Reasons(cast(AnySpace, _View(certain.system)), future, walked).of_no_win()


class _View:
    """Answers for `Reasons` from a future; what only a search knows is `NotAsked`."""

    def __init__(self, system: System) -> None:
        self.system = system

    def allows(self, future: Future, formula: Formula) -> bool:
        return future.may_hold(formula)

    def possible(self, step: Step) -> Any:
        raise NotAsked(step.rule.id)
