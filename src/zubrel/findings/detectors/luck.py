"""Can the player win whatever luck does?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import reduce

from zubrel.compiled.parts import Move
from zubrel.explored.space import S, Trace
from zubrel.findings.dealt import beginnings
from zubrel.findings.detector import VerdictDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


def luck_needed(judged: Judged[S]) -> Iterator[Finding]:
    """`luck_needed`: it can be won, but no way of playing wins whatever luck does.

    Luck is fair: an outcome that is tried for ever comes at last. The evidence leads through the
    first move at which luck decides.
    """
    # without a move of several outcomes nothing is left to luck
    gambles = [m for m in judged.space.acting if len(m.steps) > 1]
    if not (judged.complete and judged.won and gambles):
        return
    # choosing well needs a way that is still there: from anywhere else nothing helps
    hopeful = judged.live | judged.won
    safe = judged.space.reaching_by_choice(judged.won, hopeful)
    if not (beginnings(judged.space) & hopeful) - safe:
        return
    # of all moves with several outcomes those that make a win sure or leave it open
    deciding = [(m, trace) for m in gambles if (trace := _first(judged, m, safe)) is not None]
    deciding.sort(key=lambda pair: len(pair[1].steps))
    names = [judged.system.world.described(m.rule) for m, _ in deciding]
    message = f"no way of playing wins whatever luck does; it decides at {', '.join(names)}"
    first = deciding[0]
    yield Finding("luck_needed", "warning", "world", message, first[0].rule.span, first[1])


def _first(judged: Judged[S], move: Move, safe: S) -> Trace | None:
    """The shortest play to where one outcome of a move makes a win sure and another does not."""
    space = judged.space
    # luck decides where one outcome leads to what is safe, from a situation that is not
    into = [space.before(step, safe) for step in move.steps]
    tried = reduce(lambda a, b: a | b, (space.possible(step) for step in move.steps))
    traces = []
    for step, lucky in zip(move.steps, into, strict=True):
        # from what is safe already no luck is needed
        before = space.walks().shortest((lucky & tried) - safe)
        if before is not None:
            traces.append(before.then(step))
    return min(traces, key=lambda t: len(t.steps)) if traces else None


LUCK_NEEDED = VerdictDetector(("luck_needed",), luck_needed)
