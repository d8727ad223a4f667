"""Which moves take every win away while the game goes on?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import reduce
from typing import Generic

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.kinds import DOOMING
from zubrel.checked.world import Rule, World
from zubrel.compiled.parts import Move, Step
from zubrel.explored.space import S, Trace
from zubrel.findings.dealt import beginnings
from zubrel.findings.detector import VerdictDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


class _Culprit(Struct, Generic[S], frozen=True):
    """A kind of finding, its move, and for each of its steps the situations where it dooms.

    `open`: whether it does so is not known of others.
    """

    kind: str
    move: Move
    dooming: tuple[tuple[Step, S], ...]
    open: bool


def softlocks(judged: Judged[S]) -> Iterator[Finding]:
    """`softlock` and `bad_luck`, one finding for each rule that leads from live to doomed."""
    every = _all_culprits(judged)
    # and so the landings, which only count, are not needed
    if judged.space.merged:  # how many classes there are says nothing
        yield from (_finding(judged, culprit, None) for culprit in every)
        return
    # all of them are closed at once: up to 64 sets go along the edges together
    landings = [_landing(judged, culprit) for culprit in every]
    futures = judged.space.reached_from(landings)
    for culprit, future, deals in zip(every, futures, _deals(judged, every), strict=True):
        finding = _finding(judged, culprit, judged.space.count(future & judged.doomed))
        yield replace(finding, deals=deals)


def _deals(judged: Judged[S], every: Sequence[_Culprit[S]]) -> list[int | None]:
    """From how many deals each of some culprits can doom."""
    space = judged.space
    if not space.system.world.deals:
        return [None] * len(every)
    starts = beginnings(space)
    # a deal counts where some play of it comes to where the move dooms
    sources = [reduce(lambda a, b: a | b, (s for _, s in c.dooming)) for c in every]
    return [space.count(before & starts) for before in space.reaching(sources)]


def culprits(judged: Judged[S]) -> Iterator[tuple[str, str]]:
    """The kinds and subjects of what `softlocks` finds, without the evidence."""
    yield from ((c.kind, c.move.rule.id) for c in _all_culprits(judged))


def dooming(judged: Judged[S], kind: str, rule: str) -> Iterator[tuple[Step, S]]:
    """The steps of a rule that doom in this way, each with the situations in which it does."""
    for culprit in _all_culprits(judged):
        if (culprit.kind, culprit.move.rule.id) == (kind, rule):
            yield from culprit.dooming


def left_open(judged: Judged[S]) -> Iterator[tuple[str, str]]:
    """The kinds and subjects of what would be found, perhaps, with more work."""
    # known after `softlocks`, and nothing that most spaces need to be asked again for
    if judged.space.leaves_open:
        yield from ((c.kind, c.move.rule.id) for c in _suspects(judged) if c.open and not c.dooming)


def _all_culprits(judged: Judged[S]) -> list[_Culprit[S]]:
    return [culprit for culprit in _suspects(judged) if culprit.dooming]


def _suspects(judged: Judged[S]) -> Iterator[_Culprit[S]]:
    """Culprits, and moves of which it is left open whether they are, in the order of the file."""
    if not judged.doomed:
        return
    acting = judged.space.acting
    # one after the other, and not kept: a set may be a truth value for each of all situations
    every = (d for move in acting for _, each in _kinds(judged, move) for d in each)
    judged.space.seek(every, judged.live)
    for move in acting:
        for kind, each in _kinds(judged, move):
            suspect = _suspect(judged, kind, move, each)
            if suspect.dooming or suspect.open:
                yield suspect


def _kinds(judged: Judged[S], move: Move) -> Iterator[tuple[str, list[S]]]:
    """The kinds of trouble that a move may be, and from where each of its outcomes leads there."""
    # from live to doomed: what is lost by then was lost before, by another move
    each = [judged.live & judged.space.before(step, judged.doomed) for step in move.steps]
    # where every outcome dooms the player has chosen it; where only some do, luck has
    always = reduce(lambda a, b: a & b, each)
    yield "softlock", [always] * len(each)
    if len(each) > 1:
        yield "bad_luck", _by_luck(judged, move, [s - always for s in each])


def _suspect(judged: Judged[S], kind: str, move: Move, each: Sequence[S]) -> _Culprit[S]:
    dooming, is_open = list[tuple[Step, S]](), False
    for step, sources in zip(move.steps, each, strict=True):
        met = judged.space.is_come_into(sources)
        is_open = is_open or met is None
        if met:
            dooming.append((step, sources))
    return _Culprit(kind, move, tuple(dooming), is_open)


def _by_luck(judged: Judged[S], move: Move, dooming: Sequence[S]) -> list[S]:
    """Of the situations in which some outcomes of a move doom, those in which another does not."""
    if judged.complete:
        return list(dooming)
    # after a cut search an outcome that is not known to doom may do so all the same
    spared = judged.live | judged.ended
    lucky = reduce(lambda a, b: a | b, (judged.space.before(s, spared) for s in move.steps))
    return [sources & lucky for sources in dooming]


def _landing(judged: Judged[S], culprit: _Culprit[S]) -> S:
    """The doomed situations in which a culprit leaves the player."""
    landings = [judged.space.after(step, sources) for step, sources in culprit.dooming]
    return reduce(lambda a, b: a | b, landings) & judged.doomed


def _finding(judged: Judged[S], culprit: _Culprit[S], situations: int | None) -> Finding:
    # the culprit is proved already: the trace shows the soonest time that it does harm
    trace = _shortest(judged, culprit)
    rule = culprit.move.rule
    return Finding(
        kind=culprit.kind,
        severity="error",
        subject=rule.id,
        message=words_of(judged.system.world, rule, culprit.kind == "bad_luck"),
        span=rule.span,
        trace=trace,
        situations=situations,
        hopeless=True,
    )


def words_of(world: World, rule: Rule, by_luck: bool) -> str:
    """What is told of a rule that dooms."""
    if by_luck:
        return f"{world.described(rule)} makes the game impossible to win when luck is bad"
    return f"{world.described(rule)} can make the game impossible to win"


def _shortest(judged: Judged[S], culprit: _Culprit[S]) -> Trace:
    walks = judged.space.walks()
    traces = []
    # the soonest of its steps
    for step, sources in culprit.dooming:
        before = walks.shortest(sources)
        assert before is not None, "live situations are reached"
        traces.append(before.then(step))
    return min(traces, key=lambda t: len(t.steps))


SOFTLOCKS = VerdictDetector(DOOMING, softlocks, left_open)
